// Properties over seeded random traffic, thousands of cases a protocol: what was sent is what is read; pieces give what
// the whole gives; the anatomy says what the index says; two inversions are none; any edges at all give frames in order
// and no more of them than edges allow.
#include "core/decode/sentence.h"
#include "support/random_traffic.h"

using namespace bexto;
using namespace bexto::test;

namespace {

/// That what is said of a frame when it is opened is what its line says.
void expectAgreement(const RandomTraffic& t, const FrameIndex& frames, std::uint64_t number)
{
  const Frame frame = frames.frame(number);
  const Anatomy a = anatomyOf(t.bus, t.input, frames, number);
  std::vector<std::uint8_t> data;
  std::vector<std::uint32_t> words[2];
  for (const Field& f : a.fields) {
    const bool whole = f.complete && (!t.bus.isOf(canProtocol()) || f.width == 8);
    if (f.role == Role::Data && whole && f.width > 0) {
      data.push_back(static_cast<std::uint8_t>(f.value));
      words[f.line].push_back(f.value);
    }
    EXPECT_LE(f.firstBit + f.bitCount, a.bits.size());
  }
  // Where bits really were: one after the other, and inside what the wire shows.
  for (std::size_t i = 0; i + 1 < a.bits.size(); ++i) {
    const Bit& bit = a.bits[i];
    const Bit& next = a.bits[i + 1];
    if (bit.line != next.line || bit.actual <= Picoseconds{0} || next.actual <= Picoseconds{0})
      continue;
    EXPECT_LE(bit.actualBegin, next.actualBegin);
  }
  if (t.bus.isOf(uartProtocol()) && uartHasValue(frame)) {
    EXPECT_EQ(words[0], std::vector<std::uint32_t>{frame.key});
  }
  if (t.bus.isOf(i2cProtocol())) {
    const I2cTransfer transfer = i2cTransfer(frame);
    EXPECT_EQ(data, std::vector<std::uint8_t>(transfer.data.begin(), transfer.data.end()));
  }
  if (t.bus.isOf(spiProtocol())) {
    const SpiTransfer transfer = spiTransfer(t.bus, frame);
    for (std::size_t i = 0; i < transfer.words; ++i) {
      EXPECT_EQ(words[0].at(i), transfer.word(i, 0));
      EXPECT_EQ(words[1].at(i), transfer.word(i, 1));
    }
  }
  if (t.bus.isOf(linProtocol())) {
    const LinFrame f = linFrame(frame);
    EXPECT_EQ(data, std::vector<std::uint8_t>(f.data.begin(), f.data.end()));
  }
  if (t.bus.isOf(oneWireProtocol())) {
    const OneWireTransaction w = oneWireTransaction(frame);
    std::vector<std::uint8_t> rom;
    for (const Field& f : a.fields) {
      if (f.role == Role::Address || f.role == Role::Check)
        rom.push_back(static_cast<std::uint8_t>(f.value));
      if (f.role == Role::Control && w.command) {
        EXPECT_EQ(f.value, *w.command);
      }
    }
    if (!w.rom.empty()) {
      EXPECT_EQ(rom, std::vector<std::uint8_t>(w.rom.begin(), w.rom.end()));
    }
    EXPECT_EQ(data, std::vector<std::uint8_t>(w.data.begin(), w.data.end()));
  }
  if (t.bus.isOf(canProtocol()) && canHasHeader(frame)) {
    const CanFrame can = canFrame(frame);
    EXPECT_EQ(data, std::vector<std::uint8_t>(can.data.begin(), can.data.end()));
    for (const Field& f : a.fields) {
      if (f.role == Role::Address && !can.extended && can.hasId && f.width == 11) {
        EXPECT_EQ(f.value, can.id);
      }
      if (std::string_view(f.name) == "CRC" && can.hasCrc && f.complete && f.width >= 15) {
        EXPECT_EQ(f.value, can.crc);
      }
    }
  }
}

std::vector<std::string> protocolNames()
{
  std::vector<std::string> names;
  for (const Protocol* protocol : protocols())
    names.push_back(protocol->name());
  return names;
}

class Properties : public testing::TestWithParam<std::string> {};

}  // namespace

TEST(UartProperty, WhatWasSentIsRead)
{
  for (int seed = 0; seed < cases(2000); ++seed) {
    const UartCase c = uartCase(static_cast<std::uint64_t>(seed));
    const FrameIndex frames = decodeAll(c.bus, c.input);
    ASSERT_EQ(frames.size(), c.values.size()) << seed;
    for (std::uint64_t i = 0; i < frames.size(); ++i) {
      // Five data bits and mark parity of all ones make no break; all zeros with a low parity bit make none either.
      ASSERT_EQ(frames.frame(i).key, c.values[i]) << "seed " << seed << " character " << i;
      ASSERT_EQ(frames.frame(i).errors, 0) << "seed " << seed << " character " << i;
    }
  }
}

TEST(I2cProperty, WhatWasSentIsRead)
{
  for (int seed = 0; seed < cases(2000); ++seed) {
    const I2cCase c = i2cCase(static_cast<std::uint64_t>(seed));
    const FrameIndex frames = decodeAll(c.bus, c.input);
    ASSERT_EQ(frames.size(), c.transfers.size()) << seed;
    for (std::uint64_t i = 0; i < frames.size(); ++i) {
      const I2cTransfer t = i2cTransfer(frames.frame(i));
      ASSERT_EQ(t.address, c.transfers[i].address) << seed;
      ASSERT_EQ(t.read, c.transfers[i].read) << seed;
      ASSERT_EQ(std::vector<std::uint8_t>(t.data.begin(), t.data.end()), c.transfers[i].data) << seed;
      ASSERT_EQ(frames.frame(i).errors, 0) << seed;
    }
  }
}

TEST(SpiProperty, WhatWasSentIsRead)
{
  for (int seed = 0; seed < cases(2000); ++seed) {
    const SpiCase c = spiCase(static_cast<std::uint64_t>(seed));
    const FrameIndex frames = decodeAll(c.bus, c.input);
    std::vector<Frame> withWords;
    for (const Frame& f : framesOf(frames)) {
      // Before that the clock took its idle level.
      if (f.time.begin > 100us)
        withWords.push_back(f);
    }
    ASSERT_EQ(withWords.size(), c.transfers.size()) << seed;
    for (std::size_t i = 0; i < withWords.size(); ++i) {
      const SpiTransfer t = spiTransfer(c.bus, withWords[i]);
      ASSERT_EQ(withWords[i].errors, 0) << seed;
      ASSERT_EQ(t.words, c.transfers[i].size()) << seed;
      for (std::size_t w = 0; w < t.words; ++w) {
        ASSERT_EQ(t.word(w, 0), c.transfers[i][w][0]) << seed;
        ASSERT_EQ(t.word(w, 1), c.transfers[i][w][1]) << seed;
      }
    }
  }
}

TEST(CanProperty, WhatWasSentIsReadAtHalfAPercentOff)
{
  for (int seed = 0; seed < cases(3000); ++seed) {
    const CanCase c = canCase(static_cast<std::uint64_t>(seed));
    const FrameIndex frames = decodeAll(c.bus, c.input);
    ASSERT_EQ(frames.size(), c.messages.size()) << seed;
    for (std::uint64_t i = 0; i < frames.size(); ++i) {
      const rig::CanMessage& sent = c.messages[i];
      const Frame frame = frames.frame(i);
      const CanFrame f = canFrame(frame);
      ASSERT_EQ(frame.errors, sent.acknowledged ? 0 : errorBit(CanError::Ack)) << seed;
      ASSERT_EQ(frame.kind, sent.remote ? kCanRemote : kCanData) << seed;
      ASSERT_EQ(f.id, sent.id) << seed;
      ASSERT_EQ(f.extended, sent.extended) << seed;
      ASSERT_EQ(f.fd, sent.fd) << seed;
      ASSERT_EQ(f.brs, sent.brs) << seed;
      ASSERT_EQ(f.esi, sent.esi) << seed;
      ASSERT_EQ(f.dlc, sent.dlc) << seed;
      ASSERT_EQ(f.crc, c.crcs[i]) << seed;
      ASSERT_EQ(f.ack, sent.acknowledged) << seed;
      ASSERT_EQ(std::vector<std::uint8_t>(f.data.begin(), f.data.end()), sent.data) << seed;
    }
  }
}

TEST_P(Properties, PiecesGiveWhatTheWholeGives)
{
  for (int seed = 0; seed < cases(300); ++seed) {
    for (const RandomTraffic& t : {trafficOf(GetParam(), static_cast<std::uint64_t>(seed)),
                                   nonsense(GetParam(), static_cast<std::uint64_t>(seed))}) {
      const FrameIndex whole = decodeAll(t.bus, t.input);
      const FrameIndex pieces = decodeInPieces(t.bus, t.input, static_cast<std::uint64_t>(seed));
      ASSERT_EQ(textsOf(pieces), textsOf(whole)) << "seed " << seed;
    }
  }
}

TEST_P(Properties, IndexAndAnatomyAgree)
{
  for (int seed = 0; seed < cases(200); ++seed) {
    for (const RandomTraffic& t : {trafficOf(GetParam(), static_cast<std::uint64_t>(seed)),
                                   nonsense(GetParam(), static_cast<std::uint64_t>(seed))}) {
      const FrameIndex frames = decodeAll(t.bus, t.input);
      for (std::uint64_t i = 0; i < frames.size(); ++i)
        expectAgreement(t, frames, i);
      ASSERT_FALSE(HasFailure()) << "seed " << seed;
    }
  }
}

TEST_P(Properties, TwoInversionsAreNone)
{
  for (int seed = 0; seed < cases(200); ++seed) {
    const RandomTraffic t = nonsense(GetParam(), static_cast<std::uint64_t>(seed));
    RandomTraffic turned = t;
    for (ConditionedTrack& wire : turned.input.tracks) {
      std::vector<std::int64_t> times = timesOf(wire.track);
      wire.track = trackOf(!wire.track.startLevel(), times);
      wire.how.invert = !wire.how.invert;
    }
    ASSERT_EQ(textsOf(decodeAll(turned.bus, turned.input)), textsOf(decodeAll(t.bus, t.input))) << seed;
  }
}

TEST_P(Properties, AnyEdgesGiveFramesInOrderAndWithinBounds)
{
  for (int seed = 0; seed < cases(1000); ++seed) {
    const RandomTraffic t = nonsense(GetParam(), static_cast<std::uint64_t>(seed));
    const FrameIndex frames = decodeAll(t.bus, t.input);
    std::uint64_t edges = 1;
    for (const ConditionedTrack& wire : t.input.tracks)
      edges += wire.track.size();
    ASSERT_LE(frames.size(), edges + 1) << seed;
    Picoseconds before{-1};
    for (const Frame& f : framesOf(frames)) {
      ASSERT_GE(f.time.begin, before) << seed;
      ASSERT_GE(f.time.end, f.time.begin) << seed;
      before = f.time.begin;
    }
    // Each frame has words, whatever is in it.
    const Transactions transactions(t.bus, frames);
    for (std::uint64_t i = 0; i < transactions.size(); ++i) {
      ASSERT_FALSE(sentenceOf(t.bus, transactions, i).text().empty()) << seed;
      const std::uint64_t details = detailCount(t.bus, transactions, i);
      for (std::uint64_t d = 0; d < details; ++d)
        ASSERT_FALSE(detailAt(t.bus, transactions, i, d).name.empty()) << seed;
    }
  }
}

TEST(LinProperty, WhatWasSentIsRead)
{
  for (int seed = 0; seed < cases(1000); ++seed) {
    const LinCase c = linCase(static_cast<std::uint64_t>(seed));
    const FrameIndex frames = decodeAll(c.bus, c.input);
    ASSERT_EQ(frames.size(), c.frames.size()) << seed;
    for (std::uint64_t i = 0; i < frames.size(); ++i) {
      const LinFrame f = linFrame(frames.frame(i));
      const LinCase::Sent& sent = c.frames[static_cast<std::size_t>(i)];
      ASSERT_EQ(frames.frame(i).errors, 0) << seed;
      ASSERT_EQ(f.id, sent.id) << seed;
      ASSERT_EQ(std::vector<std::uint8_t>(f.data.begin(), f.data.end()), sent.data) << seed;
      // One sum in many fits both models; the enhanced one is asked first.
      ASSERT_TRUE(f.model == (sent.classic ? LinChecksum::Classic : LinChecksum::Enhanced) ||
                  (sent.classic && f.model == LinChecksum::Enhanced))
          << seed;
    }
  }
}

TEST(OneWireProperty, WhatWasSentIsRead)
{
  for (int seed = 0; seed < cases(1000); ++seed) {
    const OneWireCase c = oneWireCase(static_cast<std::uint64_t>(seed));
    const FrameIndex frames = decodeAll(c.bus, c.input);
    ASSERT_EQ(frames.size(), c.transactions.size()) << seed;
    for (std::uint64_t i = 0; i < frames.size(); ++i) {
      const Frame frame = frames.frame(i);
      const OneWireTransaction t = oneWireTransaction(frame);
      const OneWireCase::Sent& sent = c.transactions[static_cast<std::size_t>(i)];
      ASSERT_EQ(frame.errors, sent.isAnswered ? 0 : errorBit(OneWireError::NoPresence)) << seed;
      ASSERT_EQ(t.presence, sent.isAnswered) << seed;
      ASSERT_EQ(t.command, sent.command) << seed;
      ASSERT_EQ(std::vector<std::uint8_t>(t.rom.begin(), t.rom.end()), sent.rom) << seed;
      ASSERT_EQ(std::vector<std::uint8_t>(t.data.begin(), t.data.end()), sent.data) << seed;
      ASSERT_EQ(t.bits, 0U) << seed;
    }
  }
}

INSTANTIATE_TEST_SUITE_P(Protocols, Properties, testing::ValuesIn(protocolNames()),
                         [](const auto& info) { return info.param; });
