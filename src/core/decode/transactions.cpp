#include "core/decode/transactions.h"

#include <algorithm>
#include <cassert>

#include "core/decode/i2c.h"
#include "core/decode/uart.h"

namespace bexto {

namespace {

constexpr std::uint64_t kLongestRun = 256;

/// Whether `next` goes on with what `before` belongs to.
class Joins {
 public:
  explicit Joins(const Bus& bus) : m_protocol(bus.protocol()), m_text(bus.format == ValueFormat::Text)
  {
    if (const auto* uart = std::get_if<UartSettings>(&bus.settings); uart != nullptr && uart->baud > 0.0)
      m_pause = UartTiming(*uart).end() * 2;
  }

  bool operator()(const Frame& before, const Frame& next, std::uint64_t length) const
  {
    if (m_protocol == Protocol::I2c)
      return i2cTransfer(before).end == I2cEnd::Restart;
    const bool lineEnd = m_text && before.key == '\n' && (before.flags & kUartHasValue) != 0;
    return before.kind == FrameKind::Character && next.kind == FrameKind::Character && !lineEnd &&
           length < kLongestRun && next.time.begin - before.time.end < m_pause;
  }

 private:
  Protocol m_protocol;
  bool m_text;
  Picoseconds m_pause{0};
};

}  // namespace

Transactions::Transactions(const Bus& bus, FrameIndex frames, const Transactions& before) : m_frames(std::move(frames))
{
  if (bus.protocol() == Protocol::Spi || bus.protocol() == Protocol::Can)
    return;
  auto firsts = std::make_shared<std::vector<std::uint32_t>>();
  const Joins joins(bus);
  std::uint64_t from = 0;
  if (before.m_firsts && !before.m_firsts->empty()) {
    // The last one may go on.
    firsts->assign(before.m_firsts->begin(), before.m_firsts->end() - 1);
    from = before.m_firsts->back();
  }
  Frame last;
  std::uint64_t length = 0;
  for (const auto& chunk : m_frames.chunks()) {
    if (chunk->first + chunk->size() <= from)
      continue;
    for (std::size_t i = from > chunk->first ? static_cast<std::size_t>(from - chunk->first) : 0; i < chunk->size();
         ++i) {
      Frame next;
      next.time = {Picoseconds{chunk->begin[i]}, Picoseconds{chunk->end[i]}};
      next.kind = chunk->kind[i];
      next.flags = chunk->flags[i];
      next.key = chunk->key[i];
      if (length == 0 || !joins(last, next, length)) {
        firsts->push_back(static_cast<std::uint32_t>(chunk->first + i));
        length = 0;
      }
      ++length;
      last = next;
    }
  }
  m_firsts = std::move(firsts);
}

Transactions Transactions::eachFrame(FrameIndex frames)
{
  Transactions each;
  each.m_frames = std::move(frames);
  return each;
}

FrameRange Transactions::framesOf(std::uint64_t number) const
{
  assert(number < size());
  if (!m_firsts)
    return {number, number + 1};
  const std::vector<std::uint32_t>& firsts = *m_firsts;
  const auto i = static_cast<std::size_t>(number);
  return {firsts[i], i + 1 < firsts.size() ? firsts[i + 1] : m_frames.size()};
}

TimeRange Transactions::timeOf(std::uint64_t number) const
{
  const FrameRange range = framesOf(number);
  return {m_frames.frame(range.first).time.begin, m_frames.frame(range.end - 1).time.end};
}

Picoseconds Transactions::beginOf(std::uint64_t number) const
{
  return m_frames.frame(framesOf(number).first).time.begin;
}

std::uint64_t Transactions::transactionOf(std::uint64_t frame) const
{
  assert(frame < m_frames.size());
  if (!m_firsts)
    return frame;
  return static_cast<std::uint64_t>(std::upper_bound(m_firsts->begin(), m_firsts->end(), frame) - m_firsts->begin()) -
         1;
}

bool Transactions::isFaulty(std::uint64_t number) const
{
  const FrameRange range = framesOf(number);
  for (std::uint64_t i = range.first; i < range.end; ++i) {
    const Frame frame = m_frames.frame(i);
    if (bexto::isFaulty(frame.kind, frame.errors))
      return true;
  }
  return false;
}

std::uint16_t Transactions::errorsOf(std::uint64_t number) const
{
  const FrameRange range = framesOf(number);
  std::uint16_t errors = 0;
  for (std::uint64_t i = range.first; i < range.end; ++i)
    errors |= m_frames.frame(i).errors;
  return errors;
}

std::uint64_t Transactions::firstFrom(Picoseconds t) const
{
  // Transactions begin with frames, so the first frame from t on decides; it may be the middle of one, then the next.
  const std::uint64_t frame = m_frames.firstFrom(t);
  if (!m_firsts)
    return frame;
  return static_cast<std::uint64_t>(std::lower_bound(m_firsts->begin(), m_firsts->end(), frame) - m_firsts->begin());
}

}  // namespace bexto
