// A node resynchronises at edges from recessive to dominant (ISO 11898-1:2015, 11.3.2), so those are measured, each
// against a grid that begins anew at the one before. The falling edge of the acknowledge is another node's and does not
// count: in a frame that was acknowledged it is the last one.
//
// Where the rate switches is known from the bits: the edge into the reserved bit is the last one at the nominal rate,
// and two bits and a share later the data phase begins.
//
// Tested by tests/core/meter_test.cpp.
#include "core/protocol/can/can_meter.h"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <unordered_map>

#include "core/base/say.h"
#include "core/decode/edge_walk.h"
#include "core/protocol/can/can_frame.h"

namespace bexto {

namespace {

enum Measure : std::size_t {
  kRateError,
  kFdRateError,
  kDisplacement,
  kIntermission,
  kLoad,
  kCycle,
  kReceiveErrors,
  kTransmitErrors,
  kMeasures
};

/// The bit in front of BRS, counted from SOF as 0 without stuff bits (ISO 11898-1:2015, figures 12 and 13).
constexpr std::int64_t kReservedBit = 15;
constexpr std::int64_t kReservedBitExtended = 34;
/// Stuffing puts an edge behind so many equal bits.
constexpr std::int64_t kStuffAfter = 5;
/// Longer rests are no intermission but a bus that is idle.
constexpr std::int64_t kLongestIntermission = 20;
constexpr std::int64_t kLoadWindow = 100'000'000'000;  // 100 ms

class CanMeter final : public Meter {
 public:
  explicit CanMeter(const CanSettings& settings)
      : m_settings(settings),
        m_bit(1e12 / settings.bitrate),
        m_dataBit(settings.fdBitrate > 0.0 ? 1e12 / settings.fdBitrate : m_bit)
  {
  }

  void measure(const StreamInput& input, const FrameIndex& frames, FrameRange range,
               std::vector<Tally>& tallies) override
  {
    if (range.count() == 0)
      return;
    const bool hasWire = !input.records;
    EdgeStream edges(hasWire ? input.tracks.at(0) : ConditionedTrack(EdgeTrack()), frames.frame(range.first).time.begin,
                     input.until, input.final);
    EdgeWalk wire(edges);
    for (std::uint64_t i = range.first; i < range.end; ++i) {
      const Frame frame = frames.frame(i);
      load(frame, tallies[kLoad]);
      if (canHasHeader(frame)) {
        const CanFrame can = canFrame(frame);
        const std::uint32_t group = can.hasId ? groupOf(can) : 0;
        for (Tally& tally : tallies)
          tally.setGroup(group);
        if (frame.errors == 0) {
          // Sent again at once after an error is no new cycle.
          cycle(frame, can, group, tallies[kCycle]);
          if (hasWire)
            edgesOf(frame, can, wire, tallies);
          if (hasWire && i + 1 < frames.size())
            intermission(frame, frames.frame(i + 1), tallies[kIntermission]);
        }
        m_sender = group;
      }
      counters(frame, tallies);
    }
  }

  std::string groupName(std::uint32_t group) const override
  {
    if (group == 0 || group > m_ids.size())
      return {};
    const auto [id, extended] = m_ids[group - 1];
    return extended ? fmt::format("{:08X}", id) : fmt::format("{:03X}", id);
  }

 private:
  struct Cycle {
    std::int64_t last = -1;
  };

  std::uint32_t groupOf(const CanFrame& can)
  {
    const std::uint32_t key = can.id | (can.extended ? 1U << 31U : 0U);
    const auto [at, isNew] = m_groups.try_emplace(key, m_ids.size() + 1);
    if (isNew) {
      m_ids.emplace_back(can.id, can.extended);
      m_cycles.emplace_back();
      m_transmit.emplace_back(0);
    }
    return static_cast<std::uint32_t>(at->second);
  }

  void cycle(const Frame& frame, const CanFrame& can, std::uint32_t group, Tally& tally)
  {
    if (!can.hasId)
      return;
    Cycle& cycle = m_cycles[group - 1];
    const std::int64_t begin = frame.time.begin.count();
    if (cycle.last >= 0)
      tally.add(begin - cycle.last, cycle.last, begin);
    cycle.last = begin;
  }

  void intermission(const Frame& frame, const Frame& next, Tally& tally) const
  {
    if (!canHasHeader(next))
      return;
    const std::int64_t end = frame.time.end.count();
    const std::int64_t rest = next.time.begin.count() - end;
    const std::int64_t bits = std::llround(static_cast<double>(rest) / m_bit);
    if (bits <= kLongestIntermission)
      tally.add(bits, end, next.time.begin.count());
  }

  /// The share of each window that frames, their intermission included, take.
  void load(const Frame& frame, Tally& tally)
  {
    tally.setGroup(0);
    std::int64_t begin = frame.time.begin.count();
    const std::int64_t end = frame.time.end.count() + std::llround(3.0 * m_bit);
    while (begin >= m_loadEnd)
      closeWindow(tally);
    while (end > m_loadEnd) {
      m_busy += m_loadEnd - begin;
      begin = m_loadEnd;
      closeWindow(tally);
    }
    m_busy += end - begin;
  }
  void closeWindow(Tally& tally)
  {
    const auto length = static_cast<double>(kLoadWindow);
    tally.addPercent(std::min(100.0, 100.0 * static_cast<double>(m_busy) / length), length, m_loadEnd - kLoadWindow,
                     m_loadEnd);
    m_busy = 0;
    m_loadEnd += kLoadWindow;
  }

  /// ISO 11898-1:2015, 12.1.4: as a node that only listens counts, and as each sender would, by identifier; without the
  /// exceptions that need to know who flagged first.
  void counters(const Frame& frame, std::vector<Tally>& tallies)
  {
    if (frame.kind == kCanOverload)
      return;
    const bool isError = (frame.kind & kFaultKind) != 0;
    if (frame.errors != 0 && !isError)
      return;  // the error frame behind it counts
    m_receive = isError ? std::min<std::int64_t>(m_receive + 1, 255) : std::max<std::int64_t>(m_receive - 1, 0);
    tallies[kReceiveErrors].setGroup(0);
    tallies[kReceiveErrors].add(m_receive, frame.time.begin.count(), frame.time.end.count());
    if (m_sender == 0)
      return;
    std::int64_t& transmit = m_transmit[m_sender - 1];
    transmit = isError ? std::min<std::int64_t>(transmit + 8, 256) : std::max<std::int64_t>(transmit - 1, 0);
    tallies[kTransmitErrors].setGroup(m_sender);
    tallies[kTransmitErrors].add(transmit, frame.time.begin.count(), frame.time.end.count());
  }

  /// Edges of a frame without an error, on the wire from SOF to its end.
  void edgesOf(const Frame& frame, const CanFrame& can, EdgeWalk& wire, std::vector<Tally>& tallies)
  {
    wire.skipBefore(frame.time.begin.count());
    m_edges.clear();
    while (wire.next() < frame.time.end.count()) {
      m_edges.push_back(wire.next());
      wire.advance();
    }
    // Falls have even places. The acknowledge is the last one.
    std::size_t falls = (m_edges.size() + 1) / 2;
    if (can.ack && falls > 0)
      --falls;
    if (falls == 0)
      return;
    const std::int64_t start = m_edges[0];
    double furthest = 0.0;
    TimeRange furthestAt{Picoseconds{start}, Picoseconds{start}};
    const auto isOff = [&](double off, std::int64_t since, std::int64_t at) {
      if (std::abs(off) > furthest || furthestAt.empty()) {
        furthest = std::abs(off);
        furthestAt = {Picoseconds{since}, Picoseconds{at}};
      }
    };
    // At the nominal rate: all, or up to the reserved bit of a frame that switches.
    const bool switches = can.fd && can.brs && m_settings.fdBitrate > 0.0;
    const std::int64_t reserved = can.extended ? kReservedBitExtended : kReservedBit;
    std::int64_t bits = 0;
    std::int64_t stuffed = 0;
    std::size_t i = 0;
    double reservedAt = 0.0;
    for (; i < falls; ++i) {
      const std::int64_t at = m_edges[2 * i];
      if (i > 0) {
        const double since = static_cast<double>(at - m_edges[2 * i - 2]) / m_bit;
        const double whole = std::round(since);
        bits += static_cast<std::int64_t>(whole);
        isOff(since - whole, m_edges[2 * i - 2], at);
      }
      if (!switches || 2 * i + 1 >= m_edges.size())
        continue;
      // This run of dominant bits begins behind `bits` of which `stuffed` are no bits of the frame.
      if (i > 0)
        stuffed += runOf(2 * i - 2) == kStuffAfter ? 1 : 0;
      const bool beginsStuffed = i > 0 && runOf(2 * i - 1) == kStuffAfter;
      const std::int64_t first = bits - stuffed;
      const std::int64_t end = first + runOf(2 * i) - (beginsStuffed ? 1 : 0);
      if (reserved >= first && reserved < end) {
        reservedAt = static_cast<double>(at) + m_bit * static_cast<double>(reserved - first + (beginsStuffed ? 1 : 0));
        ++i;
        break;
      }
      stuffed += beginsStuffed ? 1 : 0;
    }
    if (switches && reservedAt == 0.0)
      return;
    const std::int64_t lastNominal = m_edges[2 * i - 2];
    if (bits > 0)
      addRate(tallies[kRateError], bits, m_bit, start, lastNominal);
    if (switches && i < falls)
      dataPhase(i, falls, reservedAt, tallies[kFdRateError], isOff);
    if (!furthestAt.empty())
      tallies[kDisplacement].addPercent(100.0 * furthest, furthestAt.end.count() > lastNominal ? m_dataBit : m_bit,
                                        furthestAt.begin.count(), furthestAt.end.count());
  }

  template <typename IsOff>
  void dataPhase(std::size_t from, std::size_t falls, double reservedAt, Tally& rate, const IsOff& isOff) const
  {
    const double begin =
        reservedAt + (1.0 + m_settings.samplePoint) * m_bit + (1.0 - m_settings.fdSamplePoint) * m_dataBit;
    const std::int64_t first = m_edges[2 * from];
    std::int64_t bits = 0;
    for (std::size_t i = from; i < falls; ++i) {
      const std::int64_t at = m_edges[2 * i];
      const double before = i == from ? begin : static_cast<double>(m_edges[2 * i - 2]);
      const double since = (static_cast<double>(at) - before) / m_dataBit;
      const double whole = std::round(since);
      isOff(since - whole, m_edges[2 * i - 2], at);
      bits += i == from ? 0 : static_cast<std::int64_t>(whole);
    }
    if (bits > 0)
      addRate(rate, bits, m_dataBit, first, m_edges[2 * falls - 2]);
  }

  /// Bits between edge `i` and the next, at the nominal rate.
  std::int64_t runOf(std::size_t i) const
  {
    return std::llround(static_cast<double>(m_edges[i + 1] - m_edges[i]) / m_bit);
  }

  static void addRate(Tally& tally, std::int64_t bits, double bit, std::int64_t begin, std::int64_t end)
  {
    const auto length = static_cast<double>(end - begin);
    tally.addPercent(100.0 * (static_cast<double>(bits) * bit / length - 1.0), length, begin, end);
  }

  CanSettings m_settings;
  double m_bit;
  double m_dataBit;
  std::vector<std::int64_t> m_edges;
  std::unordered_map<std::uint32_t, std::size_t> m_groups;
  std::vector<std::pair<std::uint32_t, bool>> m_ids;
  std::vector<Cycle> m_cycles;
  std::vector<std::int64_t> m_transmit;
  std::int64_t m_receive = 0;
  std::uint32_t m_sender = 0;  ///< whose frame came last
  std::int64_t m_busy = 0;
  std::int64_t m_loadEnd = kLoadWindow;
};

}  // namespace

std::vector<MeasureSpec> canMeasures()
{
  using enum MeasureUnit;
  std::vector<MeasureSpec> m(kMeasures);
  m[kRateError] = {"bit rate error", Percent,
                   "rate of a frame up to where it switches, against the rate set; + is faster"};
  m[kFdRateError] = {"FD bit rate error", Percent, "rate of a data phase against the rate set; + is faster"};
  m[kDisplacement] = {"edge displacement", Percent,
                      "largest distance of a falling edge from the grid that the one before began"};
  m[kIntermission] = {"intermission", Count, "recessive bits between a frame and the next", true};
  m[kLoad] = {"bus load", Percent, "share of each tenth of a second that frames take", true};
  m[kCycle] = {"cycle time", Time, "from one frame of an identifier to its next", true};
  m[kReceiveErrors] = {"receive error counter", Count, "as a node that only listens would count"};
  m[kTransmitErrors] = {"transmit error counter", Count, "as the sender of each identifier would count"};
  return m;
}

std::unique_ptr<Meter> makeCanMeter(const CanSettings& settings)
{
  return std::make_unique<CanMeter>(settings);
}

}  // namespace bexto
