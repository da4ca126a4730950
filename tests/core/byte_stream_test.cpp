#include "core/view/byte_stream.h"

#include <random>

#include "core/decode/protocol.h"
#include "support/lock_cycle_sources.h"

using namespace bexto;
using namespace bexto::test;

namespace {

/// Frame by frame, with nothing kept in between.
std::vector<ByteStream::Byte> plainBytes(const LedgerSource& source, PayloadWay way)
{
  std::vector<ByteStream::Byte> all;
  const FrameIndex& frames = source.transactions.frames();
  for (std::uint64_t f = 0; f < frames.size(); ++f) {
    const Frame frame = frames.frame(f);
    std::vector<std::uint8_t> bytes;
    const auto reader = source.bus.protocol().payloadReader(source.bus);
    for (const FramePayload& p : reader->of(frame)) {
      if (p.way == way)
        bytes.assign(p.bytes.begin(), p.bytes.end());
    }
    for (std::size_t i = 0; i < bytes.size(); ++i)
      all.push_back({bytes[i], f, i == 0, frame.errors != 0});
  }
  return all;
}

bool same(const ByteStream::Byte& a, const ByteStream::Byte& b)
{
  return a.value == b.value && a.frame == b.frame && a.first == b.first && a.fault == b.fault;
}

}  // namespace

TEST(ByteStream, IsThePayloadOfOneWayFrameAfterFrame)
{
  std::size_t streams = 0;
  for (const LedgerSource& source : lockCycleSources()) {
    for (const PayloadWay way : source.bus.protocol().waysOf(source.bus)) {
      const ByteStream stream = *ByteStream::make(source.bus, source.transactions.frames(), way, std::stop_token());
      const auto plain = plainBytes(source, way);
      ASSERT_EQ(stream.size(), plain.size()) << source.name();
      ASSERT_GT(plain.size(), 100U);
      for (std::size_t at = 0; at < plain.size(); at += 37) {
        const auto part = stream.read(at, 50);
        ASSERT_EQ(part.size(), std::min<std::size_t>(50, plain.size() - at));
        for (std::size_t i = 0; i < part.size(); ++i)
          ASSERT_TRUE(same(part[i], plain[at + i])) << source.name() << " at " << at + i;
      }
      ++streams;
    }
  }
  EXPECT_EQ(streams, 2U + 1U + 2U + 2U + 2U + 1U);
}

TEST(ByteStream, WhatGrewIsTheSameAsWhatWasThereAtOnce)
{
  std::mt19937_64 random(3);
  for (const LedgerSource& source : lockCycleSources()) {
    const FrameIndex& frames = source.transactions.frames();
    for (const PayloadWay way : source.bus.protocol().waysOf(source.bus)) {
      ByteStream grown = *ByteStream::make(source.bus, {}, way, std::stop_token());
      FrameIndexBuilder builder;
      for (std::uint64_t f = 0; f < frames.size();) {
        const std::uint64_t to = std::min<std::uint64_t>(frames.size(), f + 1 + random() % 700);
        for (; f < to; ++f)
          builder.add(frames.frame(f));
        grown = *grown.extended(builder.snapshot(), std::stop_token());
      }
      const ByteStream whole = *ByteStream::make(source.bus, frames, way, std::stop_token());
      ASSERT_EQ(grown.size(), whole.size());
      for (std::uint64_t at = 0; at < whole.size(); at += 91)
        ASSERT_TRUE(same(grown.read(at, 1).front(), whole.read(at, 1).front())) << source.name() << " at " << at;
      for (std::uint64_t f = 0; f < frames.size(); f += 53)
        ASSERT_EQ(grown.addressOf(f), whole.addressOf(f));
    }
  }
}

TEST(ByteStream, FindsTheFewBytesAmongManyFramesWithoutAny)
{
  // A frame with bytes, then thousands without: as where only faults carry any.
  const LedgerSource* source = nullptr;
  Frame with{};
  Frame without{};
  for (const LedgerSource& candidate : lockCycleSources()) {
    const FrameIndex& frames = candidate.transactions.frames();
    const auto reader = candidate.bus.protocol().payloadReader(candidate.bus);
    bool some = false;
    bool none = false;
    for (std::uint64_t f = 0; f < frames.size() && source == nullptr; ++f) {
      const Frame frame = frames.frame(f);
      std::size_t bytes = 0;
      for (const FramePayload& p : reader->of(frame))
        bytes += p.way == 0 ? p.bytes.size() : 0;
      (bytes == 0 ? without : with) = frame;
      (bytes == 0 ? none : some) = true;
      if (some && none)
        source = &candidate;
    }
  }
  ASSERT_NE(source, nullptr);
  FrameIndexBuilder builder;
  std::vector<std::uint64_t> carriers;
  for (std::uint64_t f = 0; f < 9000; ++f) {
    const bool carries = f == 3 || f % 2500 == 0 || f == 8999;
    Frame frame = carries ? with : without;
    frame.time = {Picoseconds{static_cast<std::int64_t>(f) * 1000},
                  Picoseconds{static_cast<std::int64_t>(f) * 1000 + 9}};
    builder.add(frame);
    if (carries)
      carriers.push_back(f);
  }
  const ByteStream stream = *ByteStream::make(source->bus, builder.snapshot(), 0, std::stop_token());
  ASSERT_GT(stream.size(), 0U);
  ASSERT_EQ(stream.size() % carriers.size(), 0U);
  const auto all = stream.read(0, 100000);
  ASSERT_EQ(all.size(), stream.size());
  for (std::size_t i = 0; i < all.size(); ++i) {
    EXPECT_EQ(all[i].frame, carriers[i / (all.size() / carriers.size())]);
    EXPECT_TRUE(same(stream.read(i, 1).front(), all[i])) << i;
  }
}

TEST(ByteStream, AddressesAndFramesAnswerEachOther)
{
  const LedgerSource& source = lockCycleSources()[0];
  const ByteStream stream =
      *ByteStream::make(source.bus, source.transactions.frames(), PayloadWay{1}, std::stop_token());
  for (std::uint64_t frame = 0; frame < stream.frames().size(); frame += 13) {
    const std::uint64_t address = stream.addressOf(frame);
    if (stream.bytesOf(frame) == 0)
      continue;
    const auto first = stream.read(address, 1);
    ASSERT_EQ(first.size(), 1U);
    EXPECT_EQ(first.front().frame, frame);
    EXPECT_TRUE(first.front().first);
  }
  EXPECT_TRUE(stream.read(stream.size(), 10).empty());
  EXPECT_TRUE(ByteStream().read(0, 1).empty());
}

TEST(ByteStream, StopsWhenAsked)
{
  std::stop_source stop;
  stop.request_stop();
  const LedgerSource& source = lockCycleSources()[0];
  EXPECT_FALSE(ByteStream::make(source.bus, source.transactions.frames(), PayloadWay{1}, stop.get_token()));
}
