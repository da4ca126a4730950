// One walk over both wires, led by the frames: each begins with the fall of SDA that is its START, and ends with the
// edge of SDA that is a STOP or the next START. Between them the clock is a row of lows and highs; a high in which a
// condition falls is no clock pulse. A transfer's edges are taken in hand as a whole, so that all of one measurement
// can be worked out, and counted, in a row.
//
// Who drives SDA follows from the frame, so values of data are kept by address and driver.
//
// Tested by tests/core/meter_test.cpp, slow_meters_test.cpp.
#include "core/protocol/i2c/i2c_meter.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <unordered_map>

#include "core/base/say.h"
#include "core/base/time_text.h"
#include "core/decode/edge_match.h"
#include "core/decode/edge_walk.h"
#include "core/decode/edges_taken.h"
#include "core/decode/median.h"
#include "core/protocol/i2c/i2c_frame.h"

namespace bexto {

namespace {

enum Measure : std::size_t {
  kFScl,
  kTLow,
  kTHigh,
  kTHdSta,
  kTSuSta,
  kTSuSto,
  kTBuf,
  kTSuDat,
  kTHdDat,
  kTVdDat,
  kTVdAck,
  kMeasures
};

constexpr std::size_t kBitsAByte = 9;

class I2cMeter final : public Meter {
 public:
  explicit I2cMeter(const I2cSettings& settings) : m_settings(settings) {}

  void measure(const StreamInput& input, const FrameIndex& frames, FrameRange range,
               std::vector<Tally>& tallies) override
  {
    if (range.count() == 0)
      return;
    const Picoseconds from = frames.frame(range.first).time.begin;
    EdgeStream clockEdges(input.tracks.at(0), from, input.until, input.final, m_settings.spike);
    EdgeStream dataEdges(input.tracks.at(1), from, input.until, input.final, m_settings.spike);
    EdgeWalk clock(clockEdges);
    EdgeWalk data(dataEdges);
    frames.forEach(range, [&](std::uint64_t, const Frame& frame) { transfer(frame, clock, data, tallies); });
    addAllMoves(tallies);
  }

  std::unique_ptr<Meter> goingOnFrom(const StreamInput& /*input*/, const FrameIndex& frames,
                                     std::uint64_t number) override
  {
    auto other = std::make_unique<I2cMeter>(m_settings);
    const Frame before = frames.frame(number - 1);
    other->m_stop = i2cTransfer(before).end == I2cEnd::Stop ? before.time.end.count() : -1;
    return other;
  }

  /// The first periods of the clock, as many as tell what is usual.
  std::vector<std::int64_t> firstPeriods(const StreamInput& input, const FrameIndex& frames)
  {
    constexpr std::size_t kEnough = 65536;
    constexpr std::uint64_t kStep = 256;
    std::vector<Tally> tallies;
    for (const MeasureSpec& spec : i2cMeasures())
      tallies.emplace_back(spec.unit, Limits{}, 0.0);
    m_collects = true;
    for (std::uint64_t at = 0; at < frames.size() && m_periods.size() < kEnough; at += kStep)
      measure(input, frames, {at, std::min(at + kStep, frames.size())}, tallies);
    return std::move(m_periods);
  }

  std::string groupName(std::uint32_t group) const override
  {
    if (group == 0 || group >= m_names.size())
      return {};
    const auto [key, target] = m_names[group];
    const std::string address = fmt::format("{:0{}X}", key & ~kTenBitKey, (key & kTenBitKey) != 0 ? 3 : 2);
    return target ? say("{} · driven by the target", address) : say("{} · driven by the controller", address);
  }

 private:
  static constexpr std::uint32_t kTenBitKey = 1U << 16U;

  /// Small numbers in the order in which they are met; 0 is for transfers without an address.
  std::uint32_t groupOf(std::uint32_t key, bool target)
  {
    const auto [at, isNew] = m_groups.try_emplace(key * 2 + (target ? 1 : 0), m_names.size());
    if (isNew)
      m_names.emplace_back(key, target);
    return static_cast<std::uint32_t>(at->second);
  }

  void transfer(const Frame& frame, EdgeWalk& clock, EdgeWalk& data, std::vector<Tally>& tallies)
  {
    const I2cTransfer transfer = i2cTransfer(frame);
    const std::uint32_t key = transfer.address | (transfer.tenBit ? kTenBitKey : 0U);
    m_controller = transfer.hasAddress ? groupOf(key, false) : 0;
    m_target = transfer.hasAddress ? groupOf(key, true) : 0;
    for (const Measure once : {kTBuf, kTHdSta, kTSuSta, kTSuSto})
      tallies[once].setGroup(m_controller);

    const std::int64_t begin = frame.time.begin.count();
    const std::int64_t end = frame.time.end.count();
    const bool hasEnd = transfer.end != I2cEnd::None;
    clock.skipBefore(begin);
    data.skipBefore(begin + 1);
    if (m_stop >= 0)
      tallies[kTBuf].add(begin - m_stop, m_stop, begin);
    m_stop = hasEnd && transfer.end == I2cEnd::Stop ? end : -1;
    if (clock.next() > end)
      return;
    tallies[kTHdSta].add(clock.next() - begin, begin, clock.next());

    m_clock.take(clock, end);
    m_data.take(data, end);
    measureClock(tallies);
    measureData(transfer, tallies);
    // A high in which the condition fell.
    if (hasEnd && lows() > pulses()) {
      const std::int64_t rise = riseOf(lows() - 1);
      tallies[transfer.end == I2cEnd::Stop ? kTSuSto : kTSuSta].add(end - rise, rise, end);
    }
  }

  // The clock's edges in hand are a fall and a rise in turn.
  std::size_t lows() const { return m_clock.size() / 2; }
  std::size_t pulses() const { return m_clock.size() == 0 ? 0 : (m_clock.size() - 1) / 2; }
  std::int64_t fallOf(std::size_t low) const { return m_clock[2 * low]; }
  std::int64_t riseOf(std::size_t low) const { return m_clock[2 * low + 1]; }

  void measureClock(std::vector<Tally>& tallies)
  {
    const std::int64_t* const edges = m_clock.data();
    const std::size_t highCount = pulses();
    m_lowEnds = tallies[kTLow].addRow(m_controller, {edges, edges + 1, lows(), 2});
    tallies[kTHigh].addRow(m_controller, {edges + 1, edges + 2, highCount, 2});
    // Inside a byte: from its first rise to its ninth.
    for (std::vector<std::int64_t>* const scratch : {&m_begins, &m_ends})
      scratch->resize(std::max(scratch->size(), highCount));
    std::size_t size = 0;
    for (std::size_t byte = 0; byte < highCount; byte += kBitsAByte) {
      const std::size_t within = std::min(kBitsAByte, highCount - byte) - 1;
      const std::int64_t* const rises = edges + 2 * byte + 1;
      for (std::size_t i = 0; i < within; ++i) {
        m_begins[size + i] = rises[2 * i];
        m_ends[size + i] = rises[2 * i + 2];
      }
      size += within;
    }
    const IntervalRow periods{m_begins.data(), m_ends.data(), size};
    tallies[kFScl].addRow(m_controller, periods);
    for (std::size_t i = 0; m_collects && i < size; ++i)
      m_periods.push_back(periods.length(i));
  }

  /// Lows in which SDA moved once, in order, of one driver; all in one place, because then one register finds them.
  /// They are counted many transfers at once.
  struct Moves {
    static constexpr std::size_t kMost = 128;
    std::size_t size = 0;
    std::array<std::int64_t, kMost> falls;  ///< of the clock
    std::array<std::int64_t, kMost> edges;  ///< of SDA
    std::array<std::int64_t, kMost> rises;
  };
  Moves& movesOf(bool byTarget, bool isAck)
  {
    return *m_moves[2 * (byTarget ? m_target : m_controller) + (isAck ? 1U : 0U)];
  }

  /// Edges of SDA from the fall to the rise, both included, are of that low.
  void measureData(const I2cTransfer& transfer, std::vector<Tally>& tallies)
  {
    while (m_moves.size() < 2 * m_names.size())
      m_moves.push_back(std::make_unique_for_overwrite<Moves>());
    // A low that somebody lengthens says nothing of how fast data follows the clock.
    m_longest = kNever.count();
    if (m_lowEnds.most > 2 * m_lowEnds.least) {
      m_lows.clear();
      for (std::size_t low = 0; low < lows(); ++low)
        m_lows.push_back(riseOf(low) - fallOf(low));
      m_longest = twiceMedian(m_lows);
    }
    const std::int64_t* const data =
        m_longest == kNever.count() ? moveBytes<false>(transfer, tallies) : moveBytes<true>(transfer, tallies);
    if (lows() > pulses())
      moveAnyhow(pulses(), data, false, false, tallies);
  }

  template <bool kStretched>
  const std::int64_t* moveBytes(const I2cTransfer& transfer, std::vector<Tally>& tallies)
  {
    // Bytes that the controller drives: those of the address, and all when it writes.
    const std::size_t addressBits = kBitsAByte * (transfer.tenBit && !transfer.read ? 2U : 1U);
    const std::size_t pulseCount = pulses();
    const std::int64_t* data = m_data.data();
    for (std::size_t byte = 0; byte < pulseCount; byte += kBitsAByte) {
      const bool byTarget = transfer.read && byte >= addressBits;
      const std::size_t ack = byte + kBitsAByte - 1;
      data = move<kStretched>(byte, std::min(ack, pulseCount), data, byTarget, false, tallies);
      if (ack < pulseCount)
        data = move<kStretched>(ack, ack + 1, data, !byTarget, true, tallies);
    }
    return data;
  }

  /// Lows of one driver, at most a byte. Returns the first edge of SDA behind them. Mostly there is one in a low or
  /// none, and nobody can predict which: so each low is put down, and overwritten by the next when it had none; and the
  /// edges that come next are fetched ahead.
  template <bool kStretched>
  const std::int64_t* move(std::size_t low, std::size_t end, const std::int64_t* data, bool byTarget, bool isAck,
                           std::vector<Tally>& tallies)
  {
    Moves& moves = movesOf(byTarget, isAck);
    if (moves.size + 2 * kBitsAByte > Moves::kMost)
      addMoves(moves, byTarget ? m_target : m_controller, isAck, tallies);
    std::size_t size = moves.size;
    const std::int64_t* clock = m_clock.data() + 2 * low;
    if (!kStretched && end - low == kBitsAByte - 1) {
      const IntervalRow row{clock, clock + 1, kBitsAByte - 1, 2};
      const std::ptrdiff_t found =
          matchEdges(row, data, {moves.falls.data() + size, moves.edges.data() + size, moves.rises.data() + size},
                     IntervalEnd::Within);
      if (found >= 0) [[likely]] {
        moves.size += static_cast<std::size_t>(found);
        return data + found;
      }
    }
    std::int64_t edge = data[0];
    std::int64_t second = data[1];
    for (; low < end; ++low, clock += 2) {
      const std::int64_t fall = clock[0];
      const std::int64_t rise = clock[1];
      if (edge < fall || second <= rise || (kStretched && rise - fall > m_longest)) [[unlikely]] {
        data = moveAnyhow(low, data, byTarget, isAck, tallies);
        edge = data[0];
        second = data[1];
        continue;
      }
      moves.falls[size] = fall;
      moves.edges[size] = edge;
      moves.rises[size] = rise;
      // All ones where the line stays, which is what a comparison would give; but of one a compiler makes a branch.
      const std::int64_t stays = (rise - edge) >> 63U;
      const std::int64_t third = data[2];
      size += static_cast<std::size_t>(1 + stays);
      data += 1 + stays;
      edge = second ^ ((second ^ edge) & stays);
      second = third ^ ((third ^ second) & stays);
    }
    moves.size = size;
    return data;
  }

  /// The same of a low in which SDA may move several times, or moved before it, or that is too long; and of the last
  /// one, which is no pulse.
  const std::int64_t* moveAnyhow(std::size_t low, const std::int64_t* data, bool byTarget, bool isAck,
                                 std::vector<Tally>& tallies)
  {
    const std::int64_t fall = fallOf(low);
    const std::int64_t rise = riseOf(low);
    while (*data < fall)
      ++data;
    const std::int64_t first = *data;
    if (first > rise)
      return data;
    while (data[1] <= rise)
      ++data;
    const std::int64_t last = *data;
    const std::uint32_t driver = byTarget ? m_target : m_controller;
    tallies[kTSuDat].setGroup(driver);
    tallies[kTSuDat].add(rise - last, last, rise);
    tallies[kTHdDat].setGroup(driver);
    tallies[kTHdDat].add(first - fall, fall, first);
    if (low < pulses() && rise - fall <= m_longest) {
      Tally& valid = tallies[isAck ? kTVdAck : kTVdDat];
      valid.setGroup(driver);
      valid.add(last - fall, fall, last);
    }
    return data + 1;
  }

  static void addMoves(Moves& moves, std::uint32_t driver, bool isAck, std::vector<Tally>& tallies)
  {
    const IntervalRow holds{moves.falls.data(), moves.edges.data(), moves.size};
    tallies[kTSuDat].addRow(driver, {moves.edges.data(), moves.rises.data(), moves.size});
    tallies[kTHdDat].addRow(driver, holds);
    // Where SDA moves once, it is valid when it is no longer held.
    tallies[isAck ? kTVdAck : kTVdDat].addRow(driver, holds);
    moves.size = 0;
  }
  void addAllMoves(std::vector<Tally>& tallies)
  {
    for (std::size_t i = 0; i < m_moves.size(); ++i)
      addMoves(*m_moves[i], static_cast<std::uint32_t>(i / 2), i % 2 != 0, tallies);
  }

  I2cSettings m_settings;
  bool m_collects = false;
  std::vector<std::int64_t> m_periods;
  std::int64_t m_stop = -1;  ///< where the last transfer stopped; -1: it did not
  // Of the transfer in hand: who drives, its edges, its lows, and what is being measured.
  std::uint32_t m_controller = 0;
  std::uint32_t m_target = 0;
  EdgesTaken m_clock;
  EdgesTaken m_data;
  RowEnds m_lowEnds;
  std::vector<std::int64_t> m_lows;
  std::int64_t m_longest = 0;  ///< low in which it is told when data are valid
  std::vector<std::int64_t> m_begins;
  std::vector<std::int64_t> m_ends;
  std::vector<std::unique_ptr<Moves>> m_moves;  ///< of each group: of data, and of acknowledges
  std::unordered_map<std::uint32_t, std::size_t> m_groups;
  std::vector<std::pair<std::uint32_t, bool>> m_names{{0, false}};  ///< of each group: the address, and who drives
};

}  // namespace

std::optional<Cause> i2cStretchCause(const I2cSettings& settings, const StreamInput& input, const Frame& frame)
{
  // Times as long as usual: below that, a controller's own pause between bytes may be as long.
  constexpr std::int64_t kMuchLonger = 10;
  EdgeStream clock(input.tracks.at(0), frame.time.begin, input.until, input.final, settings.spike);
  std::vector<std::int64_t> lows;
  TimeRange last;
  std::int64_t fall = -1;
  for (; clock.next() <= frame.time.end.count(); clock.advance()) {
    const std::int64_t at = clock.next();
    if (clock.level()) {
      fall = at;
    } else if (fall >= 0) {
      lows.push_back(at - fall);
      last = {Picoseconds{fall}, Picoseconds{at}};
    }
  }
  if (lows.size() < 2)
    return std::nullopt;
  const std::int64_t usual = twiceMedian(lows) / 2;
  if (usual == 0 || last.length().count() < kMuchLonger * usual)
    return std::nullopt;
  Cause cause;
  cause.kind = Cause::Kind::Stretch;
  cause.time = last;
  cause.why = say("SCL was held low for {} before the controller gave up; {} is usual", lengthText(last.length()),
                  lengthText(Picoseconds{usual}));
  return cause;
}

std::string i2cClass(const I2cSettings& settings, const StreamInput& input, const FrameIndex& frames)
{
  std::vector<std::int64_t> periods = I2cMeter(settings).firstPeriods(input, frames);
  if (periods.empty())
    return {};
  const double hertz = 2e12 / static_cast<double>(twiceMedian(periods));
  // UM10204 rev. 7.0, tables 10 and 11: the fastest clock of each class.
  for (const auto& [most, book] : {std::pair{100e3, "i2c-standard"}, {400e3, "i2c-fast"}, {1e6, "i2c-fast-plus"}}) {
    if (hertz <= most * 1.01)
      return book;
  }
  return "i2c-high-speed";
}

std::vector<MeasureSpec> i2cMeasures()
{
  using enum MeasureUnit;
  std::vector<MeasureSpec> m(kMeasures);
  m[kFScl] = {"fSCL", Frequency, "clock: from one rise of SCL to the next, inside a byte", false, "scl"};
  m[kTLow] = {"tLOW", Time, "low of SCL", false, "scl"};
  m[kTHigh] = {"tHIGH", Time, "high of SCL", false, "scl"};
  m[kTHdSta] = {"tHD;STA", Time, "hold of a START: fall of SDA to fall of SCL", false, "scl"};
  m[kTSuSta] = {"tSU;STA", Time, "set-up of a repeated START: rise of SCL to fall of SDA", false, "sda"};
  m[kTSuSto] = {"tSU;STO", Time, "set-up of a STOP: rise of SCL to rise of SDA", false, "sda"};
  m[kTBuf] = {"tBUF", Time, "bus free: STOP to the next START", true, "sda"};
  m[kTSuDat] = {"tSU;DAT", Time, "data set-up: last edge of SDA in a low to the rise of SCL", false, "sda"};
  m[kTHdDat] = {"tHD;DAT", Time, "data hold: fall of SCL to the first edge of SDA", false, "sda"};
  m[kTVdDat] = {"tVD;DAT", Time, "data valid: fall of SCL to the last edge of SDA", false, "sda"};
  m[kTVdAck] = {"tVD;ACK", Time, "acknowledge valid: fall of SCL to the last edge of SDA", false, "sda"};
  return m;
}

std::unique_ptr<Meter> makeI2cMeter(const I2cSettings& settings)
{
  return std::make_unique<I2cMeter>(settings);
}

}  // namespace bexto
