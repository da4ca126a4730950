#include "core/session/edit.h"

#include <algorithm>

namespace bexto {

template <typename Self, typename Visit>
void Edit::visitParts(Self& self, Visit visit)
{
  visit(self.m_buses, &Session::buses);
  visit(self.m_conditioning, &Session::conditioning);
  visit(self.m_lanes, &Session::lanes);
  visit(self.m_plots, &Session::plots);
  visit(self.m_markers, &Session::markers);
  visit(self.m_filter, &Session::filter);
  visit(self.m_columns, &Session::columns);
}

Edit Edit::make(Session& session, const std::function<void(Session&)>& change)
{
  const Session before = session;
  change(session);
  Edit edit;
  visitParts(edit, [&](auto& part, auto member) {
    if (before.*member != session.*member)
      part = std::remove_cvref_t<decltype(*part)>{before.*member, session.*member};
  });
  return edit;
}

bool Edit::empty() const
{
  return !change().any();
}

SessionChange Edit::put(Session& session, bool after) const
{
  visitParts(*this, [&](const auto& part, auto member) {
    if (part)
      session.*member = after ? part->after : part->before;
  });
  return change();
}

SessionChange Edit::undo(Session& session) const
{
  return put(session, false);
}

SessionChange Edit::redo(Session& session) const
{
  return put(session, true);
}

SessionChange Edit::change() const
{
  SessionChange change;
  change.conditioning = m_conditioning.has_value();
  change.lanes = m_lanes.has_value();
  change.plots = m_plots.has_value();
  change.markers = m_markers.has_value();
  change.filter = m_filter.has_value();
  change.columns = m_columns.has_value();
  if (!m_buses)
    return change;
  const std::vector<SessionBus>& before = m_buses->before;
  const std::vector<SessionBus>& after = m_buses->after;
  change.busList = !std::equal(before.begin(), before.end(), after.begin(), after.end(),
                               [](const SessionBus& a, const SessionBus& b) { return a.id == b.id; });
  for (const SessionBus& bus : after) {
    const auto was = std::find_if(before.begin(), before.end(), [&](const SessionBus& b) { return b.id == bus.id; });
    if (was != before.end() && was->bus != bus.bus)
      change.buses.push_back(bus.id);
  }
  return change;
}

void Edit::absorb(const Edit& later)
{
  const auto take = [](auto& part, const auto& other) {
    if (!other)
      return;
    if (part)
      part->after = other->after;
    else
      part = other;
    if (part->before == part->after)
      part.reset();
  };
  take(m_buses, later.m_buses);
  take(m_conditioning, later.m_conditioning);
  take(m_lanes, later.m_lanes);
  take(m_plots, later.m_plots);
  take(m_markers, later.m_markers);
  take(m_filter, later.m_filter);
  take(m_columns, later.m_columns);
}

void Edit::amend(BusId bus, const std::function<void(SessionBus&)>& with)
{
  if (!m_buses)
    return;
  for (std::vector<SessionBus>* state : {&m_buses->before, &m_buses->after}) {
    for (SessionBus& entry : *state) {
      if (entry.id == bus)
        with(entry);
    }
  }
}

}  // namespace bexto
