#pragma once

#include <cstdint>
#include <limits>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "core/base/time.h"

namespace bexto {

/// What the bytes of a record mean, by the number that the registry of link types gives it (LINKTYPE_ values,
/// https://www.tcpdump.org/linktypes.html). Which of them a protocol reads, its room says.
using LinkType = std::uint16_t;

/// From here on numbers are this program's own, for what live sources hand over and no open format has a place for.
/// They stand in sessions (docs/session-format.md), never in files of packets.
inline constexpr LinkType kFirstOwnLinkType = 0xff00;

/// A frame as an interface handed it over: when, and its bytes, without a wire.
struct Record {
  Picoseconds time{0};
  std::span<const std::uint8_t> bytes;
};

/// A run of records, column by column. All columns but `bytes` have as many entries as there are records.
struct RecordBlock {
  std::vector<std::int64_t> times;  ///< in ps, not falling
  std::vector<std::uint32_t> ends;  ///< in `bytes`; a record begins where the one before ends
  std::vector<std::uint8_t> bytes;

  std::size_t size() const { return times.size(); }
  /// Requires: i < size().
  Record record(std::size_t i) const
  {
    const std::size_t from = i == 0 ? 0 : ends[i - 1];
    return {Picoseconds{times[i]}, {bytes.data() + from, ends[i] - from}};
  }
};

/// What is known of a chunk of records without reading it.
struct RecordFacts {
  std::uint64_t firstIndex = 0;  ///< records of the log before it
  std::size_t count = 0;         ///< at least 1
  std::int64_t first = 0;        ///< time in ps of the first record
  std::int64_t last = 0;         ///< and of the last one
};

/// Where blocks are read from when they are not in memory: a session file. Called from any thread. nullopt: it cannot
/// be read, or is damaged; the source keeps count of those. What is returned has been checked.
class RecordSource {
 public:
  RecordSource() = default;
  RecordSource(const RecordSource&) = delete;
  RecordSource& operator=(const RecordSource&) = delete;
  virtual ~RecordSource() = default;
  virtual std::optional<RecordBlock> readRecords(std::int64_t key, const RecordFacts& facts) const = 0;
};

/// A run of records, in memory or read when somebody asks. Immutable.
class RecordChunk {
 public:
  /// In memory. Requires: block.size() > 0.
  RecordChunk(std::uint64_t firstIndex, RecordBlock block);
  RecordChunk(const RecordFacts& facts, std::shared_ptr<const RecordSource> source, std::int64_t key);

  const RecordFacts& facts() const { return m_facts; }
  /// Reads it each time: who goes through a log holds one at a time, so that it may be larger than memory. A block that
  /// cannot be read has no records.
  std::shared_ptr<const RecordBlock> block() const;
  /// Where it is read from; nullptr: it is in memory.
  const RecordSource* source() const { return m_source.get(); }
  std::int64_t key() const { return m_key; }

 private:
  RecordFacts m_facts;
  std::shared_ptr<const RecordBlock> m_own;
  std::shared_ptr<const RecordSource> m_source;
  std::int64_t m_key = 0;
};

/// All records of one interface in the order of their times: what a channel has that stands for no wire. An immutable
/// value; copies share the chunks.
class RecordLog {
 public:
  RecordLog(LinkType linkType, std::vector<std::shared_ptr<const RecordChunk>> chunks);

  LinkType linkType() const { return m_linkType; }
  std::uint64_t size() const { return m_size; }
  const std::vector<std::shared_ptr<const RecordChunk>>& chunks() const { return m_chunks; }

 private:
  LinkType m_linkType;
  std::vector<std::shared_ptr<const RecordChunk>> m_chunks;
  std::uint64_t m_size = 0;
};

/// Collects records in any order.
class RecordLogBuilder {
 public:
  /// Requires: bytes.size() <= kMostBytes.
  void add(Picoseconds time, std::span<const std::uint8_t> bytes);
  /// How many stood behind a later one.
  std::uint64_t unordered() const { return m_unordered; }
  std::uint64_t size() const { return m_size; }
  /// The records by time, those of one time as they were added; their times less `zero`. The builder is empty then.
  std::shared_ptr<const RecordLog> take(LinkType linkType, Picoseconds zero = {});

  static constexpr std::size_t kMostBytes = 65536;  ///< of a record
  static constexpr std::size_t kChunkRecords = 16384;
  static constexpr std::size_t kChunkBytes = std::size_t{16} << 20U;  ///< a chunk ends before it has more

 private:
  void sort();

  std::vector<RecordBlock> m_blocks;
  std::int64_t m_latest = std::numeric_limits<std::int64_t>::min();
  std::uint64_t m_unordered = 0;
  std::uint64_t m_size = 0;
};

}  // namespace bexto
