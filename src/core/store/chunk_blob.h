#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <vector>

#include "core/signal/edge_chunk.h"

namespace bexto {

/// A chunk as a session file holds it: docs/session-format.md, "Chunks". Both are Zstandard frames (RFC 8878) with a
/// check sum, little-endian inside.
struct ChunkBlobs {
  std::vector<std::uint8_t> summary;
  std::vector<std::uint8_t> deltas;
};

ChunkBlobs packChunk(const EdgeChunk& chunk);

/// nullopt when it is damaged, or does not fit `facts`.
std::optional<ChunkSummary> unpackSummary(std::span<const std::uint8_t> blob, const ChunkFacts& facts);
/// nullopt when it is damaged, or would not unpack to times that rise from facts.first to facts.last by the summary.
std::optional<PackedBytes> unpackDeltas(std::span<const std::uint8_t> blob, const ChunkFacts& facts,
                                        const ChunkSummary& summary);

}  // namespace bexto
