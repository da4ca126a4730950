#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <vector>

#include "core/signal/record_log.h"

namespace bexto {

/// Records as a session file holds them: docs/session-format.md, "Records". A Zstandard frame (RFC 8878) with a check
/// sum, little-endian inside.
std::vector<std::uint8_t> packRecords(const RecordBlock& block);

/// nullopt when it is damaged, or does not fit `facts`.
std::optional<RecordBlock> unpackRecords(std::span<const std::uint8_t> blob, const RecordFacts& facts);

}  // namespace bexto
