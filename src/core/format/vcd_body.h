#pragma once

#include <memory>
#include <string>
#include <string_view>

#include "core/base/result.h"
#include "core/format/vcd_header.h"
#include "core/signal/capture.h"

namespace bexto {

/// The value changes of a dump, read in one piece or in several that follow one another. Thread-compatible.
class VcdBody {
 public:
  /// The views in `header` have to live as long as this. Requires: the header declares a wire.
  VcdBody(const std::string& source, VcdHeader header);
  VcdBody(const VcdBody&) = delete;
  VcdBody& operator=(const VcdBody&) = delete;
  ~VcdBody();

  /// Reads `piece` as far as it is certain, and says how many bytes that was: the next piece begins behind them. With
  /// `last` that is all, and a last line that breaks off is passed over with a note. Give pieces of some megabytes.
  /// Errors: Malformed with the line.
  Result<std::size_t> read(std::string_view piece, bool last);
  /// Adds to the notes of the capture.
  void note(std::string text);
  /// All that was read so far.
  Capture capture() const;

 private:
  class Impl;
  std::unique_ptr<Impl> m_impl;
};

/// Pieces of this size fit into a processor's cache and are large enough to make their handling cheap.
inline constexpr std::size_t kVcdPiece = std::size_t{1} << 20U;

}  // namespace bexto
