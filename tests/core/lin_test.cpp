// What a LIN wire says, sent by the rig's cluster and read back; faults of every kind on purpose.
#include "core/decode/bus_spec.h"
#include "rig/lin_driver.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;
using rig::LinDriver;
using rig::LinSum;

namespace {

using Bytes = std::vector<std::uint8_t>;
using Story = std::vector<std::string>;

class Lin : public testing::Test {
 protected:
  Lin() { use({}); }

  void use(const rig::LinPace& pace)
  {
    m_pace = pace;
    m_wire.emplace(pace);
    m_wire->waitUntil(10ms);
  }
  void setting(const char* key, const char* value) { ASSERT_TRUE(m_bus.set(key, value)); }

  /// "11 A1 B2 =5C enhanced", "no id ! incomplete": what each frame says, with its faults behind a !.
  Story story(Picoseconds quiet = 20ms)
  {
    m_input = {{m_wire->track()}, m_wire->now() + quiet, true};
    m_frames = decodeAll(m_bus, m_input);
    Story lines;
    for (const Frame& frame : framesOf(m_frames)) {
      const LinFrame f = linFrame(frame);
      std::string line = frame.kind == kLinWakeup ? "wakeup" : f.hasId ? hex(f.id) : "no id";
      for (const std::uint8_t b : f.data)
        line += " " + hex(b);
      if (f.hasChecksum)
        line += " =" + hex(f.checksum);
      if (f.model)
        line += *f.model == LinChecksum::Classic ? " classic" : " enhanced";
      for (const std::string_view word : linProtocol().errorWords(frame.errors))
        line += " !" + std::string(word);
      lines.push_back(line);
    }
    return lines;
  }
  static std::string hex(std::uint32_t value) { return valueText(value, 8, ValueFormat::Hex); }
  Picoseconds bits(double n) const { return Picoseconds{std::llround(n * 1e12 / 19200.0)}; }
  Frame frame(std::uint64_t i) const { return m_frames.frame(i); }
  LinDriver& wire() { return *m_wire; }

  rig::LinPace m_pace;
  std::optional<LinDriver> m_wire;
  Bus m_bus = *parseBusSpec("l=lin,rx=lin,baud=19200");
  StreamInput m_input;
  FrameIndex m_frames;
};

}  // namespace

TEST_F(Lin, FramesOfEveryLengthWithBothChecksums)
{
  Story sent;
  for (std::size_t n = 1; n <= 8; ++n) {
    for (const LinSum model : {LinSum::Classic, LinSum::Enhanced}) {
      Bytes data;
      for (std::size_t i = 0; i < n; ++i)
        data.push_back(static_cast<std::uint8_t>(37 * n + 91 * i));
      const auto id = static_cast<std::uint8_t>(5 * n);
      wire().frame(id, data, model);
      wire().rest(60);
      std::string line = hex(id);
      for (const std::uint8_t b : data)
        line += " " + hex(b);
      line += " =" + hex(rig::linSum(model, rig::linPid(id), data));
      sent.push_back(line + (model == LinSum::Classic ? " classic" : " enhanced"));
    }
  }
  EXPECT_EQ(story(), sent);
}

TEST_F(Lin, EveryIdentifierHasItsParity)
{
  for (std::uint32_t id = 0; id < 64; ++id)
    EXPECT_EQ(linProtected(id), rig::linPid(static_cast<std::uint8_t>(id))) << id;
  EXPECT_EQ(linProtected(0x3c), 0x3cU);
  EXPECT_EQ(linProtected(0x3d), 0x7dU);
}

TEST_F(Lin, AFrameReachesFromItsBreakToItsLastStopBit)
{
  wire().frame(0x11, Bytes{1, 2});
  ASSERT_EQ(story().size(), 1U);
  EXPECT_EQ(frame(0).time.begin, 10ms);
  // 13 and 1 bits of break, header of two bytes, two bits of space, three bytes.
  EXPECT_NEAR(static_cast<double>((frame(0).time.end - frame(0).time.begin - bits(66)).count()), 0.0, 2000.0);
}

TEST_F(Lin, ASyncByteUpToFourteenPercentOffSetsTheRateOfItsFrame)
{
  for (const double off : {-0.13, -0.05, 0.05, 0.13}) {
    rig::LinPace pace;
    pace.commander = pace.responder = 19200.0 * (1.0 + off);
    use(pace);
    wire().frame(0x22, Bytes{0x00, 0xff, 0x55, 0x81});
    EXPECT_EQ(story(),
              Story{"22 00 FF 55 81 =" +
                    hex(rig::linSum(LinSum::Enhanced, rig::linPid(0x22), Bytes{0, 0xff, 0x55, 0x81})) + " enhanced"})
        << off;
  }
}

TEST_F(Lin, ASyncByteFurtherOffIsWrongAndNothingBehindItIsRead)
{
  for (const double off : {-0.16, 0.16}) {
    rig::LinPace pace;
    pace.commander = pace.responder = 19200.0 * (1.0 + off);
    pace.breakBits = 16;
    use(pace);
    wire().frame(0x22, Bytes{0x00, 0xff});
    EXPECT_EQ(story(), Story{"no id !sync"}) << off;
    const Picoseconds sync = 10ms + Picoseconds{std::llround(17 * 1e12 / pace.commander)};
    EXPECT_NEAR(static_cast<double>((frame(0).time.end - sync - bits(10)).count()), 0.0, 2000.0)
        << "ten bits at the set rate";
  }
}

TEST_F(Lin, AnotherByteThanTheSyncByteIsWrongToo)
{
  wire().breakPulse(13, 1);
  wire().byte(0x56, 19200);
  wire().byte(0x11, 19200);
  wire().rest(60);
  wire().frame(0x11, Bytes{9});
  EXPECT_EQ(story(), (Story{"no id !sync", "11 09 =E5 enhanced"}));
}

TEST_F(Lin, ParityAndStopBitsAreJudgedAndTheRestIsRead)
{
  const Bytes data{0x01, 0x02};
  wire().header(rig::linPid(0x11) ^ 0x80);
  const std::uint8_t sum = rig::linSum(LinSum::Enhanced, rig::linPid(0x11) ^ 0x80, data);
  wire().response(Bytes{0x01, 0x02, sum});
  wire().rest(60);
  wire().header(rig::linPid(0x12));
  wire().rest(2);
  wire().byte(0x01, 19200, false);
  wire().rest(2);
  wire().byte(rig::linSum(LinSum::Enhanced, rig::linPid(0x12), Bytes{1}), 19200);
  const Story found = story();
  ASSERT_EQ(found.size(), 2U);
  EXPECT_EQ(found[0], "11 01 02 =" + hex(sum) + " enhanced !parity") << "the sum takes the identifier as sent";
  EXPECT_EQ(found[1],
            "12 01 =" + hex(rig::linSum(LinSum::Enhanced, rig::linPid(0x12), Bytes{1})) + " enhanced !framing");
}

TEST_F(Lin, TheSettingSaysWhichChecksumsMayFit)
{
  wire().frame(0x11, Bytes{1, 2}, LinSum::Classic);
  wire().rest(60);
  wire().frame(0x11, Bytes{1, 2}, LinSum::Enhanced);
  wire().rest(60);
  wire().frame(0x3c, Bytes{1, 2}, LinSum::Classic);
  EXPECT_EQ(story(), (Story{"11 01 02 =FC classic", "11 01 02 =EB enhanced", "3C 01 02 =FC classic"}));
  setting("checksum", "enhanced");
  EXPECT_EQ(story(), (Story{"11 01 02 =FC !checksum", "11 01 02 =EB enhanced", "3C 01 02 =FC classic"}))
      << "diagnostic frames are classic whatever is set";
  setting("checksum", "classic");
  EXPECT_EQ(story(), (Story{"11 01 02 =FC classic", "11 01 02 =EB !checksum", "3C 01 02 =FC classic"}));
}

TEST_F(Lin, MoreThanEightDataBytesAreAFormError)
{
  wire().frame(0x11, Bytes(8, 7));
  wire().rest(60);
  wire().frame(0x11, Bytes(9, 7));
  const Story found = story();
  ASSERT_EQ(found.size(), 2U);
  EXPECT_EQ(found[0].find('!'), std::string::npos);
  EXPECT_NE(found[1].find("enhanced !form"), std::string::npos) << found[1];
}

TEST_F(Lin, AHeaderThatNobodyAnswers)
{
  wire().header(rig::linPid(0x21));
  EXPECT_EQ(story(), Story{"21 !no-response"});
  EXPECT_TRUE(linFrame(frame(0)).hasData) << "an empty one";
  EXPECT_EQ(story(1ms), Story{"21 !incomplete"}) << "the capture ends before forty bits of rest";
  wire().rest(20);
  wire().frame(0x11, Bytes{9});
  EXPECT_EQ(story(), (Story{"21 !no-response", "11 09 =E5 enhanced"})) << "the next break says it sooner";
}

TEST_F(Lin, AResponseOfOneByteIsDataWithoutAChecksum)
{
  wire().header(rig::linPid(0x21));
  wire().response(Bytes{0x42});
  EXPECT_EQ(story(), Story{"21 42 !incomplete"});
  EXPECT_FALSE(linFrame(frame(0)).hasChecksum);
}

TEST_F(Lin, AResponseMayComeFortyBitsLateAndNoLater)
{
  for (const double late : {39.0, 41.0}) {
    rig::LinPace pace;
    pace.responseSpace = late;
    use(pace);
    wire().frame(0x11, Bytes{9});
    EXPECT_EQ(story(), late < 40 ? Story{"11 09 =E5 enhanced"} : Story{"11 !no-response"}) << late;
  }
}

TEST_F(Lin, WithoutAnIdentifierItIsUnfinished)
{
  wire().breakPulse(13, 1);
  wire().byte(0x55, 19200);
  const Picoseconds end = wire().now();
  EXPECT_EQ(story(), Story{"no id !incomplete"});
  EXPECT_NEAR(static_cast<double>((frame(0).time.end - end).count()), 0.0, 2000.0) << "the end of the sync byte";
}

TEST_F(Lin, ABreakInsideAByteCutsTheFrame)
{
  wire().header(rig::linPid(0x11));
  wire().response(Bytes{0x01, 0x02});
  wire().low(bits(1));
  wire().rest(2);
  const Picoseconds cut = wire().now();
  wire().frame(0x12, Bytes{3});
  EXPECT_EQ(story(), (Story{"11 01 02 !incomplete", "12 03 =6A enhanced"})) << "no checksum of what was cut";
  EXPECT_EQ(frame(0).time.end, std::chrono::round<std::chrono::nanoseconds>(cut));
}

TEST_F(Lin, TheCapturesEndInsideAByteCutsTheFrame)
{
  wire().header(rig::linPid(0x11));
  wire().response(Bytes{0x01, 0x02});
  wire().low(bits(2));
  EXPECT_EQ(story(bits(3)), Story{"11 01 02 !incomplete"});
  EXPECT_EQ(frame(0).time.end, m_input.until);
}

TEST_F(Lin, ALowThatDoesNotEndCutsTheFrameAndTheRestBeforeItIsNoWakeUp)
{
  wire().header(rig::linPid(0x11));
  wire().response(Bytes{0x01, 0x02});
  wire().rest(12);
  wire().low(bits(30));
  std::vector<std::int64_t> edges = timesOf(wire().track());
  edges.pop_back();
  const FrameIndex frames = decodeAll(m_bus, {{trackOf(true, edges)}, wire().now(), true});
  ASSERT_EQ(frames.size(), 1U);
  EXPECT_EQ(frames.frame(0).errors, errorBit(LinError::Incomplete));
}

TEST_F(Lin, APulseThatStandsAloneIsAWakeUp)
{
  for (const auto length : {250us, 300us, 1000us, 5000us}) {
    wire().low(length);
    wire().rest(200);
  }
  for (const auto length : {240us, 5100us}) {
    wire().low(length);
    wire().rest(200);
  }
  EXPECT_EQ(story(), Story(4, "wakeup")) << "and neither what is shorter nor what is longer";
  EXPECT_EQ(frame(0).time, (TimeRange{10ms, 10ms + 250us}));
}

TEST_F(Lin, AWakeUpIsFollowedByFortyBitsOfRestBehindTheTenOfAByte)
{
  // 250 us are five bits: what comes within fifty bits of its begin makes it a byte's start. Ten and forty.
  for (const double apart : {49.5, 50.5}) {
    use({});
    wire().low(250us);
    wire().waitUntil(10ms + bits(apart));
    wire().low(100us);
    EXPECT_EQ(story(), apart < 50 ? Story{} : Story{"wakeup"}) << apart;
  }
}

TEST_F(Lin, ABreakWithNoByteBehindItIsAWakeUpWhenItsLengthFits)
{
  wire().breakPulse(13, 1);
  wire().rest(100);
  wire().breakPulse(150, 1);
  wire().rest(100);
  wire().breakPulse(13, 1);
  wire().rest(10);
  wire().frame(0x11, Bytes{9});
  EXPECT_EQ(story(), (Story{"wakeup", "wakeup", "11 09 =E5 enhanced"})) << "7.8 ms are too long; a break is no byte";
}

TEST_F(Lin, BytesWithoutABreakAreNotShownNorIsALongLowInThemAWakeUp)
{
  for (const std::uint8_t b : Bytes{0x12, 0xf0, 0x80, 0x00, 0x55})
    wire().byte(b, 19200);
  wire().rest(60);
  wire().byte(0xf0, 19200);  // a pulse of 260 µs, but others follow
  wire().byte(0x33, 19200);
  wire().rest(60);
  EXPECT_EQ(story(), Story{});
  wire().low(300us);
  EXPECT_EQ(story(), Story{"wakeup"}) << "the line has rested before it";
}

TEST_F(Lin, ALowThatTheCaptureBeginsInHasNoBegin)
{
  rig::Wire line(false);
  line.drive(3ms, true);
  m_input = {{line.track()}, 20ms, true};
  EXPECT_EQ(decodeAll(m_bus, m_input).size(), 0U);
}

TEST_F(Lin, SpikesOnTheWireFlipNoBit)
{
  wire().frame(0x11, Bytes{0x0f, 0xf0, 0x5a});
  const Story clean = story();
  const EdgeTrack track = m_wire->track();
  // Four microseconds in the middle of a bit: one look in three sees it.
  EdgeTrackBuilder dirty;
  dirty.set(0, true);
  for (std::uint64_t i = 0; i < track.size(); ++i) {
    dirty.toggle(track.at(i).count());
    const Picoseconds gap = i + 1 < track.size() ? track.at(i + 1) - track.at(i) : Picoseconds{0};
    if (i > 12 && gap > bits(0.9) && gap < bits(1.1)) {
      dirty.toggle((track.at(i) + bits(0.47)).count());
      dirty.toggle((track.at(i) + bits(0.55)).count());
    }
  }
  m_input.tracks[0].track = dirty.snapshot();
  m_frames = decodeAll(m_bus, m_input);
  ASSERT_EQ(m_frames.size(), 1U);
  EXPECT_EQ(linProtocol().errorWords(frame(0).errors).size(), 0U);
  EXPECT_EQ(clean.size(), 1U);
}

TEST_F(Lin, PiecesGiveWhatTheWholeGives)
{
  std::mt19937_64 random(5);
  for (int i = 0; i < 12; ++i) {
    Bytes data(1 + random() % 9);
    for (std::uint8_t& b : data)
      b = static_cast<std::uint8_t>(random());
    switch (random() % 6) {
      case 0:
        wire().header(rig::linPid(static_cast<std::uint8_t>(random() % 64)));
        break;
      case 1:
        wire().low(Picoseconds{static_cast<std::int64_t>(random() % 6000) * 1000000});
        break;
      case 2:
        wire().byte(static_cast<std::uint8_t>(random()), 19200, random() % 2 == 0);
        break;
      default:
        wire().frame(static_cast<std::uint8_t>(random() % 64), data,
                     random() % 2 == 0 ? LinSum::Classic : LinSum::Enhanced);
    }
    wire().rest(static_cast<double>(random() % 90));
  }
  story();
  for (std::uint64_t seed = 0; seed < 40; ++seed)
    ASSERT_EQ(textsOf(decodeInPieces(m_bus, m_input, seed)), textsOf(m_frames)) << seed;
}

TEST_F(Lin, AutoFindsTheRateBySyncBytes)
{
  for (const double rate : {2400.0, 9600.0, 10417.0, 19200.0, 20000.0, 15000.0}) {
    rig::LinPace pace;
    pace.commander = rate * 1.004;
    pace.responder = rate * 0.99;
    use(pace);
    for (std::uint8_t id = 0; id < 8; ++id) {
      wire().frame(id, Bytes{id, 0x55, 0xaa});
      wire().rest(50);
    }
    const double found = findLinRate({{wire().track()}, wire().now(), true});
    EXPECT_NEAR(found, rate == 15000.0 ? 14400.0 : rate, 700.0) << rate;
    if (rate != 15000.0) {
      EXPECT_DOUBLE_EQ(found, rate);
    }
  }
  EXPECT_EQ(findLinRate({{wave("#_#_##__#", 10us)}, 1ms, true}), 0.0);
  Capture capture;
  capture.channels.push_back({"lin", "lin", wave("#_#", 1ms)});
  capture.end = 5ms;
  const auto resolved = resolveBus(*parseBusSpec("l=lin,rx=lin,baud=auto"), capture);
  ASSERT_FALSE(resolved);
  EXPECT_EQ(resolved.error().text(),
            "bus l: the baud cannot be found: no sync byte follows a break; give it, like baud=19200");
}

TEST_F(Lin, OpensToIdentifierBytesAndChecksum)
{
  wire().frame(0x21, Bytes{0x01, 0x5a});
  ASSERT_EQ(story().size(), 1U);
  const Anatomy a = anatomyOf(m_bus, m_input, m_frames, 0);
  Story fields;
  for (const Field& f : a.fields)
    fields.push_back(std::string(f.name) + " " + hex(f.value) + " " + std::to_string(f.bitCount));
  EXPECT_EQ(fields,
            (Story{"break 00 0", "sync 55 8", "identifier 21 6", "parity 01 2", " 01 8", " 5A 8", "checksum 43 8"}));
  EXPECT_EQ(a.bits.size(), 50U);
  for (const Bit& bit : a.bits) {
    if (bit.actual > Picoseconds{0}) {
      EXPECT_NEAR(static_cast<double>(bit.actual.count()), static_cast<double>(bit.nominal.count()), 2000.0);
    }
  }
  // Pointing at a bit of a data byte shows that byte's ten.
  const auto [first, end] = linProtocol().bitsAround(a, a.fields[4].time.begin + 1us);
  EXPECT_EQ(first, 20U);
  EXPECT_EQ(end, 30U);
  EXPECT_EQ(linProtocol().bitsAround(a, frame(0).time.begin), (Protocol::BitRange{10, 20})) << "the identifier's";
  EXPECT_EQ(linProtocol().bitsAround(a, a.bits.back().cell.end), (Protocol::BitRange{40, 50})) << "the last";
}

TEST_F(Lin, IsPutInWords)
{
  wire().frame(0x11, Bytes{0x21, 0xc8});
  wire().rest(60);
  wire().frame(0x3c, Bytes{0x01}, LinSum::Classic);
  wire().rest(60);
  wire().header(rig::linPid(0x21));
  wire().rest(60);
  wire().low(300us);
  wire().rest(100);
  wire().breakPulse(13, 1);
  wire().byte(0x56, 19200);
  wire().rest(60);
  wire().header(rig::linPid(0x22) ^ 0x40);
  wire().response(Bytes{1, 2, 3});
  story();
  const Transactions transactions(m_bus, m_frames);
  Story said;
  for (std::uint64_t i = 0; i < transactions.size(); ++i)
    said.push_back(sentenceOf(m_bus, transactions, i).text());
  EXPECT_EQ(said, (Story{"11 21 C8", "3C 01 classic", "no response · 21 ", "wake-up, 300.0 µs low",
                         "sync byte is wrong · no identifier",
                         "identifier's parity is wrong, checksum is wrong · 22 01 02"}));
  Story lines;
  for (std::uint64_t d = 0; d < detailCount(m_bus, transactions, 5); ++d) {
    const Detail detail = detailAt(m_bus, transactions, 5, d);
    lines.push_back(detail.name + " " + detail.value + " " + detail.meaning + (detail.wrong ? " !" : ""));
  }
  EXPECT_EQ(lines,
            (Story{"identifier 22 sent as A2, parity is wrong !", "byte 0 01 ", "byte 1 02 ", "checksum 03 wrong !"}));
}

TEST_F(Lin, FramesAsFilesHaveThem)
{
  wire().frame(0x2a, Bytes{0xd6});
  ASSERT_EQ(story().size(), 1U);
  EXPECT_EQ(test::frameRecord(frame(0), {&m_bus, ""}, FrameFormat::Jsonl)
                    .substr(37 + 0)
                    .find("\"id\":42,\"pid\":106,\"data\":\"d6\",\"checksum\":190,\"checksum_model\":\"enhanced\"}") !=
                std::string::npos,
            true);
  const std::string head = FrameWriter(FrameFormat::Csv, {&linProtocol()}).header();
  EXPECT_NE(head.find(",ack,pid,checksum,checksum_model"), std::string::npos) << head;
  EXPECT_EQ(FrameWriter(FrameFormat::Csv, {&uartProtocol()}).header().find("pid"), std::string::npos)
      << "a file without such a bus has no such columns";
}
