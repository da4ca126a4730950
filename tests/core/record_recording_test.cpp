#include "core/signal/record_recording.h"

#include "core/decode/bus_spec.h"
#include "core/decode/decoder.h"
#include "core/decode/protocol.h"
#include "core/store/session_recorder.h"
#include "core/store/session_store.h"
#include "support/sessions.h"

using namespace bexto;
using namespace std::chrono_literals;

namespace {

constexpr LinkType kCan = 227;

std::vector<std::uint8_t> canRecord(std::uint32_t n)
{
  return {
      0, 0, 1, 0x22, 4, 0, 0, 0, std::uint8_t(n >> 24), std::uint8_t(n >> 16), std::uint8_t(n >> 8), std::uint8_t(n)};
}

RecordRecording twoLines()
{
  return {"port", {{0, "can0", kCan}, {1, "can1", kCan}}};
}

ArrivedRecords one(std::size_t input, Picoseconds at, std::uint32_t n, bool ours = false)
{
  ArrivedRecords arrived;
  arrived.records.push_back({input, at.count(), canRecord(n), ours, 0});
  arrived.until = at.count();
  return arrived;
}

/// Times and data of all frames of a channel.
std::vector<std::pair<std::int64_t, std::uint32_t>> recordsOf(const Capture& capture, std::size_t channel)
{
  std::vector<std::pair<std::int64_t, std::uint32_t>> all;
  for (const auto& chunk : capture.channels[channel].records->chunks()) {
    const auto block = chunk->block();
    for (std::size_t i = 0; i < block->size(); ++i) {
      const Record record = block->record(i);
      all.emplace_back(record.time.count(),
                       record.bytes[8] << 24 | record.bytes[9] << 16 | record.bytes[10] << 8 | record.bytes[11]);
    }
  }
  return all;
}

}  // namespace

TEST(RecordRecording, KeepsWhatComesLineByLineWithItsTimes)
{
  RecordRecording recording = twoLines();
  EXPECT_TRUE(recording.isEmpty());
  ASSERT_TRUE(recording.take(one(0, 1ms, 1)));
  ASSERT_TRUE(recording.take(one(1, 2ms, 2, true)));
  ArrivedRecords later = one(0, 3ms, 3);
  later.until = Picoseconds(10ms).count();
  ASSERT_TRUE(recording.take(later));
  const auto capture = recording.capture();
  EXPECT_EQ(capture->end, 10ms);
  EXPECT_EQ(recordsOf(*capture, 0).size(), 2U);
  EXPECT_EQ(recordsOf(*capture, 1),
            (std::vector<std::pair<std::int64_t, std::uint32_t>>{{Picoseconds(2ms).count(), 2}}));
  EXPECT_EQ(capture->sent, (std::vector<SentSpan>{{{2ms, 2ms}, 1}}));
}

TEST(RecordRecording, WhatCannotBeIsRefusedAndLeavesNothing)
{
  RecordRecording recording = twoLines();
  ASSERT_TRUE(recording.take(one(0, 1ms, 1)));
  EXPECT_FALSE(recording.take(one(0, -1ms, 2)));
  ArrivedRecords far = one(0, 2ms, 2);
  far.until = kNever.count();
  EXPECT_FALSE(recording.take(far));
  ArrivedRecords huge = one(0, 2ms, 2);
  huge.records[0].bytes.resize(RecordLogBuilder::kMostBytes + 1);
  EXPECT_FALSE(recording.take(huge));
  EXPECT_EQ(recordsOf(*recording.capture(), 0).size(), 1U);
  // A step back of the source's clock is none of the capture's.
  ASSERT_TRUE(recording.take(one(0, 500us, 3)));
  const auto frames = recordsOf(*recording.capture(), 0);
  ASSERT_EQ(frames.size(), 2U);
  EXPECT_EQ(frames[1].first, Picoseconds(1ms).count());
}

TEST(RecordRecording, EndsWhereItIsToldTo)
{
  RecordRecording recording("port", {{0, "can0", kCan}}, Picoseconds(2ms).count());
  for (int ms = 1; ms <= 6; ++ms)
    ASSERT_TRUE(recording.take(one(0, std::chrono::milliseconds{ms}, unsigned(ms)), Picoseconds(5ms).count()));
  EXPECT_EQ(recording.length(), 3ms);
  const auto frames = recordsOf(*recording.capture(), 0);
  ASSERT_EQ(frames.size(), 3U) << "those of 2, 3 and 4 ms";
  EXPECT_EQ(frames[0].first, 0);
}

TEST(RecordRecording, APartHasWhatIsInItOnly)
{
  RecordRecording recording = twoLines();
  for (unsigned n = 0; n < 50000; ++n)
    ASSERT_TRUE(recording.take(one(n % 2, 1us * (n + 1), n, n % 100 == 0)));
  ArrivedRecords lost;
  lost.until = recording.next();
  lost.lost = {{Picoseconds(20ms), Picoseconds(21ms)}, {Picoseconds(1us), Picoseconds(2us)}};
  ASSERT_TRUE(recording.take(lost));
  const auto part = recording.part(Picoseconds(10ms).count(), Picoseconds(30ms).count()).capture();
  EXPECT_EQ(part->end, 20ms);
  const auto even = recordsOf(*part, 0);
  ASSERT_EQ(even.size() + recordsOf(*part, 1).size(), 20000U);
  EXPECT_EQ(even.front().second, 10000U);  // at 10.001 ms
  EXPECT_EQ(even.front().first, Picoseconds(1us).count());
  EXPECT_EQ(part->gaps, (std::vector<TimeRange>{{10ms, 11ms}}));
  ASSERT_EQ(part->sent.size(), 200U);
  EXPECT_EQ(part->sent.back(), (SentSpan{{19901us, 19901us}, 0}));
}

TEST(RecordRecording, APartUpToTheEndHasWhatCameLast)
{
  RecordRecording recording = twoLines();
  ASSERT_TRUE(recording.take(one(0, 1ms, 1)));
  ASSERT_TRUE(recording.take(one(0, 2ms, 2)));
  RecordRecording part = recording.part(Picoseconds(1ms).count(), recording.next());
  // Another at the same moment may follow.
  ASSERT_TRUE(part.take(one(0, 2ms, 3)));
  const auto frames = recordsOf(*part.capture(), 0);
  EXPECT_EQ(frames, (std::vector<std::pair<std::int64_t, std::uint32_t>>{
                        {0, 1}, {Picoseconds(1ms).count(), 2}, {Picoseconds(1ms).count(), 3}}));
}

TEST(RecordRecording, ADecoderFollowsInAnyPieces)
{
  const auto bus = parseBusSpec("drives=can,rx=can0,bitrate=500000");
  ASSERT_TRUE(bus);
  RecordRecording whole = twoLines();
  RecordRecording growing = twoLines();
  std::unique_ptr<Decoder> decoder;
  FrameIndexBuilder frames;
  const auto resolved = resolveBus(*bus, *growing.capture());
  ASSERT_TRUE(resolved);
  for (unsigned n = 0; n < 40000; ++n) {
    // Some so close that the next cuts the one before short.
    const Picoseconds at = 50us * n + (n % 7 == 0 ? 45us : 0us);
    ASSERT_TRUE(whole.take(one(0, at, n)));
    ASSERT_TRUE(growing.take(one(0, at, n)));
    if (n % 997 != 0 && n + 1 != 40000)
      continue;
    StreamInput input = inputOf(*growing.capture(), resolved->streams[0]);
    input.final = n + 1 == 40000;
    if (decoder)
      decoder->extend(input);
    else
      decoder = resolved->bus.protocol().decoder(resolved->bus, input);
    while (decoder->run(frames, 100)) {
    }
  }
  const auto expected = decodeStream(resolved->bus, inputOf(*whole.capture(), resolved->streams[0]), std::stop_token());
  const FrameIndex got = frames.snapshot();
  ASSERT_EQ(got.size(), expected->frames.size());
  ASSERT_EQ(got.size(), 40000U);
  for (std::uint64_t i = 0; i < got.size(); ++i) {
    ASSERT_EQ(got.frame(i).time, expected->frames.frame(i).time) << i;
    ASSERT_EQ(got.frame(i).key, expected->frames.frame(i).key);
  }
}

TEST(RecordRecording, IsInTheFileAsItGrowsAndNeedNotStayInMemory)
{
  const test::Folder folder;
  const std::string path = folder / "growing.bexto";
  auto recorder = SessionRecorder::create(path);
  ASSERT_TRUE(recorder);
  RecordRecording recording = twoLines();
  NoProgress progress;
  std::size_t onDisk = 0;
  Segment segment;
  segment.name = "one";
  segment.id = static_cast<SegmentId>(1);
  segment.whole = false;
  constexpr unsigned kCount = 60000;
  for (unsigned n = 0; n < kCount; ++n) {
    ASSERT_TRUE(recording.take(one(n % 3 == 0 ? 1 : 0, 10us * n, n, n % 5000 == 0)));
    if (n % 4001 != 0 && n + 1 != kCount)
      continue;
    segment.capture = recording.capture();
    segment.whole = n + 1 == kCount;
    ASSERT_TRUE((*recorder)->record(0, segment, {}, progress));
    for (auto& kept : (*recorder)->takeOnDisk(0, segment)) {
      recording.replaceChunk(kept.channel, kept.number, std::move(kept.records));
      ++onDisk;
    }
  }
  EXPECT_EQ(onDisk, 3U) << "full chunks of both lines";
  segment.capture = recording.capture();
  const auto inMemory = recordsOf(*segment.capture, 0);
  EXPECT_EQ(inMemory.size(), kCount - kCount / 3);
  EXPECT_NE(segment.capture->channels[0].records->chunks()[0]->source(), nullptr);
  const auto odd = recordsOf(*segment.capture, 1);
  const auto sent = segment.capture->sent;
  // Whoever reads the file while it is written keeps it from being settled.
  segment.capture.reset();
  recording = twoLines();
  recorder->reset();
  const auto opened = SessionStore::open(path);
  ASSERT_TRUE(opened) << opened.error().text();
  const Capture& read = *opened->file.segments.at(0).capture;
  EXPECT_EQ(recordsOf(read, 0), inMemory);
  EXPECT_EQ(recordsOf(read, 1), odd);
  EXPECT_EQ(read.sent, sent);
  EXPECT_EQ(read.sent.size(), kCount / 5000);
}
