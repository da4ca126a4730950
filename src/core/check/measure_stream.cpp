// Tested by tests/core/measure_stream_test.cpp.
#include "core/check/measure_stream.h"

#include <algorithm>
#include <atomic>
#include <memory>
#include <thread>
#include <unordered_map>

#include "core/base/side_by_side.h"
#include "core/decode/meter.h"
#include "core/decode/protocol.h"

namespace bexto {

namespace {

/// Frames that are measured between two looks at the token.
constexpr std::uint64_t kSlice = 8192;
constexpr std::uint64_t kMostParts = 16;
/// Where a stream cannot be cut before a frame, so many that follow are tried.
constexpr std::uint64_t kCutsTried = 64;

/// Frames that one meter measures.
struct Part {
  std::unique_ptr<Meter> meter;
  FrameRange range;
  std::vector<Tally> tallies;
};

std::vector<Tally> talliesFor(const std::vector<WantedMeasure>& wanted, double period)
{
  std::vector<Tally> tallies;
  tallies.reserve(wanted.size());
  for (const WantedMeasure& one : wanted)
    tallies.emplace_back(one.unit, one.limits, period);
  return tallies;
}

std::uint64_t partsOf(const StreamInput& input, const FrameIndex& frames, FrameRange range,
                      std::uint64_t transitionsAPart)
{
  std::uint64_t transitions = 0;
  for (const ConditionedTrack& track : input.tracks)
    transitions += track.track.size();
  const double share = static_cast<double>(range.count()) / static_cast<double>(frames.size());
  const auto parts =
      static_cast<std::uint64_t>(share * static_cast<double>(transitions) / static_cast<double>(transitionsAPart));
  return std::clamp<std::uint64_t>(parts, 1, kMostParts);
}

std::vector<Part> cut(std::unique_ptr<Meter> first, const StreamInput& input, const FrameIndex& frames,
                      FrameRange range, std::uint64_t transitionsAPart)
{
  std::vector<Part> parts(1);
  parts.front().range = range;
  const std::uint64_t count = range.count() == 0 ? 1 : partsOf(input, frames, range, transitionsAPart);
  for (std::uint64_t i = 1; i < count; ++i) {
    std::uint64_t number = std::max(range.first + range.count() * i / count, parts.back().range.first + 1);
    const std::uint64_t last = std::min(number + kCutsTried, range.end);
    std::unique_ptr<Meter> meter;
    for (; number < last && !meter; ++number)
      meter = first->goingOnFrom(input, frames, number);
    if (!meter)
      continue;
    parts.back().range.end = number - 1;
    parts.push_back({std::move(meter), {number - 1, range.end}, {}});
  }
  parts.front().meter = std::move(first);
  return parts;
}

/// Parts number their groups in the order in which they meet them: what is special about a group says which it is.
class Groups {
 public:
  /// What the numbers of a part are in the list.
  std::vector<std::uint32_t> numbersOf(const Part& part)
  {
    std::size_t count = 0;
    for (const Tally& tally : part.tallies)
      count = std::max(count, tally.groups().size());
    std::vector<std::uint32_t> numbers;
    numbers.reserve(count);
    for (std::size_t i = 0; i < count; ++i) {
      std::string name = part.meter->groupName(static_cast<std::uint32_t>(i));
      const auto [at, isNew] = m_numbers.try_emplace(std::move(name), static_cast<std::uint32_t>(m_names.size()));
      if (isNew)
        m_names.push_back(at->first);
      numbers.push_back(at->second);
    }
    return numbers;
  }
  std::vector<std::string> names() && { return std::move(m_names); }

 private:
  std::vector<std::string> m_names;
  std::unordered_map<std::string, std::uint32_t> m_numbers;
};

}  // namespace

Result<StreamMeasures> measureStream(const Bus& bus, const StreamInput& input, const FrameIndex& frames,
                                     FrameRange range, const std::vector<WantedMeasure>& wanted, double period,
                                     const std::stop_token& stop, const std::function<void(double)>& progress,
                                     std::uint64_t transitionsAPart)
{
  StreamMeasures measures;
  measures.tallies = talliesFor(wanted, period);
  std::unique_ptr<Meter> meter = bus.protocol().meter(bus);
  if (meter) {
    std::vector<Part> parts = cut(std::move(meter), input, frames, range, transitionsAPart);
    const std::thread::id caller = std::this_thread::get_id();
    std::atomic<std::uint64_t> done = 0;
    sideBySide(parts.size(), [&](std::size_t i) {
      Part& part = parts[i];
      part.tallies = talliesFor(wanted, period);
      for (std::uint64_t at = part.range.first; at < part.range.end && !stop.stop_requested(); at += kSlice) {
        const std::uint64_t end = std::min(at + kSlice, part.range.end);
        part.meter->measure(input, frames, {at, end}, part.tallies);
        const std::uint64_t sofar = done += end - at;
        if (progress && std::this_thread::get_id() == caller)
          progress(static_cast<double>(sofar) / static_cast<double>(range.count()));
      }
      for (Tally& tally : part.tallies)
        tally.settle();
    });
    if (stop.stop_requested())
      return fail(ErrorCode::Cancelled, "cancelled");
    Groups groups;
    for (const Part& part : parts) {
      const std::vector<std::uint32_t> numbers = groups.numbersOf(part);
      for (std::size_t i = 0; i < wanted.size(); ++i)
        measures.tallies[i].merge(part.tallies[i], numbers);
    }
    measures.groups = std::move(groups).names();
  }
  return measures;
}

}  // namespace bexto
