#pragma once

#include <cstdint>
#include <memory>
#include <stop_token>
#include <string>

#include "core/format/vcd_parser.h"

namespace bexto {

/// Reads a value change dump while somebody else is still writing it. Each call of more() takes what was added since,
/// up to the last moment that is whole: a moment whose changes may still be coming is left for the next call.
/// Thread-compatible. Keeps the file open; memory is that of the packed tracks.
class VcdFollower {
 public:
  explicit VcdFollower(std::string path);
  VcdFollower(const VcdFollower&) = delete;
  VcdFollower& operator=(const VcdFollower&) = delete;
  ~VcdFollower();

  /// True when something was added. `final`: nobody writes any more, take all there is.
  /// Errors: Unreadable (also when the file got shorter); Malformed with the line; Cancelled.
  Result<bool> more(bool final, const std::stop_token& stop);
  /// Whether the declarations are there: before, there is no capture.
  bool hasHeader() const { return m_parser.hasHeader(); }
  /// All so far. Requires: hasHeader().
  Capture capture() const { return m_parser.capture(); }

 private:
  std::string m_path;
  std::string m_name;
  int m_file = -1;
  std::uint64_t m_read = 0;
  VcdParser m_parser;
};

}  // namespace bexto
