// Tested by tests/core/sent_lines_test.cpp.
#include "core/view/sent_lines.h"

#include <algorithm>

namespace bexto {

bool wasSent(const Capture& capture, const std::vector<std::size_t>& channels, Picoseconds begin)
{
  // One line may stand there for each channel that it drove, and several channels for one begin.
  const auto behind = std::upper_bound(capture.sent.begin(), capture.sent.end(), begin,
                                       [](Picoseconds t, const SentSpan& span) { return t < span.time.begin; });
  std::optional<Picoseconds> from;
  for (auto span = behind; span != capture.sent.begin();) {
    --span;
    // What begins before another of the same channels has ended before it.
    if (from && span->time.begin < *from)
      return false;
    if (std::find(channels.begin(), channels.end(), span->channel) == channels.end())
      continue;
    if (begin <= span->time.end)
      return true;
    from = span->time.begin;
  }
  return false;
}

}  // namespace bexto
