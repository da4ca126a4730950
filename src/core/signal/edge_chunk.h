#pragma once

#include <atomic>
#include <cstdint>
#include <memory>
#include <optional>
#include <vector>

#include "core/signal/edge_block.h"

namespace bexto {

/// A chunk without its deltas: enough to find the block of any time, and to draw where wires are busy. 16 bytes for 64
/// transitions.
struct ChunkSummary {
  std::vector<std::int64_t> firsts = {};  ///< time in ps of every 64th transition, rising
  std::vector<BlockLayout> layouts = {};  ///< as many as firsts
};

/// What is known of a chunk without reading it.
struct ChunkFacts {
  std::uint64_t firstIndex = 0;  ///< number of transitions of the track before this chunk
  std::size_t count = 0;         ///< transitions in this chunk, at least 1
  std::int64_t first = 0;        ///< time in ps of the first one
  std::int64_t last = 0;         ///< and of the last one
  bool operator==(const ChunkFacts&) const = default;
};

using PackedBytes = std::vector<std::uint8_t>;

/// Where chunks are read from when they are not in memory: a session file. Called from any thread. nullopt: it cannot
/// be read, or is damaged. What is returned has been checked: unpacking it is safe and gives `count` rising times. A
/// source outlives its chunks, which share it.
class ChunkSource {
 public:
  ChunkSource() = default;
  ChunkSource(const ChunkSource&) = delete;
  ChunkSource& operator=(const ChunkSource&) = delete;
  virtual ~ChunkSource() = default;

  virtual std::optional<ChunkSummary> readSummary(std::int64_t key, const ChunkFacts& facts) const = 0;
  /// `summary` is what readSummary() gave.
  virtual std::optional<PackedBytes> readBytes(std::int64_t key, const ChunkFacts& facts,
                                               const ChunkSummary& summary) const = 0;
};

/// The deltas of a chunk, which stay where they are as long as this lives.
class ChunkBytes {
 public:
  ChunkBytes() = default;
  explicit ChunkBytes(const std::uint8_t* data) : m_data(data) {}
  explicit ChunkBytes(std::shared_ptr<const PackedBytes> hold) : m_data(hold->data()), m_hold(std::move(hold)) {}
  const std::uint8_t* data() const { return m_data; }

 private:
  const std::uint8_t* m_data = nullptr;
  std::shared_ptr<const PackedBytes> m_hold;  ///< none when they are the chunk's own
};

/// About 64 K transitions of one channel, packed: in memory, or read when somebody asks. Immutable to its readers,
/// which may be any threads.
class EdgeChunk {
 public:
  /// In memory. Requires: what packBlock() made of each block of `facts.count` transitions.
  EdgeChunk(ChunkFacts facts, ChunkSummary summary, PackedBytes bytes);
  /// Elsewhere. A chunk that cannot be read has as many transitions as it says, evenly spread between first and last,
  /// or a tick apart in their blocks: nobody who reads has to ask, and the source knows what it could not give.
  EdgeChunk(ChunkFacts facts, std::shared_ptr<const ChunkSource> source, std::int64_t key);
  EdgeChunk(const EdgeChunk&) = delete;
  EdgeChunk& operator=(const EdgeChunk&) = delete;
  ~EdgeChunk();

  const ChunkFacts& facts() const { return m_facts; }
  std::uint64_t firstIndex() const { return m_facts.firstIndex; }
  std::size_t count() const { return m_facts.count; }
  std::size_t blocks() const { return (m_facts.count + kBlockEdges - 1) / kBlockEdges; }
  std::size_t blockCount(std::size_t block) const
  {
    return block + 1 < blocks() ? kBlockEdges : m_facts.count - block * kBlockEdges;
  }

  /// Read once, then kept.
  const ChunkSummary& summary() const
  {
    const ChunkSummary* const known = m_summary.load(std::memory_order_acquire);
    return known != nullptr ? *known : readSummary();
  }
  /// Read through the cache (signal/chunk_cache.h) when they are not in memory: keep the result while you walk.
  ChunkBytes bytes() const { return m_source == nullptr ? ChunkBytes(m_own.data()) : readBytes(); }
  /// Where it is read from; nullptr: it is in memory.
  const ChunkSource* source() const { return m_source.get(); }
  std::int64_t key() const { return m_key; }

  /// In memory, without what the cache holds.
  std::size_t memory() const;

 private:
  const ChunkSummary& readSummary() const;
  ChunkBytes readBytes() const;

  ChunkFacts m_facts;
  std::shared_ptr<const ChunkSource> m_source;
  std::int64_t m_key = 0;
  mutable std::atomic<const ChunkSummary*> m_summary{nullptr};  ///< owned; set once
  PackedBytes m_own;
};

}  // namespace bexto
