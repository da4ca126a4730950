// One walk over clock and select, with the data lines looked at around each sampling edge. A window is what one select
// encloses; without a select, the edges of the clock between two gaps. Frames only say how far to go: where each word
// is one, they do not tell the windows.
//
// A clock that rests longer than usual between two words is a pause and no measurement: what is usual is the median of
// the first edges.
//
// Tested by tests/core/spi_meter_test.cpp.
#include "core/protocol/spi/spi_meter.h"

#include <optional>

#include "core/base/say.h"
#include "core/base/time_text.h"
#include "core/decode/edge_walk.h"
#include "core/decode/median.h"
#include "core/protocol/spi/spi_machine.h"

namespace bexto {

namespace {

enum Measure : std::size_t {
  kFClk,
  kTCh,
  kTCl,
  kTSuMosi,
  kTHdMosi,
  kTSuMiso,
  kTHdMiso,
  kTCss,
  kTCsh,
  kTCsHigh,
  kMeasures
};

/// What clocks usually do, twice: beyond that is a pause.
struct Usual {
  std::int64_t period = 0;  ///< the median itself
  std::int64_t twicePeriod = 0;
  std::int64_t twiceHigh = 0;
  std::int64_t twiceLow = 0;
};

class SpiMeter final : public Meter {
 public:
  explicit SpiMeter(const Bus& bus)
      : m_settings(spiSettings(bus)),
        m_lines(bus),
        m_leadsUp(m_settings.mode < 2),
        m_samplesUp(m_settings.mode == 0 || m_settings.mode == 3)
  {
  }

  void measure(const StreamInput& input, const FrameIndex& frames, FrameRange range,
               std::vector<Tally>& tallies) override
  {
    if (range.count() == 0)
      return;
    // Windows go on where the range before left: each is in the range that its first frame is in.
    const std::int64_t until = range.end < frames.size() ? frames.frame(range.end).time.begin.count() : kNever.count();
    if (!m_usual) {
      m_usual = usual(input);
      m_measuredTo = range.first == 0 ? 0 : frames.frame(range.first).time.begin.count();
    }
    Wires wires(*this, input, Picoseconds{m_measuredTo});
    for (;;) {
      const std::optional<Window> window = nextWindow(wires, input);
      if (!window || window->begin >= until || (!window->released && !input.final))
        break;
      m_measuredTo = measureWindow(*window, wires, tallies) + 1;
    }
  }

 private:
  static constexpr std::size_t kEnough = 65536;

  struct Wires {
    Wires(const SpiMeter& meter, const StreamInput& input, Picoseconds from)
        : clockEdges(input.tracks.at(0), from, input.until, input.final),
          mosiEdges(trackOf(input, meter.m_lines.mosi), from, input.until, input.final),
          misoEdges(trackOf(input, meter.m_lines.miso), from, input.until, input.final),
          selectEdges(trackOf(input, meter.m_lines.select), from, input.until, input.final),
          clock(clockEdges),
          mosi(mosiEdges),
          miso(misoEdges),
          select(selectEdges)
    {
    }
    static const ConditionedTrack& trackOf(const StreamInput& input, int line)
    {
      static const ConditionedTrack kSilent{EdgeTrack()};
      return line < 0 ? kSilent : input.tracks.at(static_cast<std::size_t>(line));
    }
    EdgeStream clockEdges;
    EdgeStream mosiEdges;
    EdgeStream misoEdges;
    EdgeStream selectEdges;
    EdgeWalk clock;
    EdgeWalk mosi;
    EdgeWalk miso;
    EdgeWalk select;
    bool ended = false;  ///< the last window was open at the end
  };
  /// From its first moment to its last; without a select the end is found on the way.
  struct Window {
    std::int64_t begin = 0;
    std::int64_t end = kNever.count();
    bool selected = false;  ///< begins with an edge of the select
    bool released = false;  ///< ends with one
  };

  bool hasSelect() const { return m_lines.select >= 0; }

  /// The window that begins next. With a select, its edges are used up; without, the clock stands at the first edge.
  std::optional<Window> nextWindow(Wires& wires, const StreamInput& input) const
  {
    Window window;
    if (wires.ended)
      return std::nullopt;
    if (!hasSelect()) {
      window.begin = wires.clock.next();
      window.released = input.final;
      return window.begin == kNever.count() ? std::nullopt : std::optional(window);
    }
    // Active where the walk begins: at the capture's start.
    if (wires.select.level() != m_settings.selectHigh) {
      window.begin = wires.select.next();
      if (window.begin == kNever.count())
        return std::nullopt;
      window.selected = true;
      wires.select.advance();
    }
    window.released = wires.select.next() != kNever.count();
    window.end = window.released ? wires.select.next() : input.until.count();
    if (window.released)
      wires.select.advance();
    else
      wires.ended = true;
    return window;
  }

  /// Returns where it ended.
  std::int64_t measureWindow(const Window& window, Wires& wires, std::vector<Tally>& tallies)
  {
    const std::int64_t begin = window.begin;
    const std::int64_t end = window.end;
    if (window.selected && m_released >= 0)
      tallies[kTCsHigh].add(begin - m_released, m_released, begin);
    if (hasSelect() && window.released)
      m_released = end;
    // What coincides with the select: see the machine.
    EdgeWalk& clock = wires.clock;
    clock.skipBefore(hasSelect() ? begin + 1 : begin);
    wires.mosi.skipBefore(begin);
    wires.miso.skipBefore(begin);
    LastEdge mosi;
    LastEdge miso;
    std::int64_t leading = -1;
    std::int64_t before = -1;
    while (clock.next() <= end && clock.next() != kNever.count()) {
      const std::int64_t at = clock.next();
      if (!hasSelect() && before >= 0 && at - before >= m_settings.gap.count())
        return before;
      clock.advance();
      const bool up = clock.level();
      if (before < 0) {
        if (window.selected)
          tallies[kTCss].add(at - begin, begin, at);
      } else {
        const std::int64_t length = at - before;
        if (length <= (up ? m_usual->twiceLow : m_usual->twiceHigh))
          tallies[up ? kTCl : kTCh].add(length, before, at);
      }
      if (up == m_leadsUp) {
        if (leading >= 0 && at - leading <= m_usual->twicePeriod)
          tallies[kFClk].add(at - leading, leading, at);
        leading = at;
      }
      if (up == m_samplesUp) {
        sample(at, end, wires.mosi, mosi, tallies[kTSuMosi], tallies[kTHdMosi]);
        sample(at, end, wires.miso, miso, tallies[kTSuMiso], tallies[kTHdMiso]);
      }
      before = at;
    }
    if (hasSelect() && window.released && before >= 0)
      tallies[kTCsh].add(end - before, before, end);
    return hasSelect() ? end : before;
  }

  /// The last edge of a data line in the window.
  struct LastEdge {
    std::int64_t at = -1;
  };

  void sample(std::int64_t at, std::int64_t end, EdgeWalk& line, LastEdge& last, Tally& setup, Tally& hold) const
  {
    while (line.next() < at) {
      last.at = line.next();
      line.advance();
    }
    if (last.at >= 0 && at - last.at <= m_usual->period)
      setup.add(at - last.at, last.at, at);
    const std::int64_t next = line.next();
    if (next <= end && next - at <= m_usual->period)
      hold.add(next - at, at, next);
  }

  /// Of the first edges of the clock in windows.
  Usual usual(const StreamInput& input) const
  {
    Wires wires(*this, input, Picoseconds{0});
    std::vector<std::int64_t> highs;
    std::vector<std::int64_t> lows;
    std::vector<std::int64_t> periods;
    while (periods.size() < kEnough) {
      const std::optional<Window> window = nextWindow(wires, input);
      if (!window)
        break;
      wires.clock.skipBefore(hasSelect() ? window->begin + 1 : window->begin);
      std::int64_t leading = -1;
      std::int64_t before = -1;
      while (wires.clock.next() <= window->end && wires.clock.next() != kNever.count()) {
        const std::int64_t at = wires.clock.next();
        if (!hasSelect() && before >= 0 && at - before >= m_settings.gap.count())
          break;
        wires.clock.advance();
        const bool up = wires.clock.level();
        if (before >= 0)
          (up ? lows : highs).push_back(at - before);
        if (up == m_leadsUp) {
          if (leading >= 0)
            periods.push_back(at - leading);
          leading = at;
        }
        before = at;
      }
    }
    Usual usual;
    usual.twicePeriod = twiceMedian(periods);
    usual.period = usual.twicePeriod / 2;
    usual.twiceHigh = twiceMedian(highs);
    usual.twiceLow = twiceMedian(lows);
    return usual;
  }

  SpiSettings m_settings;
  spi::Lines m_lines;
  bool m_leadsUp;
  bool m_samplesUp;
  std::optional<Usual> m_usual;
  std::int64_t m_measuredTo = 0;  ///< all windows that begin earlier are measured
  std::int64_t m_released = -1;   ///< when the select became inactive last; -1: not seen
};

}  // namespace

std::vector<Cause> spiLateData(const Bus& bus, const StreamInput& input, const Frame& frame)
{
  constexpr std::int64_t kLongest = 10'000'000'000;  // of a frame of 10 ms and more the begin has to do
  const spi::Lines lines(bus);
  const int mode = spiSettings(bus).mode;
  const bool samplesUp = mode == 0 || mode == 3;
  const std::int64_t end = std::min(frame.time.end.count(), frame.time.begin.count() + kLongest);
  std::vector<Cause> late;
  for (const auto& [line, name] : {std::pair{lines.mosi, "MOSI"}, std::pair{lines.miso, "MISO"}}) {
    if (line < 0)
      continue;
    EdgeStream clock(input.tracks.at(0), frame.time.begin, input.until, input.final);
    EdgeStream data(input.tracks.at(static_cast<std::size_t>(line)), frame.time.begin, input.until, input.final);
    std::vector<Cause> ofLine;
    std::size_t edges = 0;
    std::int64_t sampled = -1;  // the last edge that samples, when no other came behind it
    for (; data.next() <= end; data.advance()) {
      for (; clock.next() <= data.next(); clock.advance())
        sampled = clock.level() != samplesUp ? clock.next() : -1;
      ++edges;
      if (sampled < 0 || clock.next() > end)
        continue;
      Cause cause;
      cause.kind = Cause::Kind::Setup;
      cause.time = {Picoseconds{sampled}, Picoseconds{data.next()}};
      cause.why =
          say("{} changed {} after the edge that samples it, before the clock let it move: too late for that bit", name,
              lengthText(cause.time.length()));
      ofLine.push_back(std::move(cause));
    }
    if (ofLine.size() * 4 <= edges)
      late.insert(late.end(), ofLine.begin(), ofLine.end());
  }
  return late;
}

std::vector<MeasureSpec> spiMeasures()
{
  using enum MeasureUnit;
  std::vector<MeasureSpec> m(kMeasures);
  m[kFClk] = {"fCLK", Frequency, "clock: from one leading edge to the next", false, "clk"};
  m[kTCh] = {"tCH", Time, "high of the clock", false, "clk"};
  m[kTCl] = {"tCL", Time, "low of the clock", false, "clk"};
  m[kTSuMosi] = {"tSU;MOSI", Time, "set-up of MOSI: its last edge to the edge that samples it", false, "mosi"};
  m[kTHdMosi] = {"tHD;MOSI", Time, "hold of MOSI: the edge that samples it to its next edge", false, "mosi"};
  m[kTSuMiso] = {"tSU;MISO", Time, "set-up of MISO: its last edge to the edge that samples it", false, "miso"};
  m[kTHdMiso] = {"tHD;MISO", Time, "hold of MISO: the edge that samples it to its next edge", false, "miso"};
  m[kTCss] = {"tCSS", Time, "select to the first edge of the clock", false, "cs"};
  m[kTCsh] = {"tCSH", Time, "last edge of the clock to the end of the select", false, "cs"};
  m[kTCsHigh] = {"tCSHIGH", Time, "select inactive between two transfers", true, "cs"};
  return m;
}

std::unique_ptr<Meter> makeSpiMeter(const Bus& bus)
{
  return std::make_unique<SpiMeter>(bus);
}

}  // namespace bexto
