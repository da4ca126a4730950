// A frame's edges: the two of the break, then those of bytes. The sync byte's five falling edges are two bits apart and
// give the rate at which the bytes behind it are read; each byte begins with the first falling edge behind the middle
// of the stop bit before.
//
// Tested by tests/core/meter_test.cpp.
#include "core/protocol/lin/lin_meter.h"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/say.h"
#include "core/decode/edge_walk.h"
#include "core/protocol/lin/lin_frame.h"

namespace bexto {

namespace {

enum Measure : std::size_t { kRateError, kBreak, kDelimiter, kResponseSpace, kByteSpace, kMeasures };

constexpr std::size_t kSyncStart = 2;  ///< the edge that begins the sync byte
constexpr std::size_t kSyncLast = 10;  ///< its fifth falling edge, eight bits later
constexpr double kByteBits = 10.0;
constexpr double kStopMiddle = 9.5;

class LinMeter final : public Meter {
 public:
  explicit LinMeter(double bit) : m_bit(bit) {}

  void measure(const StreamInput& input, const FrameIndex& frames, FrameRange range,
               std::vector<Tally>& tallies) override
  {
    if (range.count() == 0)
      return;
    EdgeStream edges(input.tracks.at(0), frames.frame(range.first).time.begin, input.until, input.final);
    EdgeWalk wire(edges);
    for (std::uint64_t i = range.first; i < range.end; ++i) {
      const Frame frame = frames.frame(i);
      constexpr FrameErrors kUnread =
          errorBit(LinError::Sync) | errorBit(LinError::Framing) | errorBit(LinError::Incomplete);
      if (frame.kind != kLinFrame || (frame.errors & kUnread) != 0)
        continue;
      m_edges.clear();
      for (wire.skipBefore(frame.time.begin.count()); wire.next() <= frame.time.end.count(); wire.advance())
        m_edges.push_back(wire.next());
      if (m_edges.size() > kSyncLast)
        frameEdges(linFrame(frame).id + 1, tallies);
    }
  }

  std::unique_ptr<Meter> goingOnFrom(const StreamInput& /*input*/, const FrameIndex& /*frames*/,
                                     std::uint64_t /*number*/) override
  {
    return std::make_unique<LinMeter>(m_bit);
  }

  std::string groupName(std::uint32_t group) const override
  {
    return group == 0 ? std::string() : fmt::format("{:02X}", group - 1);
  }

 private:
  void frameEdges(std::uint32_t group, std::vector<Tally>& tallies) const
  {
    for (Tally& tally : tallies)
      tally.setGroup(group);
    const std::int64_t low = m_edges[1] - m_edges[0];
    tallies[kBreak].add(std::llround(static_cast<double>(low) / m_bit), m_edges[0], m_edges[1]);
    tallies[kDelimiter].add(m_edges[kSyncStart] - m_edges[1], m_edges[1], m_edges[kSyncStart]);
    const auto eight = static_cast<double>(m_edges[kSyncLast] - m_edges[kSyncStart]);
    tallies[kRateError].addPercent(100.0 * (8.0 * m_bit / eight - 1.0), eight, m_edges[kSyncStart], m_edges[kSyncLast]);
    const double bit = eight / 8.0;
    std::int64_t start = m_edges[kSyncStart];
    int byte = 0;  // 0: sync, 1: identifier, then the response
    for (std::size_t i = kSyncStart + 2; i < m_edges.size(); i += 2) {
      if (m_edges[i] < start + std::llround(kStopMiddle * bit))
        continue;
      const std::int64_t end = start + std::llround(kByteBits * bit);
      if (byte > 0) {
        Tally& tally = tallies[byte == 1 ? kResponseSpace : kByteSpace];
        tally.add(std::max<std::int64_t>(m_edges[i] - end, 0), std::min(end, m_edges[i]), m_edges[i]);
      }
      start = m_edges[i];
      ++byte;
    }
  }

  double m_bit;  ///< ps
  std::vector<std::int64_t> m_edges;
};

}  // namespace

std::vector<MeasureSpec> linMeasures()
{
  using enum MeasureUnit;
  std::vector<MeasureSpec> m(kMeasures);
  m[kRateError] = {"bit rate error", Percent, "rate of the sync byte against the rate set; + is faster"};
  m[kBreak] = {"break", Count, "bits of the break at the rate set"};
  m[kDelimiter] = {"break delimiter", Time, "end of the break to the sync byte"};
  m[kResponseSpace] = {"response space", Time, "end of the identifier to the response"};
  m[kByteSpace] = {"inter-byte space", Time, "end of a byte of the response to the next"};
  return m;
}

std::unique_ptr<Meter> makeLinMeter(const LinSettings& settings)
{
  return std::make_unique<LinMeter>(1e12 / settings.baud);
}

}  // namespace bexto
