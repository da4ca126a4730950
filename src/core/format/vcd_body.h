#pragma once

#include <memory>
#include <stop_token>
#include <string>
#include <string_view>

#include "core/base/progress.h"
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

  /// Reads `text` from byte `from` on. A last line that breaks off is passed over with a note. Looks at the token every
  /// megabyte. Errors: Malformed with the line in `text`; Cancelled.
  Result<void> read(std::string_view text, std::size_t from, const std::stop_token& stop, Progress& progress);
  /// All that was read so far.
  Capture capture() const;

 private:
  class Impl;
  std::unique_ptr<Impl> m_impl;
};

}  // namespace bexto
