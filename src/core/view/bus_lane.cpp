#include "core/view/bus_lane.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/base/say.h"
#include "core/decode/protocol.h"

namespace bexto {

namespace {

struct FieldText {
  std::string text;
  std::string brief = {};  ///< where there is no room for `text`
};

std::string hexText(const Field& field)
{
  return valueText(field.value, field.width, ValueFormat::Hex);
}

/// What stands inside a field.
FieldText textOf(const Bus& bus, const Field& field)
{
  const std::string name = say(field.name);
  switch (field.role) {
    case Role::Start:
    case Role::Stop:
      return {name, field.brief};
    case Role::Address:
      return {addressText(field.value, field.width, bus.format)};
    case Role::Direction:
      return {field.value == 1 ? "R" : "W"};
    case Role::Data:
      return {field.complete ? loneValueText(field.value, field.width, bus.format) : "…"};
    case Role::Acknowledge:
      return {(field.value & 1U) == 0 ? "✓" : "✗"};
    case Role::Parity:
      return {"P"};
    case Role::Control:
      if (field.width > 1)
        return {name + " " + hexText(field), hexText(field)};
      return {name + (field.value == 0 ? " 0" : " 1"), field.value == 0 ? "0" : "1"};
    case Role::Length:
      return {fmt::format("DLC {}", field.value), fmt::format("{}", field.value)};
    case Role::Check:
      return {name + " " + hexText(field), hexText(field)};
    case Role::Delimiter:
    case Role::Flag:
      return {name};
    case Role::Stuff:
      break;
  }
  return {};
}

/// On average; of two data lines each counts.
constexpr double kLeastByte = 1.5;

class LaneBuilder {
 public:
  LaneBuilder(const Bus& bus, const StreamInput& input, const Transactions& transactions,
              const std::vector<std::uint32_t>& faulty, const TimeAxis& axis, double scale)
      : m_bus(bus),
        m_input(input),
        m_transactions(transactions),
        m_faulty(faulty),
        m_axis(axis),
        m_leastField(kLeastField * scale),
        m_leastBit(kLeastBit * scale),
        m_roomForParts(60.0 * scale)
  {
  }

  BusLane build()
  {
    const TimeRange span = m_axis.span();
    std::uint64_t number = m_transactions.firstFrom(span.begin);
    if (number > 0)
      --number;  // the one before may reach into view
    while (number < m_transactions.size()) {
      const TimeRange time = m_transactions.timeOf(number);
      if (time.begin >= span.end)
        break;
      if (time.end < span.begin) {
        ++number;
        continue;
      }
      number = addSentence(number, time);
    }
    return std::move(m_lane);
  }

 private:
  /// Adds one transaction, or all that begin within a few pixels. Returns the number of the next.
  std::uint64_t addSentence(std::uint64_t number, TimeRange time)
  {
    const double x0 = m_axis.xOf(time.begin);
    const double x1 = m_axis.xOf(time.end);
    LaneSentence sentence{x0, x1, number, 1, anyFault(number, number + 1)};
    std::uint64_t next = number + 1;
    if (x1 - x0 < kLeastSentence) {
      next = std::max(next, m_transactions.firstFrom(m_axis.timeAt(x0 + kLeastSentence)));
      sentence.count = next - number;
      sentence.x1 = x0 + kLeastSentence;
      sentence.fault = anyFault(number, next);
      m_lane.sentences.push_back(sentence);
      return next;
    }
    m_lane.sentences.push_back(sentence);
    addFrames(m_transactions.framesOf(number));
    return next;
  }

  /// Whether any of the transactions [first, end) has a faulty frame.
  bool anyFault(std::uint64_t first, std::uint64_t end) const
  {
    const std::uint64_t firstFrame = m_transactions.framesOf(first).first;
    const auto next = std::lower_bound(m_faulty.begin(), m_faulty.end(), firstFrame);
    return next != m_faulty.end() && *next < m_transactions.framesOf(end - 1).end;
  }

  void addFrames(FrameRange range)
  {
    const TimeRange span = m_axis.span();
    const FrameIndex& frames = m_transactions.frames();
    std::uint64_t i = range.first;
    const std::uint64_t seen = frames.lastUpTo(span.begin);
    if (seen < frames.size())
      i = std::max(i, seen);
    for (; i < range.end; ++i) {
      const Frame frame = frames.frame(i);
      if (frame.time.begin >= span.end)
        break;
      const double width = m_axis.xOf(frame.time.end) - m_axis.xOf(frame.time.begin);
      // Opening a transfer of a million bytes to find that none of them has room would take longer than a picture may.
      const bool roomForBytes = width >= kLeastByte * static_cast<double>(frame.payload.size());
      const bool isValue = holdsOneValue(frame);
      const double least = isValue ? m_leastField : 4 * m_leastField;
      if (frame.time.end >= span.begin && width >= least && roomForBytes)
        addFields(i, width);
      else if (width < m_leastField && isValue)
        break;  // its neighbours are as narrow
    }
  }

  bool holdsOneValue(const Frame& frame) const
  {
    const KindSpec* const kind = m_bus.protocol().kind(frame.kind);
    return kind != nullptr && kind->isValue;
  }

  void addFields(std::uint64_t number, double width)
  {
    const Anatomy anatomy = anatomyOf(m_bus, m_input, m_transactions.frames(), number, m_axis.span());
    const bool whole = width < m_roomForParts && holdsOneValue(m_transactions.frames().frame(number));
    for (const Field& field : anatomy.fields) {
      double x0 = m_axis.xOf(field.time.begin);
      double x1 = m_axis.xOf(field.time.end);
      if (x1 < 0.0 || x0 > m_axis.width())
        continue;
      if (whole) {
        // No room for start, parity and stop: the value fills the whole width.
        if (field.role != Role::Data)
          continue;
        x1 = x0 + width * 0.97;
      }
      // What cut a frame has no length, and must be seen.
      const bool mark = field.role == Role::Flag && field.bitCount == 0;
      if (mark)
        x0 -= m_leastField;
      if (!mark && x1 - x0 < m_leastField && field.role != Role::Acknowledge && field.role != Role::Direction)
        continue;
      const bool fault = field.wrong || (whole && m_transactions.frames().frame(number).errors != 0);
      FieldText text = textOf(m_bus, field);
      m_lane.fields.push_back(
          {x0, x1, field.role, std::move(text.text), std::move(text.brief), number, fault, field.line});
    }
    for (const Bit& bit : anatomy.bits) {
      const Picoseconds length = bit.nominal > Picoseconds{0} ? bit.nominal : anatomy.nominalBit;
      if (static_cast<double>(length.count()) / m_axis.picosecondsPerPixel() < m_leastBit)
        continue;
      const double x = m_axis.xOf(bit.sample);
      if (x >= -m_leastBit && x <= m_axis.width() + m_leastBit)
        m_lane.bits.push_back({x, bit.level, bit.role, bit.wrong, bit.line});
    }
  }

  const Bus& m_bus;
  const StreamInput& m_input;
  const Transactions& m_transactions;
  const std::vector<std::uint32_t>& m_faulty;
  const TimeAxis& m_axis;
  double m_leastField;
  double m_leastBit;
  double m_roomForParts;
  BusLane m_lane;
};

}  // namespace

BusLane busLane(const Bus& bus, const StreamInput& input, const Transactions& transactions,
                const std::vector<std::uint32_t>& faulty, const TimeAxis& axis, double scale)
{
  return LaneBuilder(bus, input, transactions, faulty, axis, scale).build();
}

}  // namespace bexto
