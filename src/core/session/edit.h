#pragma once

#include <functional>
#include <optional>

#include "core/session/session.h"

namespace bexto {

/// Which parts of a session a change touched: what has to be looked at again.
struct SessionChange {
  bool busList = false;      ///< a bus came, went, or stands elsewhere
  std::vector<BusId> buses;  ///< that were there before and are, and are described otherwise
  bool conditioning = false;
  bool lanes = false;
  bool plots = false;
  bool markers = false;
  bool filter = false;
  bool columns = false;

  bool any() const
  {
    return busList || !buses.empty() || conditioning || lanes || plots || markers || filter || columns;
  }
};

/// What somebody did to a session, and its opposite. It holds the parts that changed, as they were and as they became,
/// so undoing is exact whatever the change was. A value.
class Edit {
 public:
  /// Does it. `change` may do anything to the session but its view, its source and its ids.
  static Edit make(Session& session, const std::function<void(Session&)>& change);

  /// Nothing was changed.
  bool empty() const;
  SessionChange undo(Session& session) const;
  SessionChange redo(Session& session) const;
  SessionChange change() const;
  /// Takes `later` in, so that both are one step. Requires: `later` came right after.
  void absorb(const Edit& later);
  /// What was found out about a bus rather than decided holds for the past as well: done to it wherever this has it.
  void amend(BusId bus, const std::function<void(SessionBus&)>& with);

 private:
  template <typename T>
  struct Part {
    T before;
    T after;
  };
  template <typename T>
  using Changed = std::optional<Part<T>>;

  /// Calls `visit(part, member)` for each part and the member of Session that it is of.
  template <typename Self, typename Visit>
  static void visitParts(Self& self, Visit visit);
  SessionChange put(Session& session, bool after) const;

  Changed<std::vector<SessionBus>> m_buses;
  Changed<std::map<std::string, Conditioning>> m_conditioning;
  Changed<LaneArrangement> m_lanes;
  Changed<std::vector<Plot>> m_plots;
  Changed<std::vector<Marker>> m_markers;
  Changed<LineFilter> m_filter;
  Changed<std::map<std::string, std::vector<ColumnPlace>>> m_columns;
};

}  // namespace bexto
