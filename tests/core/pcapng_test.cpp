#include "core/format/pcapng_reader.h"

#include <pcap/pcap.h>

#include <bit>
#include <fstream>

#include "core/decode/bus_spec.h"
#include "core/format/capture_format.h"
#include "core/format/vcd_reader.h"
#include "core/store/session_store.h"
#include "support/packet_file.h"
#include "support/sessions.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

constexpr std::uint64_t kMarch2031 = 1931494320;  // 2031-03-17T06:12:00Z

class Pcapng : public ::testing::Test {
 protected:
  Result<Capture> read(const std::string& content, const std::string& name = "log.pcapng")
  {
    put(m_folder / name, content);
    NoProgress none;
    return readCapture(m_folder / name, {}, {}, none);
  }
  Result<void> write(const Capture& capture, const std::string& name, const std::vector<Bus>& buses = {})
  {
    return writeCapture(capture, m_folder / name, {0, buses});
  }
  Result<Capture> again(const std::string& name) { return read(contentOf(m_folder / name), name); }
  std::string errorOf(const std::string& content)
  {
    const auto capture = read(content);
    return capture ? std::string() : capture.error().text().substr(m_folder.operator/("").size());
  }

  Folder m_folder;
};

/// Each record's time and bytes.
std::vector<std::pair<std::int64_t, Bytes>> recordsOf(const Channel& channel)
{
  std::vector<std::pair<std::int64_t, Bytes>> records;
  for (const auto& chunk : channel.records->chunks()) {
    const auto block = chunk->block();
    for (std::size_t i = 0; i < block->size(); ++i)
      records.emplace_back(block->record(i).time.count(),
                           Bytes(block->record(i).bytes.begin(), block->record(i).bytes.end()));
  }
  return records;
}

std::vector<std::int64_t> momentsOf(const Channel& channel)
{
  std::vector<std::int64_t> times;
  for (const auto& [time, bytes] : recordsOf(channel))
    times.push_back(time);
  return times;
}

const Bytes kRecord = canRecord(0x123, {1, 2, 3});

}  // namespace

TEST_F(Pcapng, EitherByteOrder)
{
  for (const bool big : {false, true}) {
    BlockFile file(big);
    file.named("vcan1").packet(0, kMarch2031 * 1000000 + 250000, kRecord).packet(0, kMarch2031 * 1000000 + 250007, {});
    const auto capture = read(file.content);
    ASSERT_TRUE(capture) << capture.error().text();
    ASSERT_EQ(capture->channels.size(), 1U);
    EXPECT_EQ(capture->channels[0].name, "vcan1");
    EXPECT_EQ(capture->source, "log.pcapng");
    EXPECT_EQ(capture->startedAt, "2031-03-17T06:12:00.250Z");
    EXPECT_EQ(capture->tick, 1us);
    EXPECT_EQ(capture->end, 7us + 1ms);
    EXPECT_TRUE(capture->notes.empty());
    const std::vector<std::pair<std::int64_t, Bytes>> wanted{{0, kRecord}, {7000000, {}}};
    EXPECT_EQ(recordsOf(capture->channels[0]), wanted);
  }
}

TEST_F(Pcapng, TimesOfEveryResolution)
{
  struct Case {
    std::uint8_t resolution;
    std::uint64_t first;
    std::uint64_t second;
    std::int64_t distance;  // in ps
    Picoseconds tick;
  };
  for (const bool big : {false, true}) {
    for (const Case& c :
         {Case{0, 1931494320, 1931494323, 3000000000000, 1s}, Case{3, 1931494320000, 1931494320012, 12000000000, 1ms},
          Case{9, 1931494320000000000, 1931494320000000001, 1000, 1ns}, Case{12, 5000, 5123, 123, Picoseconds{1}},
          Case{15, 5000000, 5123000, 123, Picoseconds{1}},
          Case{0x80 | 10, 1931494320ULL << 10U, (1931494320ULL << 10U) + 512, 500000000000, Picoseconds{976562500}},
          Case{0x80 | 32, 1931494320ULL << 32U, (1931494320ULL << 32U) + 1, 233, Picoseconds{233}}}) {
      BlockFile file(big);
      file.interface(227, file.option(9, std::string(1, static_cast<char>(c.resolution))) + file.option(0, {}));
      file.packet(0, c.first, kRecord).packet(0, c.second, kRecord);
      const auto capture = read(file.content);
      ASSERT_TRUE(capture) << capture.error().text();
      const auto times = momentsOf(capture->channels[0]);
      EXPECT_EQ(times.at(1) - times.at(0), c.distance) << int{c.resolution};
      EXPECT_EQ(capture->tick, c.tick) << int{c.resolution};
    }
    // An offset in seconds.
    BlockFile file(big);
    file.interface(227, file.option(14, file.number(kMarch2031, 8)) + file.option(0, {})).packet(0, 1500000, kRecord);
    EXPECT_EQ(read(file.content)->startedAt, "2031-03-17T06:12:01.500Z");
  }
}

TEST_F(Pcapng, InterfacesAreChannels)
{
  BlockFile file;
  file.named("can0").named("eth0", 1).named("can1").interface(227).interface(227);
  file.packet(2, 5000000, kRecord).packet(0, 3000000, kRecord).packet(1, 3000000, {1}).packet(0, 4000000, kRecord);
  file.packet(4, 4000000, kRecord);
  // The same again, as when two files are put one behind the other.
  file.section().named("can0").packet(0, 9000000, kRecord);
  const auto capture = read(file.content);
  ASSERT_TRUE(capture) << capture.error().text();
  std::vector<std::string> names;
  for (const Channel& channel : capture->channels)
    names.push_back(channel.name);
  EXPECT_EQ(names, (std::vector<std::string>{"can0", "can1", "can2", "can3"}));
  EXPECT_EQ(momentsOf(capture->channels[0]), (std::vector<std::int64_t>{3000000000000, 4000000000000, 9000000000000}))
      << "near 1970 times count from a begin that nobody knows";
  EXPECT_EQ(momentsOf(capture->channels[1]).size(), 1U) << "interfaces need not be in one order";
  EXPECT_EQ(capture->startedAt, "");
  EXPECT_EQ(capture->notes,
            std::vector<std::string>{"packets of eth0 that are passed over, because no protocol reads link type 1: 1"});
}

TEST_F(Pcapng, InterfacesOfOneNameAreOnesOfTwoRecordersInOneSection)
{
  BlockFile file;
  file.named("can0").named("can0").packet(0, 1000, kRecord).packet(1, 2000, kRecord);
  file.section().named("can0").named("can0").packet(1, 3000, kRecord);
  const auto capture = read(file.content);
  ASSERT_TRUE(capture) << capture.error().text();
  ASSERT_EQ(capture->channels.size(), 2U);
  EXPECT_EQ(capture->channels[0].name, "can0");
  EXPECT_EQ(capture->channels[1].name, "can0 2");
  EXPECT_EQ(momentsOf(capture->channels[0]).size(), 1U);
  EXPECT_EQ(momentsOf(capture->channels[1]).size(), 2U) << "the second again";
}

TEST_F(Pcapng, MoreInterfacesThanAnybodyHasAreRefused)
{
  BlockFile file;
  for (int i = 0; i < 256; ++i)
    file.named("can0");
  EXPECT_EQ(read(file.content)->channels.size(), 256U);
  file.named("can0");
  EXPECT_NE(errorOf(file.content).find("there are more than 256 interfaces in it"), std::string::npos);
}

TEST_F(Pcapng, WhatTheRecorderSays)
{
  BlockFile file;
  file.named("can0").packet(0, kMarch2031 * 1000000 + 2000000, kRecord);
  const auto time = [&](std::uint64_t micro) { return file.highLow(kMarch2031 * 1000000 + micro); };
  file.block(5, file.number(0, 4) + time(9000000) + file.option(2, time(500000)) + file.option(3, time(9000000)) +
                    file.option(5, file.number(42, 8)) + file.option(0, {}));
  const auto capture = read(file.content);
  ASSERT_TRUE(capture) << capture.error().text();
  EXPECT_EQ(capture->startedAt, "2031-03-17T06:12:00.500Z");
  EXPECT_EQ(momentsOf(capture->channels[0]), std::vector<std::int64_t>{1500000000000});
  EXPECT_EQ(capture->end, 8500ms);
  EXPECT_EQ(capture->notes, std::vector<std::string>{"frames of can0 that the recorder lost: 42"});
}

TEST_F(Pcapng, OtherBlocksArePassedOver)
{
  BlockFile file;
  file.block(0x0BAD, "custom").named("can0").block(4, std::string(16, '\1'));
  file.block(3, file.number(3, 4) + "abc");  // simple: without a time
  const std::string size = file.number(kRecord.size(), 4);
  file.block(2, file.number(0, 2) + file.number(7, 2) + file.highLow(5) + size + size +
                    std::string(kRecord.begin(), kRecord.end()));
  const auto capture = read(file.content);
  ASSERT_TRUE(capture) << capture.error().text();
  EXPECT_EQ(recordsOf(capture->channels[0]), (std::vector<std::pair<std::int64_t, Bytes>>{{5000000, kRecord}}));
  EXPECT_EQ(capture->notes, std::vector<std::string>{"1 packet has no time, and so no place; it is passed over"});
}

TEST_F(Pcapng, ABrokenOffFileIsReadUpToThere)
{
  BlockFile file;
  file.named("can0");
  const std::size_t head = file.content.size();
  file.packet(0, 10, kRecord);
  const std::size_t one = file.content.size();
  file.packet(0, 20, kRecord);
  for (std::size_t size = one; size < file.content.size(); ++size) {
    const auto capture = read(file.content.substr(0, size));
    ASSERT_TRUE(capture) << size << capture.error().text();
    EXPECT_EQ(momentsOf(capture->channels[0]).size(), 1U);
    EXPECT_EQ(capture->notes.empty(), size == one);
  }
  EXPECT_EQ(read(file.content.substr(0, one) + std::string(3000000, '\0'))->notes,
            std::vector<std::string>{"the file breaks off inside a block; what is before it is here"});
  const auto empty = read(file.content.substr(0, head));
  ASSERT_TRUE(empty) << "an interface that heard nothing";
  EXPECT_EQ(empty->channels[0].records->size(), 0U);
}

TEST_F(Pcapng, DamageIsSaidWithItsByte)
{
  BlockFile file;
  file.named("can0");
  const std::size_t at = file.content.size();
  const std::string where = "log.pcapng, byte " + std::to_string(at) + ": the file is damaged: ";
  const std::string mend = "; get it again from where it was copied from";
  const auto changed = [&](std::size_t offset, std::uint32_t value) {
    BlockFile whole;
    whole.named("can0").packet(0, 10, kRecord).packet(0, 11, kRecord);
    whole.content.replace(at + offset, 4, whole.number(value, 4));
    return errorOf(whole.content);
  };
  EXPECT_EQ(changed(4, 7), where + "there is no block where one should begin" + mend);
  EXPECT_EQ(changed(4, 0), where + "there is no block where one should begin" + mend);
  EXPECT_EQ(changed(4, 0x7FFFFFF0), where + "there is no block where one should begin" + mend);
  EXPECT_EQ(changed(4, 44), where + "there is no block where one should begin" + mend) << "no length behind it";
  EXPECT_EQ(changed(8, 1), where + "the block does not hold what it should" + mend) << "no such interface";
  EXPECT_EQ(changed(20, 99), where + "the block does not hold what it should" + mend) << "more bytes than there are";
  for (const std::string& statistics : {file.number(1, 4) + file.number(0, 8), file.number(0, 4)}) {
    BlockFile odd;
    odd.named("can0").packet(0, 10, kRecord).block(5, statistics);
    EXPECT_NE(errorOf(odd.content).find("the block does not hold what it should"), std::string::npos)
        << "of no interface, or too short";
  }
  BlockFile zeros;
  zeros.named("can0").packet(0, 10, kRecord);
  zeros.content += std::string(100, '\0') + "x";
  EXPECT_NE(errorOf(zeros.content), "") << "zeros and something behind them are no room that was left";
}

TEST_F(Pcapng, FilesWithoutFramesSayWhatIsMissing)
{
  for (const char* const odd : {"", "xx"})
    EXPECT_EQ(errorOf(odd), "log.pcapng: it does not begin like a file of packets; choose another file");
  const std::string mend = "; record an interface of link type 227 (CAN)";
  EXPECT_EQ(errorOf(BlockFile().content), "log.pcapng: there is no interface in it" + mend);
  BlockFile file;
  file.named("eth0", 1).packet(0, 1, {1, 2});
  EXPECT_EQ(errorOf(file.content), "log.pcapng: its packets are of link type 1, which no protocol reads" + mend);
}

TEST_F(Pcapng, AClockThatWasSetMakesNoHole)
{
  BlockFile file;
  file.named("can0").named("can1");
  const std::uint64_t later = kMarch2031 * 1000000;
  file.packet(0, 1000, kRecord).packet(1, 1500, kRecord).packet(0, 2000, kRecord);
  file.packet(0, later, kRecord).packet(1, later + 100, kRecord);  // it heard what time it is
  file.packet(0, later - 3000000, kRecord).packet(0, later - 2999000, kRecord);
  const auto capture = read(file.content);
  ASSERT_TRUE(capture) << capture.error().text();
  EXPECT_EQ(momentsOf(capture->channels[0]),
            (std::vector<std::int64_t>{1000000000, 2000000000, 2000000000, 2100000000, 3100000000}));
  EXPECT_EQ(momentsOf(capture->channels[1]), (std::vector<std::int64_t>{1500000000, 2100000000}));
  EXPECT_EQ(capture->notes,
            std::vector<std::string>{"the recorder's clock was set 2 times meanwhile; times go on without the steps"});
}

TEST_F(Pcapng, ALittleOutOfOrderIsPutInOrder)
{
  BlockFile file;
  file.named("can0").packet(0, 5000, kRecord).packet(0, 4000, {}).packet(0, 6000, kRecord);
  const auto capture = read(file.content);
  EXPECT_EQ(momentsOf(capture->channels[0]), (std::vector<std::int64_t>{4000000000, 5000000000, 6000000000}));
  EXPECT_EQ(capture->notes,
            std::vector<std::string>{"frames of can0 that stood behind later ones and are in order here: 1"});
}

TEST_F(Pcapng, FramesTooFarApartAreRefused)
{
  BlockFile file;
  file.named("can0");
  const std::uint64_t day = 86400ULL * 1000000;
  for (std::uint64_t i = 0; i < 4; ++i)
    file.packet(0, kMarch2031 * 1000000 + i * 40 * day, kRecord);
  EXPECT_EQ(errorOf(file.content), "log.pcapng: its frames are more than 100 days apart; save it in several files");
}

TEST_F(Pcapng, ReadWrittenAndReadIsTheSame)
{
  BlockFile file;
  file.named("can0").named("can1");
  for (std::uint64_t i = 0; i < 3000; ++i)
    file.packet(static_cast<std::uint32_t>(i % 2), kMarch2031 * 1000000 + i * 997,
                canRecord(static_cast<std::uint32_t>(i), Bytes(i % 9)));
  const auto capture = read(file.content);
  for (const char* const name : {"b.pcapng", "b.pcapng.gz"}) {
    ASSERT_TRUE(write(*capture, name));
    const auto twice = again(name);
    ASSERT_TRUE(twice) << twice.error().text();
    EXPECT_EQ(twice->startedAt, capture->startedAt);
    EXPECT_EQ(twice->end, capture->end);
    ASSERT_EQ(twice->channels.size(), 2U);
    for (std::size_t i = 0; i < 2; ++i) {
      EXPECT_EQ(twice->channels[i].path, capture->channels[i].path);
      EXPECT_EQ(recordsOf(twice->channels[i]), recordsOf(capture->channels[i]));
    }
  }
  // Through a session.
  SessionFile session;
  session.segments.push_back({"log", capture->startedAt, "", true, std::make_shared<const Capture>(*capture)});
  NoProgress none;
  ASSERT_TRUE(writeSession(m_folder / "c.bexto", session, {}, none));
  const auto opened = SessionStore::open(m_folder / "c.bexto");
  ASSERT_TRUE(write(*opened->file.segments[0].capture, "c.pcapng"));
  EXPECT_EQ(contentOf(m_folder / "c.pcapng"), contentOf(m_folder / "b.pcapng"));
  EXPECT_EQ(write(*capture, "b.pcap").error().message, "there are 2 interfaces, and a .pcap file has one");
  Capture single = *capture;
  single.channels.pop_back();
  for (const char* const name : {"b.pcap", "b.pcap.gz"}) {
    ASSERT_TRUE(write(single, name));
    const auto older = again(name);
    ASSERT_TRUE(older) << older.error().text();
    EXPECT_EQ(recordsOf(older->channels[0]), recordsOf(single.channels[0]));
    EXPECT_EQ(older->startedAt, capture->startedAt);
    EXPECT_EQ(older->channels[0].name, "can0");
  }
}

TEST_F(Pcapng, WhatIsWrittenAnotherReaderReads)
{
  BlockFile file;
  file.named("can0");
  for (std::uint64_t i = 0; i < 100; ++i)
    file.packet(0, kMarch2031 * 1000000 + i * 1001, canRecord(static_cast<std::uint32_t>(i), Bytes(i % 9)));
  const auto capture = read(file.content);
  for (const char* const name : {"x.pcapng", "x.pcap"}) {
    ASSERT_TRUE(write(*capture, name));
    std::array<char, PCAP_ERRBUF_SIZE> why{};
    pcap_t* const pcap =
        pcap_open_offline_with_tstamp_precision((m_folder / name).c_str(), PCAP_TSTAMP_PRECISION_NANO, why.data());
    ASSERT_NE(pcap, nullptr) << why.data();
    EXPECT_EQ(pcap_datalink(pcap), 227);
    pcap_pkthdr* header = nullptr;
    const u_char* bytes = nullptr;
    std::uint64_t packets = 0;
    for (; pcap_next_ex(pcap, &header, &bytes) == 1; ++packets) {
      EXPECT_EQ(static_cast<std::uint64_t>(header->ts.tv_sec), kMarch2031);
      EXPECT_EQ(static_cast<std::uint64_t>(header->ts.tv_usec), packets * 1001000);
      EXPECT_EQ(Bytes(bytes, bytes + header->caplen),
                canRecord(static_cast<std::uint32_t>(packets), Bytes(packets % 9)));
    }
    EXPECT_EQ(packets, 100U);
    pcap_close(pcap);
  }
}

TEST_F(Pcapng, TheOlderFormInEveryVariant)
{
  for (const bool big : {false, true}) {
    for (const bool nano : {false, true}) {
      const BlockFile order(big);
      std::string content = order.number(nano ? 0xA1B23C4D : 0xA1B2C3D4, 4) + order.number(2, 2) + order.number(4, 2) +
                            order.number(0, 8) + order.number(65535, 4) + order.number(227, 4);
      const std::size_t head = content.size();
      for (const std::uint64_t at : {5U, 12U})
        content += order.number(kMarch2031, 4) + order.number(at, 4) + order.number(kRecord.size(), 4) +
                   order.number(kRecord.size(), 4) + std::string(kRecord.begin(), kRecord.end());
      const auto capture = read(content, "log.pcap");
      ASSERT_TRUE(capture) << capture.error().text();
      EXPECT_EQ(momentsOf(capture->channels.at(0)), (std::vector<std::int64_t>{0, nano ? 7000 : 7000000}));
      EXPECT_EQ(capture->channels[0].name, "can0");
      EXPECT_EQ(recordsOf(capture->channels[0])[1].second, kRecord);
      const auto cut = read(content.substr(0, content.size() - 3), "log.pcap");
      ASSERT_TRUE(cut) << cut.error().text();
      EXPECT_EQ(momentsOf(cut->channels[0]).size(), 1U);
      EXPECT_EQ(cut->notes, std::vector<std::string>{"the file breaks off inside a packet; what is before it is here"});
      EXPECT_EQ(read(content.substr(0, head - 4), "log.pcap").error().code, ErrorCode::Malformed);
      content.replace(head + 8, 4, order.number(0x7FFFFFFF, 4));
      EXPECT_EQ(read(content, "log.pcap").error().code, ErrorCode::Malformed);
    }
  }
}

TEST_F(Pcapng, BusesOnWiresBecomePackets)
{
  for (const char* const sample :
       {"can_std_500k", "canfd_iso_500k_2M", "can_stuff_error", "can_overload", "can_no_ack", "can_end_mid"}) {
    NoProgress none;
    const std::string base = std::string(BEXTO_TEST_DATA) + "/" + sample;
    auto capture = readVcd(base + ".vcd", {}, none);
    std::string spec;
    std::getline(std::ifstream(base + ".cmd") >> std::ws, spec);
    const Bus bus = *parseBusSpec(spec);
    const auto resolved = resolveBus(bus, *capture);
    const FrameIndex frames = decodeStream(resolved->bus, inputOf(*capture, resolved->streams[0]), {})->frames;
    ASSERT_TRUE(write(*capture, "w.pcapng", {bus})) << sample;
    const auto packets = again("w.pcapng");
    ASSERT_TRUE(packets) << packets.error().text();
    EXPECT_EQ(packets->end, Picoseconds{capture->end.count() / 1000 * 1000});
    const Bus own = busesOfRecords(*packets, {}).at(0);
    EXPECT_EQ(own.name, bus.name);
    const auto read = resolveBus(own, *packets);
    const FrameIndex back = decodeStream(read->bus, inputOf(*packets, read->streams[0]), {})->frames;
    std::uint64_t next = 0;
    for (std::uint64_t i = 0; i < frames.size(); ++i) {
      const auto before = nlohmann::json::parse(frameRecord(frames.frame(i), {&bus, ""}, FrameFormat::Jsonl));
      if (before["errors"] == nlohmann::json::array({"incomplete"}))
        continue;
      ASSERT_LT(next, back.size()) << sample;
      const auto after = nlohmann::json::parse(frameRecord(back.frame(next++), {&own, ""}, FrameFormat::Jsonl));
      EXPECT_EQ(after["start_ps"], before["start_ps"].get<std::int64_t>() / 1000 * 1000);
      if (before["errors"].empty()) {
        for (const char* const key : {"kind", "id", "extended", "format", "dlc", "data", "brs", "esi"})
          EXPECT_EQ(after.value(key, nlohmann::json()), before.value(key, nlohmann::json())) << sample << ' ' << key;
      } else {
        EXPECT_EQ(after["kind"], "error") << sample;
        EXPECT_EQ(after["errors"], before["errors"]) << sample;
      }
    }
    EXPECT_EQ(next, back.size());
  }
}

TEST_F(Pcapng, OnlyWhatHasFramesCanBeWritten)
{
  Capture wires = capturedFor(50, 2);
  EXPECT_EQ(write(wires, "a.pcapng").error().message,
            "a file of packets holds frames, and no bus says how to get them");
  EXPECT_EQ(write(wires, "a.pcapng", {*parseBusSpec("s=i2c,scl=w0,sda=w1")}).error().message,
            "files of packets have no place for frames of I2C");
  EXPECT_TRUE(
      write(wires, "a.pcapng", {*parseBusSpec("s=i2c,scl=w0,sda=w1"), *parseBusSpec("d=can,rx=w0,bitrate=500000")}))
      << "a session may have buses of both sorts";
  EXPECT_FALSE(write(wires, "b.pcapng", {*parseBusSpec("d=can,rx=nowhere,bitrate=500000")}));
  EXPECT_FALSE(std::filesystem::exists(m_folder / "b.pcapng"));
  BlockFile file;
  file.named("can0").packet(0, 1, kRecord);
  const auto frames = read(file.content);
  for (const char* const name : {"a.vcd", "a.csv", "a.bin"})
    EXPECT_EQ(write(*frames, name).error().mend, "write .pcapng") << name;
  EXPECT_EQ(write(*frames, "a.txt").error().code, ErrorCode::BadArgument);
  EXPECT_EQ(write(*frames, "no/such/folder/a.pcapng").error().code, ErrorCode::Unwritable);
  EXPECT_EQ(write(*frames, "no/such/folder/a.pcap").error().code, ErrorCode::Unwritable);
}
