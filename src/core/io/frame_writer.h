#pragma once

#include <string>
#include <vector>

#include "core/decode/decoder.h"

namespace bexto {

enum class FrameFormat : std::uint8_t { Jsonl, Csv, Text };

/// Where a frame comes from.
struct FrameOrigin {
  const Bus* bus = nullptr;
  std::string line;  ///< "rx", "tx" or empty
};

/// One frame in the words of docs/command-line.md: keys, their order and their meaning stand there.
std::string frameRecord(const Frame& frame, const FrameOrigin& origin, FrameFormat format);

/// What stands before the first record: the header of a CSV, else nothing.
std::string frameHeader(FrameFormat format);

}  // namespace bexto
