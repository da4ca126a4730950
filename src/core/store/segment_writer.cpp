// Tested by tests/core/session_store_test.cpp.
#include "core/store/segment_writer.h"

#include <fmt/core.h>

#include <array>
#include <condition_variable>
#include <mutex>
#include <nlohmann/json.hpp>
#include <optional>
#include <system_error>
#include <thread>
#include <unordered_map>

#include "core/store/chunk_blob.h"
#include "core/store/record_blob.h"
#include "core/store/recorded_chunks.h"
#include "core/store/session_store.h"

namespace bexto {

namespace {

constexpr std::size_t kFullChunk = kChunkBlocks * kBlockEdges;

ChunkBlobs blobsOf(const EdgeChunk& chunk)
{
  // From file to file as it is: what cannot be read must not become a chunk that can, with stand-ins for its times.
  static const ChunkBlobs kLost{{0}, {0}};
  if (const auto* const stored = dynamic_cast<const SessionStore*>(chunk.source()))
    return stored->readBlobs(chunk.key()).value_or(kLost);
  if (const auto* const recorded = dynamic_cast<const RecordedChunks*>(chunk.source()))
    return recorded->readBlobs(chunk.key()).value_or(kLost);
  return packChunk(chunk);
}

std::vector<std::uint8_t> blobOf(const RecordChunk& chunk)
{
  static const std::vector<std::uint8_t> kLost{0};
  const auto* const stored = dynamic_cast<const SessionStore*>(chunk.source());
  const auto* const recorded = dynamic_cast<const RecordedChunks*>(chunk.source());
  if (stored != nullptr)
    return stored->readDeltas(chunk.key()).value_or(kLost);
  return recorded != nullptr ? recorded->readDeltas(chunk.key()).value_or(kLost) : packRecords(*chunk.block());
}

/// The chunks of a track in their packed form, one after the other. Packing is most of the work, so others do it ahead
/// while whoever takes them writes; what nobody has begun, the taker packs.
class PackedAhead {
 public:
  PackedAhead(const EdgeTrack& track, std::size_t first) : m_track(track), m_taken(first), m_claimed(first)
  {
    const std::size_t left = track.chunkCount() - first;
    const std::size_t most = std::min<std::size_t>(left - std::min<std::size_t>(left, 1), 4);
    try {
      while (m_helpers.size() < std::min<std::size_t>(most, std::max(1U, std::thread::hardware_concurrency())))
        m_helpers.emplace_back([this](const std::stop_token& stop) { help(stop); });
    } catch (const std::system_error&) {
      // The system gives no more threads: those that are there do it.
    }
  }

  /// Requires: there is another one.
  ChunkBlobs take()
  {
    std::unique_lock lock(m_mutex);
    const std::size_t chunk = m_taken++;
    m_changed.notify_all();  // there is room for another
    if (chunk < m_claimed) {
      m_changed.wait(lock, [&] { return m_slots[chunk % kAhead].isDone; });
      Slot slot = std::exchange(m_slots[chunk % kAhead], {});
      if (slot.blobs)
        return std::move(*slot.blobs);
    } else {
      m_claimed = chunk + 1;
    }
    lock.unlock();
    return blobsOf(m_track.chunk(chunk));
  }

 private:
  static constexpr std::size_t kAhead = 16;
  struct Slot {
    bool isDone = false;
    std::optional<ChunkBlobs> blobs = {};  ///< none: it could not be done here
  };

  void help(const std::stop_token& stop)
  {
    std::unique_lock lock(m_mutex);
    // A slot is free once its chunk was taken; that of the last one that somebody asked for may be waited for.
    const auto hasRoom = [this] { return m_claimed + 1 < m_taken + kAhead; };
    while (m_changed.wait(lock, stop, hasRoom) && m_claimed < m_track.chunkCount()) {
      const std::size_t chunk = m_claimed++;
      lock.unlock();
      Slot slot{true};
      try {
        slot.blobs = blobsOf(m_track.chunk(chunk));
      } catch (...) {
        slot.blobs.reset();  // memory that runs out is the taker's to say
      }
      lock.lock();
      m_slots[chunk % kAhead] = std::move(slot);
      m_changed.notify_all();
    }
  }

  const EdgeTrack& m_track;
  std::mutex m_mutex;  ///< of what follows
  std::condition_variable_any m_changed;
  std::size_t m_taken;    ///< the next that is taken
  std::size_t m_claimed;  ///< the next that nobody packs yet
  std::array<Slot, kAhead> m_slots;
  std::vector<std::jthread> m_helpers;  ///< goes first
};

/// The three rows of a chunk.
class ChunkWriter {
 public:
  explicit ChunkWriter(Database& database)
      : m_database(database),
        m_chunk(database.prepare(
            "INSERT INTO chunk (track, number, first_index, count, first_ps, last_ps) VALUES (?, ?, ?, ?, ?, ?)")),
        m_summary(database.prepare("INSERT INTO chunk_summary VALUES (?, ?)")),
        m_deltas(database.prepare("INSERT INTO chunk_deltas VALUES (?, ?)"))
  {
  }

  /// Written so far.
  std::size_t bytes() const { return m_bytes; }

  /// The key that it is read by.
  std::int64_t write(const EdgeChunk& chunk, const ChunkBlobs& blobs, std::int64_t track, std::size_t number)
  {
    const std::int64_t id = writeFacts(chunk.facts(), track, number);
    m_summary.bind(1, id).bind(2, blobs.summary).run();
    m_deltas.bind(1, id).bind(2, blobs.deltas).run();
    m_bytes += blobs.summary.size() + blobs.deltas.size();
    return id;
  }

  std::int64_t write(const RecordChunk& chunk, std::int64_t track, std::size_t number)
  {
    const std::vector<std::uint8_t> blob = blobOf(chunk);
    const std::int64_t id = writeFacts(chunk.facts(), track, number);
    m_deltas.bind(1, id).bind(2, blob).run();
    m_bytes += blob.size();
    return id;
  }

  void remove(std::int64_t track, std::size_t number)
  {
    const auto at = static_cast<std::int64_t>(number);
    for (const char* const table : {"chunk_summary", "chunk_deltas"}) {
      m_database
          .prepare(
              fmt::format("DELETE FROM {} WHERE chunk IN (SELECT id FROM chunk WHERE track = ? AND number = ?)", table))
          .bind(1, track)
          .bind(2, at)
          .run();
    }
    m_database.prepare("DELETE FROM chunk WHERE track = ? AND number = ?").bind(1, track).bind(2, at).run();
  }

 private:
  template <typename Facts>
  std::int64_t writeFacts(const Facts& facts, std::int64_t track, std::size_t number)
  {
    m_chunk.bind(1, track).bind(2, static_cast<std::int64_t>(number));
    m_chunk.bind(3, static_cast<std::int64_t>(facts.firstIndex)).bind(4, static_cast<std::int64_t>(facts.count));
    m_chunk.bind(5, facts.first).bind(6, facts.last).run();
    return m_database.lastId();
  }

  Database& m_database;
  Statement m_chunk;
  Statement m_summary;
  Statement m_deltas;
  std::size_t m_bytes = 0;
};

}  // namespace

void SegmentWriter::begin(Database& database, const Segment& segment)
{
  const Capture& capture = *segment.capture;
  database
      .prepare(
          "INSERT INTO segment (id, place, name, source, started_at, started_by, tick_ps, end_ps, whole, notes)"
          " VALUES (nullif(?, 0), ?, '', '', '', '', 1, 0, 0, '[]')")
      .bind(1, static_cast<std::int64_t>(segment.id))
      .bind(2, m_place)
      .run();
  m_segment = database.lastId();
  Statement addTrack =
      database.prepare("INSERT INTO track (segment, kind, start_level, link_type) VALUES (?, ?, ?, ?)");
  Statement addChannel = database.prepare("INSERT INTO channel VALUES (?, ?, ?, ?)");
  std::unordered_map<const void*, std::size_t> known;  // a wire with several names is stored once
  for (std::size_t i = 0; i < capture.channels.size(); ++i) {
    const Channel& channel = capture.channels[i];
    const void* const identity = channel.isWire() ? channel.track.identity() : channel.records.get();
    const auto [at, isNew] = known.try_emplace(identity, m_tracks.size());
    if (isNew) {
      addTrack.bind(1, m_segment).bind(2, channel.isWire() ? "edges" : "records");
      addTrack.bind(3, std::int64_t{channel.track.startLevel() ? 1 : 0});
      addTrack.bind(4, std::int64_t{channel.isWire() ? LinkType{0} : channel.records->linkType()}).run();
      m_tracks.push_back({database.lastId()});
      m_channelOf.push_back(i);
    }
    m_trackOf.push_back(at->second);
    addChannel.bind(1, m_segment).bind(2, static_cast<std::int64_t>(i)).bind(3, capture.channels[i].path);
    addChannel.bind(4, m_tracks[at->second].id).run();
  }
  Statement addVector = database.prepare("INSERT INTO vector VALUES (?, ?, ?, ?, ?)");
  std::int64_t place = 0;
  for (const ChannelVector& vector : capture.vectors) {
    addVector.bind(1, m_segment).bind(2, place++).bind(3, vector.path);
    addVector.bind(4, static_cast<std::int64_t>(vector.firstChannel)).bind(5, static_cast<std::int64_t>(vector.width));
    addVector.run();
  }
}

bool SegmentWriter::write(Database& database, const Segment& segment, const std::stop_token& stop, Progress& progress,
                          std::size_t most)
{
  const Capture& capture = *segment.capture;
  if (m_segment == 0)
    begin(database, segment);
  ChunkWriter chunks(database);
  const auto channelOf = [&](std::size_t i) -> const Channel& { return capture.channels.at(m_channelOf[i]); };
  const auto sizeOf = [&](std::size_t i) {
    const Channel& channel = channelOf(i);
    return channel.isWire() ? channel.track.size() : channel.records->size();
  };
  std::uint64_t wanted = 0;
  std::uint64_t there = 0;
  for (std::size_t i = 0; i < m_tracks.size(); ++i) {
    wanted += sizeOf(i);
    there += m_tracks[i].edges;
  }
  bool all = true;
  const auto goesOn = [&] {
    progress.report(static_cast<double>(there) / static_cast<double>(wanted));
    return database.ok() && !stop.stop_requested() && chunks.bytes() < most;
  };
  for (std::size_t i = 0; i < m_tracks.size() && all; ++i) {
    Written& written = m_tracks[i];
    if (written.edges == sizeOf(i))
      continue;
    if (!channelOf(i).isWire()) {
      const auto& records = channelOf(i).records->chunks();
      if (written.chunks < records.size() && written.edges > records[written.chunks]->facts().firstIndex)
        chunks.remove(written.id, written.chunks);  // as below
      for (std::size_t c = written.chunks; c < records.size() && all; ++c) {
        const RecordChunk& chunk = *records[c];
        const std::int64_t key = chunks.write(chunk, written.id, c);
        const bool isFull = c + 1 < records.size();  // only the last one grows
        if (isFull && chunk.source() == nullptr)
          m_kept.push_back({m_channelOf[i], c, key});
        there += chunk.facts().firstIndex + chunk.facts().count - written.edges;
        written.edges = chunk.facts().firstIndex + chunk.facts().count;
        written.chunks = isFull ? c + 1 : c;
        all = goesOn();
      }
      continue;
    }
    const EdgeTrack& track = channelOf(i).track;
    if (written.edges % kFullChunk != 0)
      chunks.remove(written.id, written.chunks);  // it has grown; who reads has the rows of their own snapshot
    PackedAhead packed(track, written.chunks);
    for (std::size_t c = written.chunks; c < track.chunkCount() && all; ++c) {
      const EdgeChunk& chunk = track.chunk(c);
      const std::int64_t key = chunks.write(chunk, packed.take(), written.id, c);
      if (chunk.count() == kFullChunk && chunk.source() == nullptr)
        m_kept.push_back({m_channelOf[i], c, key});
      there += chunk.firstIndex() + chunk.count() - written.edges;
      written.edges = chunk.firstIndex() + chunk.count();
      written.chunks = chunk.count() == kFullChunk ? c + 1 : c;
      all = goesOn();
    }
  }
  all = there == wanted;
  Statement sent = database.prepare("INSERT INTO sent VALUES (?, ?, ?, ?, ?)");
  for (; m_sent < capture.sent.size(); ++m_sent) {
    const SentSpan& span = capture.sent[m_sent];
    sent.bind(1, m_segment).bind(2, static_cast<std::int64_t>(m_sent)).bind(3, span.time.begin.count());
    sent.bind(4, span.time.end.count()).bind(5, static_cast<std::int64_t>(span.channel)).run();
  }
  writeFacts(database, segment, all && segment.whole);
  return all;
}

void SegmentWriter::writeFacts(Database& database, const Segment& segment, bool whole) const
{
  const Capture& capture = *segment.capture;
  const std::string notes =
      nlohmann::json(capture.notes).dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
  nlohmann::json gaps = nlohmann::json::array();
  for (const TimeRange& gap : capture.gaps)
    gaps.push_back({gap.begin.count(), gap.end.count()});
  Statement facts = database.prepare(
      "UPDATE segment SET name = ?, source = ?, started_at = ?, started_by = ?, trigger_ps = ?, tick_ps = ?,"
      " end_ps = ?, whole = ?, notes = ?, sample_rate = ?, gaps = ? WHERE id = ?");
  facts.bind(1, segment.name).bind(2, capture.source).bind(3, segment.startedAt).bind(4, segment.startedBy);
  facts.bindNull(5).bind(6, capture.tick.count()).bind(7, capture.end.count());
  if (capture.trigger)
    facts.bind(5, capture.trigger->count());
  facts.bind(8, std::int64_t{whole ? 1 : 0}).bind(9, notes).bindReal(10, capture.rate);
  facts.bind(11, gaps.dump()).bind(12, m_segment).run();
}

}  // namespace bexto
