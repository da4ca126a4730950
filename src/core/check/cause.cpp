// A glitch is looked for by trying: the frame is decoded again without one of its short pulses, and when it is right
// then, that pulse is named. So nothing is claimed that was not tried.
//
// Tested by tests/core/cause_test.cpp.
#include "core/check/cause.h"

#include <algorithm>

#include "core/base/say.h"
#include "core/base/time_text.h"
#include "core/decode/median.h"
#include "core/decode/protocol.h"
#include "core/signal/edge_stream.h"
#include "core/signal/edge_track_builder.h"

namespace bexto {

namespace {

/// A pulse on one of the stream's wires.
struct Pulse {
  std::size_t wire = 0;
  std::size_t edge = 0;  ///< its first, of the wire's edges in the frame
  TimeRange time;
  bool high = false;
  Picoseconds away{0};  ///< from the nearest other edge of its wire
};

/// A wire during a frame.
struct WireEdges {
  bool startLevel = false;
  std::vector<std::int64_t> at;
};

constexpr std::size_t kMostTried = 12;

WireEdges edgesIn(const ConditionedTrack& track, const StreamInput& input, TimeRange time)
{
  WireEdges wire;
  EdgeStream edges(track, time.begin, input.until, input.final);
  wire.startLevel = edges.level();
  for (; edges.next() <= time.end.count(); edges.advance())
    wire.at.push_back(edges.next());
  return wire;
}

/// What no bit is as short as: half a bit at the fastest rate; where a clock leads, half of what its pulses usually
/// are.
std::int64_t shortestBit(const Bus& bus, const std::vector<WireEdges>& wires)
{
  const double rate = bus.protocol().fastestRate(bus);
  if (rate > 0.0)
    return static_cast<std::int64_t>(0.5e12 / rate);
  std::vector<std::int64_t> lengths;
  const auto& clock = wires.front().at;
  for (std::size_t i = 1; i < clock.size(); ++i)
    lengths.push_back(clock[i] - clock[i - 1]);
  return twiceMedian(lengths) / 4;
}

/// Short pulses, the shortest first.
std::vector<Pulse> pulsesIn(const std::vector<WireEdges>& wires, std::int64_t shorterThan, std::int64_t end)
{
  std::vector<Pulse> pulses;
  for (std::size_t w = 0; w < wires.size(); ++w) {
    const auto& at = wires[w].at;
    for (std::size_t i = 1; i < at.size(); ++i) {
      const std::int64_t length = at[i] - at[i - 1];
      if (length >= shorterThan || at[i] > end)
        continue;
      Pulse pulse;
      pulse.wire = w;
      pulse.edge = i - 1;
      pulse.time = {Picoseconds{at[i - 1]}, Picoseconds{at[i]}};
      pulse.high = wires[w].startLevel == (i % 2 == 0);
      const std::int64_t before = i >= 2 ? at[i - 1] - at[i - 2] : kNever.count();
      const std::int64_t behind = i + 1 < at.size() ? at[i + 1] - at[i] : kNever.count();
      pulse.away = Picoseconds{std::min(before, behind)};
      pulses.push_back(pulse);
    }
  }
  std::sort(pulses.begin(), pulses.end(),
            [](const Pulse& a, const Pulse& b) { return a.time.length() < b.time.length(); });
  pulses.resize(std::min(pulses.size(), kMostTried));
  return pulses;
}

/// The stream's wires during a frame and nothing else, without the pulse; up to `last`, included.
StreamInput without(const Pulse& pulse, const std::vector<WireEdges>& wires, TimeRange time, Picoseconds last)
{
  // What a decoder waits for behind a frame, whatever its rate.
  constexpr int kFramesBehind = 8;
  StreamInput input;
  for (std::size_t w = 0; w < wires.size(); ++w) {
    EdgeTrackBuilder track;
    track.set(0, wires[w].startLevel);
    for (std::size_t i = 0; i < wires[w].at.size(); ++i) {
      const std::int64_t at = wires[w].at[i];
      const bool isPulse = w == pulse.wire && (i == pulse.edge || i == pulse.edge + 1);
      if (!isPulse && at <= last.count())
        track.toggle(at);
    }
    input.tracks.emplace_back(track.snapshot());
  }
  input.until = plus(std::max(time.end, last), time.length() * kFramesBehind);
  return input;
}

}  // namespace

CauseFinder::CauseFinder(const CheckInput& input, std::vector<TooClose> tooClose)
    : m_input(input), m_tooClose(std::move(tooClose))
{
  std::sort(m_tooClose.begin(), m_tooClose.end(),
            [](const TooClose& a, const TooClose& b) { return a.place.time.begin < b.place.time.begin; });
}

std::optional<Cause> CauseFinder::ofFrame(std::size_t stream, std::uint64_t number)
{
  const auto [known, isNew] = m_known.try_emplace({stream, number});
  if (!isNew)
    return known->second;
  const CheckStream& checked = m_input.streams[stream];
  const Frame frame = checked.frames.frame(number);
  std::optional<Cause> cause;
  if (frame.errors != 0 && !checked.input.records) {
    cause = glitchIn(stream, number);
    if (!cause)
      cause = m_input.bus.protocol().causeOf(m_input.bus, checked.input, checked.frames, number);
  }
  if (!cause)
    cause = tooCloseIn(frame.time);
  m_known[{stream, number}] = cause;
  return cause;
}

std::optional<Cause> CauseFinder::glitchIn(std::size_t stream, std::uint64_t number) const
{
  constexpr std::int64_t kLongest = 1'000'000'000'000;  // of a frame of many seconds nobody can say
  const CheckStream& checked = m_input.streams[stream];
  const Protocol& protocol = m_input.bus.protocol();
  const Frame frame = checked.frames.frame(number);
  if (frame.time.length().count() > kLongest)
    return std::nullopt;
  // Where it ends, what others did about it begins, which is not there without the pulse; or it is a longer one then.
  const Picoseconds longest = std::min(plus(frame.time.end, frame.time.length()), checked.input.until);
  std::vector<WireEdges> wires;
  for (const ConditionedTrack& track : checked.input.tracks)
    wires.push_back(edgesIn(track, checked.input, {frame.time.begin, longest}));
  if (wires.empty())
    return std::nullopt;
  for (const Pulse& pulse : pulsesIn(wires, shortestBit(m_input.bus, wires), frame.time.end.count())) {
    for (const Picoseconds last :
         {frame.time.end - Picoseconds{1}, frame.time.end, std::max(longest, frame.time.end)}) {
      const auto again = decodeStream(m_input.bus, without(pulse, wires, frame.time, last), std::stop_token());
      if (!again || again->frames.empty())
        continue;
      const Frame other = again->frames.frame(0);
      if (other.time.begin != frame.time.begin || !protocol.wouldBeRight(other))
        continue;
      Cause cause;
      // Beside an edge it is the edge that crossed more than once; alone it is a pulse of its own.
      const bool isEdge = pulse.away <= 2 * pulse.time.length();
      cause.kind = isEdge ? Cause::Kind::Threshold : Cause::Kind::Glitch;
      cause.time = pulse.time;
      const std::string length = lengthText(pulse.time.length());
      cause.why =
          isEdge ? say("an edge crosses the threshold again after {}; without that the frame would be right", length)
          : pulse.high ? say("the line is high for {} inside a bit; without that the frame would be right", length)
                       : say("the line is low for {} inside a bit; without that the frame would be right", length);
      return cause;
    }
  }
  return std::nullopt;
}

std::optional<Cause> CauseFinder::tooCloseIn(TimeRange span) const
{
  const auto found = std::lower_bound(m_tooClose.begin(), m_tooClose.end(), span.begin,
                                      [](const TooClose& one, Picoseconds t) { return one.place.time.begin < t; });
  if (found == m_tooClose.end() || found->place.time.begin >= span.end)
    return std::nullopt;
  // The worst of those in the frame.
  auto worst = found;
  for (auto at = found; at != m_tooClose.end() && at->place.time.begin < span.end; ++at)
    worst = at->place.room < worst->place.room ? at : worst;
  Cause cause;
  cause.kind = worst->kind;
  cause.time = worst->place.time;
  const std::string value = lengthText(wholePicoseconds(worst->place.value));
  const std::string least = lengthText(wholePicoseconds(worst->limits.min.value_or(0.0)));
  cause.why = worst->kind == Cause::Kind::Setup
                  ? say("{} is {}: the data moved that long before it was sampled, and {} are needed", worst->symbol,
                        value, least)
                  : say("{} is {}: the data moved that soon after it was sampled, and {} are needed", worst->symbol,
                        value, least);
  return cause;
}

std::optional<Cause> CauseFinder::suspectIn(TimeRange span) const
{
  constexpr std::uint64_t kMost = 64;
  for (const CheckStream& stream : m_input.streams) {
    if (stream.input.records)
      continue;
    const std::uint64_t first = stream.frames.firstFrom(span.begin);
    for (std::uint64_t i = first; i < stream.frames.size() && i < first + kMost; ++i) {
      const Frame frame = stream.frames.frame(i);
      if (frame.time.begin > span.end)
        break;
      const auto suspects = m_input.bus.protocol().suspects(m_input.bus, stream.input, frame);
      if (!suspects.empty())
        return suspects.front();
    }
  }
  return std::nullopt;
}

std::optional<Cause> CauseFinder::ofInterval(std::size_t stream, std::uint64_t number, TimeRange time) const
{
  const CheckStream& checked = m_input.streams[stream];
  if (checked.input.records)
    return std::nullopt;
  for (Cause& cause : m_input.bus.protocol().suspects(m_input.bus, checked.input, checked.frames.frame(number))) {
    if (cause.time == time)
      return std::move(cause);
  }
  return std::nullopt;
}

std::optional<Cause> CauseFinder::ofSpan(TimeRange span, std::size_t stream, std::uint64_t number)
{
  constexpr std::uint64_t kMost = 4096;  // of a span of hours the begin has to do
  for (std::size_t s = 0; s < m_input.streams.size(); ++s) {
    const FrameIndex& frames = m_input.streams[s].frames;
    const std::uint64_t first = frames.firstFrom(span.begin);
    for (std::uint64_t i = first; i < frames.size() && i < first + kMost && frames.frame(i).time.begin <= span.end;
         ++i) {
      if (frames.frame(i).errors == 0)
        continue;
      if (auto cause = ofFrame(s, i))
        return cause;
    }
  }
  if (auto cause = suspectIn(span))
    return cause;
  if (auto cause = tooCloseIn(span))
    return cause;
  if (stream >= m_input.streams.size())
    return std::nullopt;
  // The frame before, and the one before with the same device.
  const Protocol& protocol = m_input.bus.protocol();
  const FrameIndex& frames = m_input.streams[stream].frames;
  if (number == 0 || number > frames.size())
    return std::nullopt;
  const auto withCause = [&](std::uint64_t i) -> std::optional<Cause> {
    return (frames.frame(i).errors & ~protocol.harmless()) != 0 ? ofFrame(stream, i) : std::nullopt;
  };
  if (auto cause = withCause(number - 1))
    return cause;
  constexpr std::uint64_t kLookBack = 16;
  const std::uint64_t name = protocol.nameOf(m_input.bus, frames.frame(number));
  std::uint64_t others = 0;
  for (std::uint64_t back = 1; back <= std::min(kLookBack, number) && others < 2; ++back) {
    const Frame before = frames.frame(number - back);
    if (protocol.nameOf(m_input.bus, before) != name)
      continue;
    if (auto cause = withCause(number - back))
      return cause;
    ++others;
  }
  return std::nullopt;
}

}  // namespace bexto
