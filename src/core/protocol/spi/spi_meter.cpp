// One walk over clock and select, with the data lines looked at around each sampling edge: some hundred edges of the
// clock at a time, so that what is measured comes in rows. A window is what one select encloses; without a select, the
// edges of the clock between two gaps. Frames only say how far to go: where each word is one, they do not tell the
// windows.
//
// A clock that rests longer than usual between two words is a pause and no measurement: what is usual is the median of
// the first edges.
//
// Tested by tests/core/meter_test.cpp, slow_meters_test.cpp.
#include "core/protocol/spi/spi_meter.h"

#include <algorithm>
#include <array>
#include <optional>

#include "core/base/say.h"
#include "core/base/time_text.h"
#include "core/decode/edge_match.h"
#include "core/decode/edge_walk.h"
#include "core/decode/edges_taken.h"
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
      : m_bus(bus),
        m_settings(spiSettings(bus)),
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
    if (!m_usual)
      m_usual = usual(input);
    if (m_measuredTo < 0)
      m_measuredTo = range.first == 0 ? 0 : frames.frame(range.first).time.begin.count();
    Wires wires(*this, input, Picoseconds{m_measuredTo});
    for (;;) {
      const std::optional<Window> window = nextWindow(wires, input);
      if (!window || window->begin >= until || (!window->released && !input.final))
        break;
      m_measuredTo = measureWindow(*window, wires, tallies) + 1;
    }
    for (std::size_t measure = 0; measure < m_waiting.size(); ++measure)
      addWaiting(measure, tallies);
  }

  std::unique_ptr<Meter> goingOnFrom(const StreamInput& input, const FrameIndex& frames, std::uint64_t number) override
  {
    // Only where a window begins with the frame.
    const std::int64_t begin = frames.frame(number).time.begin.count();
    EdgeStream edges(input.tracks.at(hasSelect() ? static_cast<std::size_t>(m_lines.select) : 0U),
                     frames.frame(number - 1).time.begin, input.until, input.final);
    std::int64_t before = -1;
    for (; edges.next() < begin; edges.advance())
      before = edges.next();
    const bool isActive = hasSelect() && edges.level() == m_settings.selectHigh;
    if (edges.next() != begin || isActive || (!hasSelect() && begin - before < m_settings.gap.count()))
      return nullptr;
    if (!m_usual)
      m_usual = usual(input);
    auto other = std::make_unique<SpiMeter>(m_bus);
    other->m_usual = m_usual;
    other->m_measuredTo = begin;
    if (hasSelect())
      other->m_released = before;
    return other;
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
    if (window.selected && m_released >= 0)
      tallies[kTCsHigh].add(begin - m_released, m_released, begin);
    if (hasSelect() && window.released)
      m_released = window.end;
    // What coincides with the select: see the machine.
    EdgeWalk& clock = wires.clock;
    clock.skipBefore(hasSelect() ? begin + 1 : begin);
    wires.mosi.skipBefore(begin);
    wires.miso.skipBefore(begin);
    if (window.selected && clock.next() <= window.end && clock.next() != kNever.count())
      tallies[kTCss].add(clock.next() - begin, begin, clock.next());
    m_edges.begin(m_leadsUp, m_samplesUp, !clock.level());
    m_mosi.begin();
    m_miso.begin();
    bool goesOn = true;
    while (goesOn) {
      goesOn = m_edges.takeMore(clock, window.end, hasSelect() ? kNever.count() : m_settings.gap.count());
      measureClock(tallies);
      measureLine(wires.mosi, m_mosi, kTSuMosi, tallies);
      measureLine(wires.miso, m_miso, kTSuMiso, tallies);
    }
    const std::int64_t last = m_edges.last();
    addLastHold(wires.mosi, m_mosi, kTHdMosi, window.end, tallies);
    addLastHold(wires.miso, m_miso, kTHdMiso, window.end, tallies);
    if (hasSelect() && window.released && last >= 0)
      tallies[kTCsh].add(window.end - last, last, window.end);
    return hasSelect() ? window.end : last;
  }

  /// Edges of the clock in a window, some at a time, with those right before them.
  class ClockEdges {
   public:
    static constexpr std::size_t kMost = 512;  ///< at a time
    static constexpr std::size_t kKept = 16;

    void begin(bool leadsUp, bool samplesUp, bool firstIsUp)
    {
      m_size = 0;
      m_fresh = 0;
      m_leading = leadsUp == firstIsUp ? 0 : 1;
      m_sampling = samplesUp == firstIsUp ? 0 : 1;
      m_rising = firstIsUp ? 0 : 1;
    }
    /// False: there are no more, up to `end`, or to a gap.
    bool takeMore(EdgeWalk& walk, std::int64_t end, std::int64_t gap)
    {
      // An even number is kept, so that what rises goes on being where it was.
      if (m_size > kKept) {
        const std::size_t gone = (m_size - kKept) & ~std::size_t{1};
        std::copy(m_edges.begin() + static_cast<std::ptrdiff_t>(gone),
                  m_edges.begin() + static_cast<std::ptrdiff_t>(m_size), m_edges.begin());
        m_size -= gone;
      }
      m_fresh = m_size;
      const std::size_t full = m_size + kMost;
      while (m_size < full && walk.next() <= end && walk.next() != kNever.count()) {
        const std::int64_t* const at = walk.at();
        const std::size_t most = std::min(walk.inHand(), full - m_size);
        std::size_t count = EdgesTaken::countUpTo(at, most, end);
        if (gap != kNever.count())
          count = countToGap(at, count, gap);
        std::copy_n(at, count, m_edges.data() + m_size);
        m_size += count;
        walk.jump(at + count);
        if (count < most)
          return false;
      }
      return m_size == full;
    }
    const std::int64_t* data() const { return m_edges.data(); }
    std::size_t size() const { return m_size; }
    /// The first that the last call brought.
    std::size_t fresh() const { return m_fresh; }
    std::int64_t last() const { return m_size == 0 ? -1 : m_edges[m_size - 1]; }
    /// From each edge of one sort to the one `ahead` of it, where that is new.
    IntervalRow intervals(std::size_t sort, std::size_t ahead) const
    {
      std::size_t first = m_fresh > ahead ? m_fresh - ahead : 0;
      first += (first + sort) % 2;
      const std::size_t count = first + ahead < m_size ? (m_size - first - ahead + 1) / 2 : 0;
      return {data() + first, data() + first + ahead, count, 2};
    }
    /// 0: the first edge is one of those; 1: the second.
    std::size_t leading() const { return m_leading; }
    std::size_t sampling() const { return m_sampling; }
    std::size_t rising() const { return m_rising; }

   private:
    std::size_t countToGap(const std::int64_t* at, std::size_t most, std::int64_t gap) const
    {
      std::int64_t before = m_size == 0 ? at[0] : m_edges[m_size - 1];
      std::size_t count = 0;
      for (; count < most && at[count] - before < gap; ++count)
        before = at[count];
      return count;
    }

    std::size_t m_size = 0;
    std::size_t m_fresh = 0;
    std::size_t m_leading = 0;
    std::size_t m_sampling = 0;
    std::size_t m_rising = 0;
    std::array<std::int64_t, kKept + kMost + 2> m_edges{};
  };

  /// Intervals that wait to be counted with others.
  struct Waiting {
    static constexpr std::size_t kEnoughToCount = 256;
    std::size_t size = 0;
    std::array<std::int64_t, kEnoughToCount + ClockEdges::kMost> begins;
    std::array<std::int64_t, kEnoughToCount + ClockEdges::kMost> ends;
  };

  void addShort(std::size_t measure, const IntervalRow& row, std::int64_t most, std::vector<Tally>& tallies)
  {
    constexpr std::size_t kLong = 64;
    if (row.count >= kLong && endsOf(row).most <= most) {
      tallies[measure].addRow(0, row);
      return;
    }
    Waiting& waiting = m_waiting[measure];
    waiting.size += keepShort(row, most, waiting.begins.data() + waiting.size, waiting.ends.data() + waiting.size);
    if (waiting.size >= Waiting::kEnoughToCount)
      addWaiting(measure, tallies);
  }
  void addOne(std::size_t measure, std::int64_t begin, std::int64_t end, std::vector<Tally>& tallies)
  {
    if (end - begin > m_usual->period)
      return;
    Waiting& waiting = m_waiting[measure];
    waiting.begins[waiting.size] = begin;
    waiting.ends[waiting.size] = end;
    if (++waiting.size >= Waiting::kEnoughToCount)
      addWaiting(measure, tallies);
  }
  void addWaiting(std::size_t measure, std::vector<Tally>& tallies)
  {
    Waiting& waiting = m_waiting[measure];
    tallies[measure].addRow(0, {waiting.begins.data(), waiting.ends.data(), waiting.size});
    waiting.size = 0;
  }

  void measureClock(std::vector<Tally>& tallies)
  {
    addShort(kFClk, m_edges.intervals(m_edges.leading(), 2), m_usual->twicePeriod, tallies);
    addShort(kTCh, m_edges.intervals(m_edges.rising(), 1), m_usual->twiceHigh, tallies);
    addShort(kTCl, m_edges.intervals(1 - m_edges.rising(), 1), m_usual->twiceLow, tallies);
  }

  /// A data line in a window.
  struct DataLine {
    EdgesTaken edges;
    std::int64_t last = -1;  ///< edge of those that are measured
    // The shortest of those measured last: from an edge to the sample behind it, and from sample to sample.
    std::int64_t setup = kNever.count();
    std::int64_t cell = kNever.count();

    void begin()
    {
      last = -1;
      setup = cell = kNever.count();
    }
  };

  /// A cell reaches from one sampling edge to the next. Where each has one edge of the data or none, that one is set up
  /// for the cell's end, and what it ends was held from the cell's begin; all other cases are told one by one.
  void measureLine(EdgeWalk& walk, DataLine& line, std::size_t setup, std::vector<Tally>& tallies)
  {
    const IntervalRow cells = m_edges.intervals(m_edges.sampling(), 2);
    const std::size_t samples = m_edges.size();
    std::size_t lastSample = samples;  // behind the last, when there is none
    if (samples > 0)
      lastSample = samples - 1 - (samples - 1 + m_edges.sampling()) % 2;
    if (lastSample >= samples || lastSample < m_edges.fresh())
      return;
    line.edges.take(walk, m_edges.data()[lastSample] - 1);
    const std::int64_t* data = line.edges.data();
    std::size_t sample = m_edges.fresh() + (m_edges.fresh() + m_edges.sampling()) % 2;
    if (sample < 2) {  // what comes before the first sample is in no cell
      data = measureOneByOne(line, sample, sample + 1, data, setup, tallies);
      sample += 2;
    }
    if (!measureCells(line, cells, data, setup, tallies))
      measureOneByOne(line, sample, m_edges.size(), data, setup, tallies);
  }

  /// False, and nothing is counted: there are cells with several edges, or some that are so short that an edge may
  /// count for two of them.
  bool measureCells(DataLine& line, const IntervalRow& cells, const std::int64_t* data, std::size_t setup,
                    std::vector<Tally>& tallies)
  {
    constexpr std::size_t kFewCells = 4;
    if (cells.count < kFewCells)
      return false;
    const std::ptrdiff_t found =
        matchEdges(cells, data, {m_begins.data(), m_moves.data(), m_ends.data()}, IntervalEnd::Behind);
    if (found < 0)
      return false;
    const auto size = static_cast<std::size_t>(found);
    const IntervalRow setups{m_moves.data(), m_ends.data(), size};
    const IntervalRow holds{m_begins.data(), m_moves.data(), size};
    const std::int64_t cell = endsOf(cells).least;
    const std::int64_t shortSetup = size == 0 ? kNever.count() : endsOf(setups).least;
    const std::int64_t shortHold = size == 0 ? kNever.count() : endsOf(holds).least;
    const std::int64_t period = m_usual->period;
    const bool isPlain =
        std::min(shortSetup, line.setup) > period - cell && shortHold > period - std::min(cell, line.cell);
    line.setup = shortSetup;
    line.cell = cell;
    if (!isPlain)
      return false;
    line.last = size == 0 ? line.last : m_moves[size - 1];
    addShort(setup, setups, period, tallies);
    addShort(setup + 1, holds, period, tallies);
    return true;
  }

  /// Samples from one on, with the edges from `data` on. Returns the first that is not measured.
  const std::int64_t* measureOneByOne(DataLine& line, std::size_t sample, std::size_t end, const std::int64_t* data,
                                      std::size_t setup, std::vector<Tally>& tallies)
  {
    line.setup = line.cell = kNever.count();
    for (; sample < end; sample += 2) {
      const std::int64_t at = m_edges.data()[sample];
      if (sample >= 2)
        line.cell = std::min(line.cell, at - m_edges.data()[sample - 2]);
      if (*data < at) {
        addHolds(*data, sample, line, setup + 1, tallies);
        while (*data < at)
          line.last = *data++;
      }
      if (line.last >= 0) {
        line.setup = std::min(line.setup, at - line.last);
        addOne(setup, line.last, at, tallies);
      }
    }
    return data;
  }

  /// Samples before `sample` that an edge is the first one behind.
  void addHolds(std::int64_t edge, std::size_t sample, const DataLine& line, std::size_t hold,
                std::vector<Tally>& tallies)
  {
    const std::int64_t* const clock = m_edges.data();
    while (sample >= 2 && clock[sample - 2] > line.last && edge - clock[sample - 2] <= m_usual->period) {
      sample -= 2;
      addOne(hold, clock[sample], edge, tallies);
    }
  }

  void addLastHold(EdgeWalk& walk, const DataLine& line, std::size_t hold, std::int64_t end,
                   std::vector<Tally>& tallies)
  {
    const std::int64_t edge = walk.next();
    if (edge > end || edge == kNever.count() || m_edges.size() <= m_edges.sampling())
      return;
    // As if there were a sample behind the last.
    std::size_t sample = m_edges.size() + (m_edges.size() + m_edges.sampling()) % 2;
    addHolds(edge, sample, line, hold, tallies);
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

  Bus m_bus;
  SpiSettings m_settings;
  spi::Lines m_lines;
  bool m_leadsUp;
  bool m_samplesUp;
  std::optional<Usual> m_usual;
  std::int64_t m_measuredTo = -1;  ///< all windows that begin earlier are measured; -1: nothing was measured
  std::int64_t m_released = -1;    ///< when the select became inactive last; -1: not seen
  ClockEdges m_edges;
  DataLine m_mosi;
  DataLine m_miso;
  std::array<Waiting, kMeasures> m_waiting;
  static constexpr std::size_t kMostCells = (ClockEdges::kMost + ClockEdges::kKept) / 2 + 8;
  // Cells in which the data line moved once, and when.
  std::array<std::int64_t, kMostCells> m_begins;
  std::array<std::int64_t, kMostCells> m_moves;
  std::array<std::int64_t, kMostCells> m_ends;
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
