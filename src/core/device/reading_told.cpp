// What a reading says of frames that are asked for: faults, values, sentences, and what they have to do with others.
//
// Tested by tests/core/device_test.cpp.
#include <algorithm>
#include <iterator>

#include "core/base/say.h"
#include "core/device/exchanges.h"
#include "core/device/reading.h"
#include "core/device/transport.h"

namespace bexto {

std::optional<Meaning::Kin> Reading::kinOf(FrameRange frames) const
{
  if (!m_wholes || m_other < 0 || frames.count() != 1)
    return std::nullopt;
  if (m_isOfWholes) {
    const auto parts = m_wholes->partsOf(frames.first);
    return Kin{true, m_other, {parts.begin(), parts.end()}};
  }
  const auto whole = m_wholes->wholeOf(frames.first);
  return whole ? std::optional(Kin{false, m_other, {*whole}}) : std::nullopt;
}

std::optional<Meaning::Partner> Reading::partnerOf(FrameRange frames) const
{
  return m_exchanges ? m_exchanges->of(m_stream, frames) : std::nullopt;
}

bool Reading::isUnanswered(FrameRange frames) const
{
  return m_exchanges && m_exchanges->isUnanswered(m_stream, frames);
}

bool Reading::isFaulty(FrameRange frames) const
{
  if (isUnanswered(frames))
    return true;
  const auto found = std::lower_bound(m_faulty.begin(), m_faulty.end(), frames.first);
  return found != m_faulty.end() && *found < frames.end;
}

std::vector<std::uint32_t> Reading::faulty(std::uint64_t from) const
{
  std::vector<std::uint32_t> faulty(std::lower_bound(m_faulty.begin(), m_faulty.end(), from), m_faulty.end());
  if (m_exchanges) {
    const auto unanswered = m_exchanges->unanswered(m_stream);
    const auto first = std::lower_bound(unanswered.begin(), unanswered.end(), from);
    std::vector<std::uint32_t> both;
    std::set_union(faulty.begin(), faulty.end(), first, unanswered.end(), std::back_inserter(both));
    faulty = std::move(both);
  }
  return faulty;
}

std::uint64_t Reading::valueCount(const Bus& bus, const FrameIndex& frames, FrameRange range) const
{
  std::uint64_t count = 0;
  for (const Told& told : this->told(bus, frames, range))
    count += told.values.size();
  return count;
}

std::vector<Told> Reading::told(const Bus& bus, const FrameIndex& frames, FrameRange range) const
{
  std::vector<Told> all;
  const UnitTeller teller(*this, bus, frames);
  for (std::uint64_t unit = unitOf(range.first); unit < m_rows.size() && framesOf(unit).first < range.end; ++unit) {
    auto told = teller.told(unit);
    if (!told)
      continue;
    told->unanswered = isUnanswered(told->frames);
    if (told->unanswered)
      told->faults.push_back(say("no answer"));
    // A pointer that the next read of the same device uses says nothing by itself.
    const UnitRow& row = m_rows.at(unit);
    const bool leads = (row.flags & UnitRow::kPoints) != 0 && unit + 1 < m_rows.size() && unit + 1 < range.end &&
                       m_rows.at(unit + 1).item == row.item && (m_rows.at(unit + 1).flags & UnitRow::kReads) != 0;
    if (leads)
      told->text.clear();
    all.push_back(std::move(*told));
  }
  return all;
}

}  // namespace bexto
