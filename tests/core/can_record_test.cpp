#include "core/protocol/can/can_record.h"

#include <linux/can.h>
#include <linux/can/error.h>

#include <random>

#include "core/decode/bus_spec.h"
#include "core/protocol/can/can_frame.h"
#include "core/protocol/can/can_words.h"
#include "core/query/scan.h"
#include "support/packet_file.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

StreamInput inputOf(const std::vector<std::pair<Picoseconds, Bytes>>& records, Picoseconds until = 1s)
{
  RecordLogBuilder builder;
  for (const auto& [time, bytes] : records)
    builder.add(time, bytes);
  StreamInput input{{EdgeTrack()}, until, true};
  input.records = builder.take(kCanLinkType);
  return input;
}

Bus canBus(const std::string& more = "bitrate=auto")
{
  return *parseBusSpec("drives=can,rx=can0," + more);
}

FrameIndex decoded(const Bus& bus, const StreamInput& input)
{
  return decodeStream(bus, input, {})->frames;
}

FrameIndex one(const Bytes& record)
{
  return decoded(canBus(), inputOf({{1us, record}}));
}

std::string saidOf(const FrameIndex& frames, std::uint64_t number = 0)
{
  const Bus bus = canBus();
  return sentenceOf(bus, Transactions::eachFrame(frames), number).text();
}

Bytes report(std::uint32_t classes, Bytes data = {})
{
  data.resize(CAN_ERR_DLC);
  return canRecord(CAN_ERR_FLAG | classes, data);
}

}  // namespace

TEST(CanRecord, IsAFrameWithWhatAControllerTells)
{
  const FrameIndex frames = one(canRecord(0x123, {1, 2, 3}));
  ASSERT_EQ(frames.size(), 1U);
  const Frame frame = frames.frame(0);
  EXPECT_EQ(frame.kind, kCanData);
  EXPECT_EQ(frame.errors, 0);
  EXPECT_EQ(frame.time.begin, 1us);
  EXPECT_TRUE(frame.time.empty()) << "no rate, no length";
  const CanFrame can = canFrame(frame);
  EXPECT_EQ(can.id, 0x123U);
  EXPECT_FALSE(can.extended);
  EXPECT_FALSE(can.fd);
  EXPECT_EQ(can.dlc, 3U);
  EXPECT_EQ(Bytes(can.data.begin(), can.data.end()), (Bytes{1, 2, 3}));
  EXPECT_FALSE(can.hasCrc);
  EXPECT_FALSE(can.hasAck);
  EXPECT_EQ(saidOf(frames), "123 [3]  01 02 03");
}

TEST(CanRecord, HeadersOfEveryForm)
{
  const auto of = [](const Bytes& record) { return saidOf(one(record)); };
  EXPECT_EQ(of(canRecord(CAN_EFF_FLAG | 0x1ABCDEF0, {})), "1ABCDEF0 [0]  ");
  EXPECT_EQ(of(canRecord(CAN_RTR_FLAG | 0x7FF, {0, 0, 0, 0})), "7FF remote [4]  ");
  EXPECT_EQ(of(canRecord(0x1, {9}, CANFD_FDF, 64)), "001 FD [1]  09");
  EXPECT_EQ(of(canRecord(0x1, {9}, CANFD_FDF | CANFD_BRS | CANFD_ESI, 64)), "001 FD BRS ESI [1]  09");
  EXPECT_EQ(of(canRecord(0x1, {9}, 0, 64)), "001 FD [1]  09") << "older files do not mark it, but take the room";
  EXPECT_EQ(of(canRecord(0x1, Bytes(12), 0, 12)).substr(0, 11), "001 FD [12]");
  EXPECT_EQ(of(canRecord(0x1, Bytes(64, 7), CANFD_FDF, 64)).substr(0, 11), "001 FD [64]");
  // Twelve bits beyond an identifier's eleven mean nothing.
  EXPECT_EQ(of(canRecord(0x00FFF123, {})), "123 [0]  ");
  const CanFrame long8 = canFrame(one(canRecord(0x1, Bytes(8), 0, 8, 13)).frame(0));
  EXPECT_EQ(long8.dlc, 13U) << "a DLC above 8 still has eight bytes";
  EXPECT_EQ(long8.data.size(), 8U);
  EXPECT_EQ(canFrame(one(canRecord(0x1, Bytes(13), CANFD_FDF, 64)).frame(0)).dlc, 10U) << "no DLC says 13: the next";
}

TEST(CanRecord, OfCanXlOnlyTheIdentifierIsRead)
{
  Bytes record{0, 0, 0x01, 0x23, CANXL_XLF, 3, 100, 0, 0, 0, 0, 7};
  record.resize(112);
  const FrameIndex frames = one(record);
  EXPECT_EQ(saidOf(frames), "123 CAN XL, not read ");
  EXPECT_FALSE(canFrame(frames.frame(0)).hasDlc);
  EXPECT_TRUE(frames.frame(0).payload.empty());
  Bytes again;
  EXPECT_FALSE(appendCanRecord(frames.frame(0), again));
}

TEST(CanRecord, WhatIsCutIsIncomplete)
{
  const Bytes whole = canRecord(0x123, {1, 2, 3, 4, 5, 6, 7, 8});
  for (std::size_t size = 0; size < whole.size(); ++size) {
    const FrameIndex frames = one(Bytes(whole.begin(), whole.begin() + static_cast<std::ptrdiff_t>(size)));
    ASSERT_EQ(frames.size(), 1U);
    EXPECT_EQ(frames.frame(0).errors, errorBit(CanError::Incomplete)) << size;
    EXPECT_EQ(canFaultText(frames.frame(0)), "cut in the recording");
    EXPECT_EQ(canFrame(frames.frame(0)).hasId, size >= 8) << size;
    EXPECT_EQ(canData(frames.frame(0)).size(), size < 8 ? 0 : size - 8);
  }
}

TEST(CanRecord, ReportsSayWhatWentWrong)
{
  const auto of = [](const Bytes& record) { return saidOf(one(record)); };
  EXPECT_EQ(of(report(CAN_ERR_BUSOFF)), "bus off · error frame");
  EXPECT_EQ(of(report(CAN_ERR_RESTARTED)), "controller started again · error frame");
  EXPECT_EQ(of(report(CAN_ERR_CRTL, {0, CAN_ERR_CRTL_TX_PASSIVE})), "error passive · error frame");
  EXPECT_EQ(of(report(CAN_ERR_LOSTARB, {9})), "arbitration lost at bit 9 · error frame");
  EXPECT_EQ(of(report(CAN_ERR_CNT, {0, 0, 0, 0, 0, 0, 96, 12})), "transmit errors 96, receive errors 12 · error frame");
  EXPECT_EQ(of(report(CAN_ERR_PROT | CAN_ERR_BUSERROR)), "bus error · error frame");
  EXPECT_EQ(of(report(CAN_ERR_PROT, {0, 0, CAN_ERR_PROT_BIT1 | CAN_ERR_PROT_TX})),
            "a recessive bit was read as dominant, while sending · error frame");
  const auto errorsOf = [](const Bytes& record) { return one(record).frame(0).errors; };
  EXPECT_EQ(errorsOf(report(CAN_ERR_ACK)), errorBit(CanError::Ack));
  EXPECT_EQ(errorsOf(report(CAN_ERR_PROT, {0, 0, CAN_ERR_PROT_STUFF})), errorBit(CanError::Stuff));
  EXPECT_EQ(errorsOf(report(CAN_ERR_PROT, {0, 0, CAN_ERR_PROT_FORM})), errorBit(CanError::Form));
  EXPECT_EQ(errorsOf(report(CAN_ERR_PROT, {0, 0, 0, CAN_ERR_PROT_LOC_CRC_SEQ})), errorBit(CanError::Crc));
  EXPECT_EQ(errorsOf(report(CAN_ERR_BUSOFF, {0, 0, CAN_ERR_PROT_FORM})), 0) << "no violation, whatever its bytes are";
  const FrameIndex overload = one(report(CAN_ERR_PROT, {0, 0, CAN_ERR_PROT_OVERLOAD}));
  EXPECT_EQ(overload.frame(0).kind, kCanOverload);
  EXPECT_TRUE(isFaulty(one(report(CAN_ERR_BUSOFF)).frame(0).kind, 0));
  EXPECT_EQ(one(Bytes{0x20, 0, 0, 0, 0, 0, 0, 0}).frame(0).kind, kCanError) << "of no class";
  EXPECT_EQ(of(Bytes{0x20, 0, 0, 0x08, 0, 0, 0, 0}), "error frame") << "cut before it says what";
}

TEST(CanRecord, FiltersFindReports)
{
  const Bus bus = canBus();
  const FrameIndex frames = decoded(bus, inputOf({{1us, canRecord(0x100, {1})},
                                                  {2us, report(CAN_ERR_BUSOFF)},
                                                  {3us, report(CAN_ERR_CRTL, {0, CAN_ERR_CRTL_RX_PASSIVE})}}));
  const auto found = [&](const std::string& filter) {
    const auto query = Query::parse(filter, {"drives"});
    return scanLines(*query, {{bus, "", Transactions::eachFrame(frames)}}, {})->front().size();
  };
  EXPECT_EQ(found("bus-off"), 1U);
  EXPECT_EQ(found("report:*passive*"), 1U);
  EXPECT_EQ(found("error"), 2U);
  EXPECT_EQ(found("id:100"), 1U);
  EXPECT_EQ(found("ack or nack"), 0U) << "nobody knows";
}

TEST(CanRecord, ARateGivesLengths)
{
  // Bits without stuff bits: 44 and eight a byte, 20 more with 29 bits of identifier.
  const auto lengthOf = [](const Bytes& record, const std::string& more) {
    const FrameIndex frames = decoded(canBus(more), inputOf({{1us, record}}));
    return frames.frame(0).time.length();
  };
  EXPECT_EQ(lengthOf(canRecord(1, {1, 2}), "bitrate=500000"), 60 * 2us);
  EXPECT_EQ(lengthOf(canRecord(CAN_EFF_FLAG | 1, {1, 2}), "bitrate=500000"), 80 * 2us);
  EXPECT_EQ(lengthOf(canRecord(CAN_RTR_FLAG | 1, {0, 0, 0}), "bitrate=500000"), 44 * 2us);
  // 17 up to BRS, then ESI, DLC, a byte, stuff count, CRC-17 and its stuff bits at the other rate, and 10 at the end.
  const Bytes fd = canRecord(1, {1}, CANFD_FDF | CANFD_BRS, 64);
  EXPECT_EQ(lengthOf(fd, "bitrate=500000,fd_bitrate=2000000"), 27 * 2us + 40 * 500ns);
  EXPECT_EQ(lengthOf(fd, "bitrate=500000,fd_bitrate=none"), 67 * 2us);
  // It ends where the next begins, and with the recording.
  const FrameIndex close =
      decoded(canBus("bitrate=500000"), inputOf({{1us, canRecord(1, {})}, {21us, canRecord(2, {})}}, 31us));
  EXPECT_EQ(close.frame(0).time.end, 21us);
  EXPECT_EQ(close.frame(1).time.end, 31us);
}

TEST(CanRecord, PiecesGiveWhatTheWholeGives)
{
  std::mt19937_64 random(5);
  std::vector<std::pair<Picoseconds, Bytes>> records;
  Picoseconds t{0};
  for (int i = 0; i < 400; ++i) {
    Bytes bytes(random() % 90);
    for (std::uint8_t& byte : bytes)
      byte = static_cast<std::uint8_t>(random());
    records.emplace_back(t += Picoseconds{static_cast<std::int64_t>(random() % 300000000)}, std::move(bytes));
  }
  const Bus bus = canBus("bitrate=500000");
  const StreamInput input = inputOf(records);
  const FrameIndex whole = decoded(bus, input);
  ASSERT_EQ(whole.size(), records.size()) << "a record is a frame, whatever is in it";
  const auto decoder = bus.protocol().decoder(bus, input);
  FrameIndexBuilder pieces;
  while (decoder->run(pieces, 1 + random() % 7)) {
  }
  const FrameIndex inPieces = pieces.snapshot();
  ASSERT_EQ(inPieces.size(), whole.size());
  for (std::uint64_t i = 0; i < whole.size(); ++i) {
    const Frame a = whole.frame(i);
    const Frame b = inPieces.frame(i);
    EXPECT_TRUE(a.time == b.time && a.kind == b.kind && a.errors == b.errors && a.key == b.key &&
                std::equal(a.payload.begin(), a.payload.end(), b.payload.begin(), b.payload.end()));
    EXPECT_FALSE(saidOf(whole, i).empty());
    EXPECT_GE(bus.protocol().detailCount(bus, a), 1U);
    EXPECT_TRUE(anatomyOf(bus, input, whole, i).fields.empty());
  }
}

TEST(CanRecord, WrittenAndReadAgainSaysTheSame)
{
  std::mt19937_64 random(11);
  for (int i = 0; i < 300; ++i) {
    const bool fd = random() % 2 == 0;
    const bool extended = random() % 2 == 0;
    Bytes data(canDataLength(static_cast<unsigned>(random() % 16), fd));
    for (std::uint8_t& byte : data)
      byte = static_cast<std::uint8_t>(random());
    const std::uint32_t id = static_cast<std::uint32_t>(random()) & (extended ? CAN_EFF_MASK : CAN_SFF_MASK);
    const Bytes record =
        canRecord(id | (extended ? CAN_EFF_FLAG : 0U), data,
                  fd ? static_cast<std::uint8_t>(CANFD_FDF | random() % 4) : std::uint8_t{0}, fd ? 64 : 8,
                  !fd && data.size() == 8 ? static_cast<std::uint8_t>(9 + random() % 7) : std::uint8_t{0});
    Bytes again;
    ASSERT_TRUE(appendCanRecord(one(record).frame(0), again));
    EXPECT_EQ(again, record);
  }
  for (const Bytes& record : {report(CAN_ERR_BUSOFF), report(CAN_ERR_CNT | CAN_ERR_CRTL, {1, 2, 3, 4, 5, 6, 7, 8}),
                              canRecord(CAN_RTR_FLAG | 5, {})}) {
    Bytes again;
    ASSERT_TRUE(appendCanRecord(one(record).frame(0), again));
    EXPECT_EQ(again, record);
  }
}

TEST(CanRecord, FaultsOnAWireBecomeReports)
{
  const auto throughRecord = [](Frame frame) {
    Bytes bytes;
    EXPECT_TRUE(appendCanRecord(frame, bytes));
    return one(bytes);
  };
  for (const CanError error : {CanError::Stuff, CanError::Form, CanError::Crc, CanError::Ack}) {
    Frame frame;
    frame.errors = errorBit(error);
    const FrameIndex read = throughRecord(frame);
    EXPECT_EQ(read.frame(0).kind, kCanError);
    EXPECT_EQ(read.frame(0).errors, errorBit(error));
  }
  Frame count;
  count.errors = errorBit(CanError::StuffCount);
  EXPECT_EQ(throughRecord(count).frame(0).errors, errorBit(CanError::Crc)) << "reports know no stuff count";
  Frame both;
  both.errors = errorBit(CanError::Crc) | errorBit(CanError::Ack);
  EXPECT_EQ(throughRecord(both).frame(0).errors, both.errors);
  Frame flag;
  flag.kind = kCanError;
  EXPECT_EQ(saidOf(throughRecord(flag)), "bus error · error frame");
  Frame overload;
  overload.kind = kCanOverload;
  EXPECT_EQ(throughRecord(overload).frame(0).kind, kCanOverload);
  Frame cut;
  cut.errors = errorBit(CanError::Incomplete);
  Bytes bytes;
  EXPECT_FALSE(appendCanRecord(cut, bytes));
  EXPECT_TRUE(bytes.empty());
}

TEST(CanRecord, AChannelOfRecordsIsNoWire)
{
  Capture capture;
  Channel frames;
  frames.path = "can0";
  frames.records = inputOf({{1us, canRecord(1, {})}}).records;
  Channel wire;
  wire.path = "CLOCK";
  Channel other = frames;
  other.path = "eth0";
  other.records = RecordLogBuilder().take(1);
  capture.channels = {frames, wire, other};
  capture.end = 1s;
  nameChannels(capture);
  const auto errorOf = [&](const std::string& spec) {
    const auto resolved = resolveBus(*parseBusSpec(spec), capture);
    return resolved ? std::string() : resolved.error().text();
  };
  EXPECT_EQ(errorOf("a=can,rx=can0,bitrate=auto"), "");
  EXPECT_EQ(errorOf("a=i2c,scl=CLOCK,sda=can0"),
            "bus a: 'can0' is no wire: it has whole frames; only CAN buses read them");
  EXPECT_EQ(errorOf("a=can,canh=can0,bitrate=auto"),
            "bus a: 'can0' is no wire: it has whole frames; only CAN buses read them");
  EXPECT_EQ(errorOf("a=can,rx=eth0,bitrate=auto"),
            "bus a: 'eth0' is no wire: it has whole frames; choose another channel for rx");
  EXPECT_NE(errorOf("a=can,rx=CLOCK,bitrate=auto"), "") << "a wire has to tell its rate";
  EXPECT_FALSE(capture.isOnlyRecords());

  const std::vector<Bus> own = busesOfRecords(capture, {});
  ASSERT_EQ(own.size(), 1U);
  EXPECT_EQ(busSpecText(own[0]), "can0=can,rx=can0,bitrate=auto");
  EXPECT_TRUE(busesOfRecords(capture, own).empty()) << "they are there";
  const std::vector<Bus> others{*parseBusSpec("can0=can,rx=CLOCK,bitrate=auto")};
  EXPECT_EQ(busesOfRecords(capture, others).at(0).name, "can0 2");
  for (const Protocol* const protocol : protocols()) {
    const Bus bus = suggestBus(*protocol, &capture, {});
    for (const BusWire& suggested : bus.wires)
      EXPECT_TRUE(suggested.channel == "CLOCK" || protocol->facts().linkType == kCanLinkType) << protocol->name();
  }
}
