// One walk over both wires, led by the frames: each begins with the fall of SDA that is its START, and ends with the
// edge of SDA that is a STOP or the next START. Between them the clock is a row of lows and highs; a high in which a
// condition falls is no clock pulse.
//
// Who drives SDA follows from the frame, so values of data are kept by address and driver.
//
// Tested by tests/core/i2c_meter_test.cpp.
#include "core/protocol/i2c/i2c_meter.h"

#include <fmt/core.h>

#include <algorithm>
#include <unordered_map>

#include "core/base/say.h"
#include "core/base/time_text.h"
#include "core/decode/edge_walk.h"
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

constexpr int kBitsAByte = 9;

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
    const std::uint32_t controller = transfer.hasAddress ? groupOf(key, false) : 0;
    const std::uint32_t target = transfer.hasAddress ? groupOf(key, true) : 0;
    for (Tally& tally : tallies)
      tally.setGroup(controller);
    // Bytes that the controller drives: those of the address, and all when it writes.
    const int addressBits = kBitsAByte * (transfer.tenBit && !transfer.read ? 2 : 1);

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

    m_lows.clear();
    m_valids.clear();
    std::int64_t lastRise = -1;
    int bits = 0;
    int inByte = 0;
    while (clock.next() <= end) {
      const std::int64_t fall = clock.next();
      clock.advance();
      const std::int64_t rise = clock.next();
      if (rise > end)
        break;
      clock.advance();
      // Edges of SDA from the fall to the rise, both included, are of this low.
      data.skipBefore(fall);
      std::int64_t firstData = -1;
      std::int64_t lastData = -1;
      while (data.next() <= rise) {
        lastData = data.next();
        firstData = firstData < 0 ? lastData : firstData;
        data.advance();
      }
      const std::int64_t low = rise - fall;
      tallies[kTLow].add(low, fall, rise);
      m_lows.push_back(low);
      const bool isAck = inByte == kBitsAByte - 1;
      const bool byTarget = (transfer.read && bits >= addressBits) != isAck;
      const std::int64_t next = clock.next();
      const bool isPulse = next <= end;
      if (lastData >= 0) {
        const std::uint32_t driver = byTarget && isPulse ? target : controller;
        tallies[kTSuDat].setGroup(driver);
        tallies[kTSuDat].add(rise - lastData, lastData, rise);
        tallies[kTHdDat].setGroup(driver);
        tallies[kTHdDat].add(firstData - fall, fall, firstData);
        if (isPulse)
          m_valids.push_back({low, fall, lastData, driver, isAck});
      }
      if (!isPulse) {
        if (hasEnd)
          tallies[transfer.end == I2cEnd::Stop ? kTSuSto : kTSuSta].add(end - rise, rise, end);
        break;
      }
      tallies[kTHigh].add(next - rise, rise, next);
      if (inByte > 0) {
        tallies[kFScl].add(rise - lastRise, lastRise, rise);
        if (m_collects) [[unlikely]]
          m_periods.push_back(rise - lastRise);
      }
      lastRise = rise;
      ++bits;
      inByte = isAck ? 0 : inByte + 1;
    }
    addValids(tallies);
  }

  /// A low that somebody lengthens says nothing of how fast data follows the clock.
  void addValids(std::vector<Tally>& tallies)
  {
    if (m_valids.empty())
      return;
    const auto [least, most] = std::minmax_element(m_lows.begin(), m_lows.end());
    const std::int64_t longest = *most <= 2 * *least ? *most : twiceMedian(m_lows);
    for (const Valid& valid : m_valids) {
      if (valid.low > longest)
        continue;
      Tally& tally = tallies[valid.isAck ? kTVdAck : kTVdDat];
      tally.setGroup(valid.group);
      tally.add(valid.data - valid.fall, valid.fall, valid.data);
    }
  }

  struct Valid {
    std::int64_t low;
    std::int64_t fall;
    std::int64_t data;
    std::uint32_t group;
    bool isAck;
  };

  I2cSettings m_settings;
  bool m_collects = false;
  std::vector<std::int64_t> m_periods;
  std::int64_t m_stop = -1;  ///< where the last transfer stopped; -1: it did not
  std::vector<std::int64_t> m_lows;
  std::vector<Valid> m_valids;
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
