#pragma once

#include <string>
#include <vector>

#include "core/decode/decoder.h"

namespace bexto {

class Protocol;

/// JSON lines; CSV after RFC 4180 with a head; lines for eyes.
enum class FrameFormat : std::uint8_t { Jsonl, Csv, Text };

/// Where a frame comes from. Borrows the bus.
struct FrameOrigin {
  const Bus* bus = nullptr;
  std::string line;  ///< BusStream::line
};

/// Frames in the words of docs/command-line.md: keys, their order and their meaning stand there. What every frame has
/// comes first, then the properties that the room of its protocol declares. Immutable; any thread may use one.
class FrameWriter {
 public:
  /// `decoded` are the protocols of the buses whose frames will come. They decide on the columns of a CSV: those of
  /// Protocol::Facts::alwaysInTables, then those that only a protocol in `decoded` has.
  FrameWriter(FrameFormat format, const std::vector<const Protocol*>& decoded);

  /// What stands before the first record: the head of a CSV, else nothing.
  std::string header() const;
  /// One frame with its end of line.
  std::string record(const Frame& frame, const FrameOrigin& origin) const;

 private:
  FrameFormat m_format;
  std::vector<std::string> m_columns;
};

}  // namespace bexto
