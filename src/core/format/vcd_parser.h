#pragma once

#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/format/vcd_body.h"

namespace bexto {

/// A value change dump from its bytes, as they come. Thread-compatible.
class VcdParser {
 public:
  /// `source` names it in errors.
  explicit VcdParser(std::string source) : m_source(std::move(source)) {}

  /// Where the next bytes go: fill it from the front, then say how many with take().
  std::span<char> room(std::size_t bytes);

  enum class Until {
    Word,    ///< more may follow: up to the last word that is whole
    Moment,  ///< somebody is still writing: up to the last moment that is whole
    End,     ///< nothing follows
  };
  /// Takes the first `bytes` of the room. True when something was added to the capture. Errors: Malformed with the
  /// line.
  Result<bool> take(std::size_t bytes, Until until);

  /// Whether the declarations are there: before, there is no capture.
  bool hasHeader() const { return m_body != nullptr; }
  /// All so far. Requires: hasHeader().
  Capture capture() const { return m_body->capture(); }
  /// Adds to the notes of the capture. Requires: hasHeader().
  void note(std::string text) { m_body->note(std::move(text)); }

 private:
  Result<void> readHeader(bool whole);

  std::string m_source;
  std::string m_head;        ///< the declarations: identifiers point into it
  std::vector<char> m_text;  ///< what was given and is not yet used stands from m_from to m_until
  std::size_t m_from = 0;
  std::size_t m_until = 0;
  std::size_t m_searched = 0;  ///< in what is not yet used: the declarations do not end before
  std::unique_ptr<VcdBody> m_body;
};

}  // namespace bexto
