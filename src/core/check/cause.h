#pragma once

#include <map>
#include <optional>
#include <utility>
#include <vector>

#include "core/check/check.h"

namespace bexto {

/// Looks for what on the wires likely made data wrong. Claims nothing where nothing points to it. One thread.
class CauseFinder {
 public:
  /// A set-up or hold that is too short, as it was measured.
  struct TooClose {
    Cause::Kind kind = Cause::Kind::Setup;
    std::string symbol;
    MeasuredPlace place;
    Limits limits;
  };
  /// Borrows the input.
  CauseFinder(const CheckInput& input, std::vector<TooClose> tooClose);

  /// Of a frame with errors.
  std::optional<Cause> ofFrame(std::size_t stream, std::uint64_t number);
  /// Of something said in that time on the bus: by the first frame with a cause in it; nothing there, by the frame
  /// before it, and by the one before of the same name as the frame that `stream` and `number` say.
  std::optional<Cause> ofSpan(TimeRange span, std::size_t stream, std::uint64_t number);
  /// Of an interval that is too short, when more is known than its length.
  std::optional<Cause> ofInterval(std::size_t stream, std::uint64_t number, TimeRange time) const;

 private:
  std::optional<Cause> glitchIn(std::size_t stream, std::uint64_t number) const;
  std::optional<Cause> tooCloseIn(TimeRange span) const;
  std::optional<Cause> suspectIn(TimeRange span) const;

  const CheckInput& m_input;
  std::vector<TooClose> m_tooClose;  ///< by time
  std::map<std::pair<std::size_t, std::uint64_t>, std::optional<Cause>> m_known;
};

}  // namespace bexto
