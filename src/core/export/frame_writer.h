#pragma once

#include <string>
#include <vector>

#include "core/decode/decoder.h"
#include "core/decode/meaning.h"

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
  /// With `told` there are columns for what devices say.
  FrameWriter(FrameFormat format, const std::vector<const Protocol*>& decoded, bool told = false);

  /// What stands before the first record: the head of a CSV, else nothing.
  std::string header() const;
  /// One frame with its end of line. `told`: what it says by its device's sheet.
  std::string record(const Frame& frame, const FrameOrigin& origin, const Told* told = nullptr) const;
  /// The same for a message that is made of several frames; `time` is that of all of them, and so are `errors`.
  std::string message(const Told& told, const FrameOrigin& origin, TimeRange time, FrameErrors errors,
                      std::span<const std::uint8_t> bytes) const;

 private:
  FrameFormat m_format;
  std::vector<std::string> m_columns;
};

}  // namespace bexto
