#include "core/signal/record_log.h"

#include <sqlite3.h>

#include <random>

#include "core/store/record_blob.h"
#include "core/store/session_store.h"
#include "support/packet_file.h"
#include "support/sessions.h"

using namespace bexto;
using namespace bexto::test;

namespace {

std::shared_ptr<const RecordLog> randomLog(std::size_t count, std::uint64_t seed)
{
  std::mt19937_64 random(seed);
  RecordLogBuilder builder;
  std::int64_t t = 5;
  for (std::size_t i = 0; i < count; ++i) {
    Bytes bytes(random() % 80);
    for (std::uint8_t& byte : bytes)
      byte = static_cast<std::uint8_t>(random());
    builder.add(Picoseconds{t += static_cast<std::int64_t>(random() % 3 == 0 ? 0 : random() % 100000000)}, bytes);
  }
  return builder.take(227);
}

std::vector<std::pair<std::int64_t, Bytes>> contentOf(const RecordLog& log)
{
  std::vector<std::pair<std::int64_t, Bytes>> content;
  for (const auto& chunk : log.chunks()) {
    const auto block = chunk->block();
    for (std::size_t i = 0; i < block->size(); ++i) {
      const Record record = block->record(i);
      content.emplace_back(record.time.count(), Bytes(record.bytes.begin(), record.bytes.end()));
    }
  }
  return content;
}

SessionFile sessionOf(const std::shared_ptr<const RecordLog>& log)
{
  Capture capture;
  capture.source = "log.pcapng";
  capture.end = Picoseconds{log->chunks().back()->facts().last + 1000};
  capture.startedAt = "2031-03-17T06:12:00.250Z";
  Channel channel;
  channel.path = "can0";
  channel.records = log;
  capture.channels = {channel, channel};
  capture.channels[1].path = "other name";
  nameChannels(capture);
  SessionFile file;
  file.segments.push_back({"log", capture.startedAt, "", true, std::make_shared<const Capture>(std::move(capture))});
  return file;
}

}  // namespace

TEST(RecordLog, IsInTheOrderOfTimesHoweverItCame)
{
  RecordLogBuilder builder;
  builder.add(Picoseconds{30}, Bytes{3});
  builder.add(Picoseconds{10}, Bytes{1, 1});
  builder.add(Picoseconds{30}, Bytes{4});
  builder.add(Picoseconds{20}, Bytes{});
  EXPECT_EQ(builder.unordered(), 2U);
  const auto log = builder.take(227, Picoseconds{10});
  EXPECT_EQ(log->size(), 4U);
  const std::vector<std::pair<std::int64_t, Bytes>> wanted{{0, {1, 1}}, {10, {}}, {20, {3}}, {20, {4}}};
  EXPECT_EQ(contentOf(*log), wanted) << "of one time: as they came";
  EXPECT_EQ(builder.size(), 0U);
  EXPECT_EQ(builder.take(1)->size(), 0U);
}

TEST(RecordLog, ChunksAreBoundedByNumberAndBySize)
{
  RecordLogBuilder builder;
  for (std::size_t i = 0; i < RecordLogBuilder::kChunkRecords + 1; ++i)
    builder.add(Picoseconds{static_cast<std::int64_t>(i)}, Bytes{1});
  for (int i = 0; i < 300; ++i)
    builder.add(Picoseconds{20000}, Bytes(RecordLogBuilder::kMostBytes));
  const auto log = builder.take(227);
  std::uint64_t first = 0;
  for (const auto& chunk : log->chunks()) {
    EXPECT_EQ(chunk->facts().firstIndex, first);
    EXPECT_LE(chunk->facts().count, RecordLogBuilder::kChunkRecords);
    EXPECT_LE(chunk->block()->bytes.size(), RecordLogBuilder::kChunkBytes);
    first += chunk->facts().count;
  }
  EXPECT_EQ(first, log->size());
  EXPECT_EQ(log->chunks().size(), 3U);
}

TEST(RecordLog, PacksAndUnpacks)
{
  for (const std::size_t count : {1U, 2U, 1000U}) {
    const auto log = randomLog(count, count);
    const RecordChunk& chunk = *log->chunks().front();
    const auto packed = packRecords(*chunk.block());
    const auto again = unpackRecords(packed, chunk.facts());
    ASSERT_TRUE(again);
    EXPECT_EQ(again->times, chunk.block()->times);
    EXPECT_EQ(again->ends, chunk.block()->ends);
    EXPECT_EQ(again->bytes, chunk.block()->bytes);
  }
}

TEST(RecordLog, DamageIsNoRecord)
{
  const auto log = randomLog(50, 1);
  const RecordFacts facts = log->chunks().front()->facts();
  const auto packed = packRecords(*log->chunks().front()->block());
  std::mt19937_64 random(7);
  for (int i = 0; i < 500; ++i) {
    auto damaged = packed;
    damaged[random() % damaged.size()] ^= static_cast<std::uint8_t>(1U << random() % 8);
    if (const auto read = unpackRecords(damaged, facts)) {
      EXPECT_EQ(read->times, log->chunks().front()->block()->times) << "a check sum holds";
    }
  }
  EXPECT_FALSE(unpackRecords({}, facts));
  for (const RecordFacts& other :
       {RecordFacts{0, 49, facts.first, facts.last}, RecordFacts{0, 51, facts.first, facts.last},
        RecordFacts{0, 50, facts.first, facts.last + 1}, RecordFacts{0, 50, facts.first, facts.first}})
    EXPECT_FALSE(unpackRecords(packed, other));
  // Lengths that point beyond what is there.
  RecordBlock wrong = *log->chunks().front()->block();
  wrong.bytes.pop_back();
  EXPECT_FALSE(unpackRecords(packRecords(wrong), facts));
}

TEST(RecordLog, ASessionHoldsIt)
{
  const Folder folder;
  const auto log = randomLog(40000, 3);
  NoProgress none;
  ASSERT_TRUE(writeSession(folder / "a.bexto", sessionOf(log), {}, none));
  const auto opened = SessionStore::open(folder / "a.bexto");
  ASSERT_TRUE(opened) << opened.error().text();
  const Capture& capture = *opened->file.segments.at(0).capture;
  ASSERT_EQ(capture.channels.size(), 2U);
  EXPECT_FALSE(capture.channels[0].isWire());
  EXPECT_TRUE(capture.isOnlyRecords());
  EXPECT_EQ(capture.channels[1].path, "other name");
  EXPECT_TRUE(capture.channels[0].sameAs(capture.channels[1]));
  EXPECT_EQ(capture.startedAt, "2031-03-17T06:12:00.250Z");
  EXPECT_EQ(capture.channels[0].records->linkType(), 227);
  EXPECT_EQ(contentOf(*capture.channels[0].records), contentOf(*log));
  // From file to file as it is.
  ASSERT_TRUE(writeSession(folder / "b.bexto", opened->file, {}, none));
  const auto again = SessionStore::open(folder / "b.bexto");
  EXPECT_EQ(contentOf(*again->file.segments.at(0).capture->channels[0].records), contentOf(*log));
}

TEST(RecordLog, AChunkOfASessionThatIsDamagedIsSaidAndStaysSo)
{
  const Folder folder;
  const auto log = randomLog(40000, 3);
  NoProgress none;
  ASSERT_TRUE(writeSession(folder / "a.bexto", sessionOf(log), {}, none));
  sqlite3* handle = nullptr;
  ASSERT_EQ(sqlite3_open((folder / "a.bexto").c_str(), &handle), SQLITE_OK);
  ASSERT_EQ(
      sqlite3_exec(handle, "UPDATE chunk_deltas SET packed = zeroblob(500) WHERE chunk = 2", nullptr, nullptr, nullptr),
      SQLITE_OK);
  sqlite3_close(handle);
  const auto lostOf = [&](const std::string& path) {
    const auto opened = SessionStore::open(path);
    const std::size_t there = contentOf(*opened->file.segments.at(0).capture->channels[0].records).size();
    EXPECT_EQ(there, 40000 - RecordLogBuilder::kChunkRecords) << "the others are there";
    return opened->store->lost();
  };
  EXPECT_EQ(lostOf(folder / "a.bexto"), 1U);
  const auto opened = SessionStore::open(folder / "a.bexto");
  ASSERT_TRUE(writeSession(folder / "b.bexto", opened->file, {}, none));
  EXPECT_EQ(lostOf(folder / "b.bexto"), 1U) << "a copy is as damaged as it was";
  for (const char* const wrong :
       {"first_ps = last_ps + 1", "first_ps = -1", "count = 0", "count = 16385", "first_index = 7"}) {
    ASSERT_TRUE(writeSession(folder / "c.bexto", sessionOf(log), {}, none));
    ASSERT_EQ(sqlite3_open((folder / "c.bexto").c_str(), &handle), SQLITE_OK);
    ASSERT_EQ(sqlite3_exec(handle, ("UPDATE chunk SET " + std::string(wrong) + " WHERE id = 2").c_str(), nullptr,
                           nullptr, nullptr),
              SQLITE_OK);
    sqlite3_close(handle);
    EXPECT_FALSE(SessionStore::open(folder / "c.bexto")) << wrong;
  }
}
