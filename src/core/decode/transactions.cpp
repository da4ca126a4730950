#include "core/decode/transactions.h"

#include <algorithm>
#include <cassert>

#include "core/decode/protocol.h"

namespace bexto {

Transactions::Transactions(const Bus& bus, FrameIndex frames, const Transactions& before) : m_frames(std::move(frames))
{
  if (const auto describer = describerOf(bus)) {
    m_meaning = describer->read(bus, m_frames, before.m_meaning);
    if (m_meaning && (m_firsts = m_meaning->firsts()))
      return;
  }
  auto firsts = std::make_shared<std::vector<std::uint32_t>>();
  std::uint64_t from = 0;
  const bool goesOn = before.m_firsts && !(before.m_meaning && before.m_meaning->firsts());
  if (goesOn && !before.m_firsts->empty()) {
    // The last one may go on.
    firsts->assign(before.m_firsts->begin(), before.m_firsts->end() - 1);
    from = before.m_firsts->back();
  }
  if (bus.protocol().firsts(bus, m_frames, from, *firsts))
    m_firsts = std::move(firsts);
}

Transactions Transactions::eachFrame(FrameIndex frames, std::shared_ptr<const Meaning> meaning)
{
  assert(!meaning || !meaning->firsts());
  Transactions each;
  each.m_frames = std::move(frames);
  each.m_meaning = std::move(meaning);
  return each;
}

std::optional<Transactions> Transactions::wholesIn(const Bus& bus, const Transactions& stream,
                                                   const Transactions& before, bool final)
{
  const auto describer = describerOf(bus);
  return describer ? describer->wholesIn(bus, stream, before, final) : std::nullopt;
}

void Transactions::putTogether(const Bus& bus, std::span<Transactions> streams)
{
  const auto describer = describerOf(bus);
  if (!describer)
    return;
  std::vector<std::shared_ptr<const Meaning>> meanings = describer->together(bus, streams);
  for (std::size_t i = 0; i < meanings.size(); ++i)
    streams[i].m_meaning = std::move(meanings[i]);
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
  return m_meaning && m_meaning->isFaulty(range);
}

FrameErrors Transactions::errorsOf(std::uint64_t number) const
{
  const FrameRange range = framesOf(number);
  FrameErrors errors = 0;
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
