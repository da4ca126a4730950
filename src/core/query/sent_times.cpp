// Tested by tests/core/sent_times_test.cpp.
#include "core/query/sent_times.h"

#include <algorithm>

namespace bexto {

std::shared_ptr<const SentTimes> sentOn(const Capture& capture, const std::vector<std::size_t>& channels)
{
  SentTimes times;
  for (const SentSpan& span : capture.sent) {
    const bool isHere = std::find(channels.begin(), channels.end(), span.channel) != channels.end();
    // What drove several wires is there for each of them.
    if (isHere && (times.empty() || times.back() != span.time))
      times.push_back(span.time);
  }
  return times.empty() ? nullptr : std::make_shared<const SentTimes>(std::move(times));
}

bool isSent(const SentTimes* sent, Picoseconds begin)
{
  if (sent == nullptr)
    return false;
  const auto behind = std::upper_bound(sent->begin(), sent->end(), begin,
                                       [](Picoseconds t, const TimeRange& range) { return t < range.begin; });
  return behind != sent->begin() && begin <= std::prev(behind)->end;
}

}  // namespace bexto
