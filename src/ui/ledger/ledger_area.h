#pragma once

#include <QWidget>
#include <vector>

#include "ui/ledger/ledger_view.h"
#include "ui/page/lower_page.h"
#include "ui/query/filter_bar.h"

class QComboBox;
class QLabel;
class QSplitter;
class QToolButton;

namespace bexto::ui {

/// The Ledger with all that belongs to it: its form, filter and search, the counts, and further Ledgers beside it that
/// show one bus each and scroll with it.
class LedgerArea : public LowerPage {
  Q_OBJECT
 public:
  LedgerArea(SessionModel& session, Engine& engine, Focus& focus, QWidget* parent = nullptr);

  Lookup& filter() { return *m_filter; }
  Lookup& search() { return *m_search; }
  FilterBar& bar() { return *m_bar; }
  QString title() const override { return tr("Ledger"); }
  QString help() const override { return tr("What was said, line by line"); }
  QString key() const override { return QStringLiteral("ledger"); }
  /// Form, further Ledgers and counts.
  QWidget* controls() override { return m_controls; }
  QWidget& keyboard() override { return active(); }
  /// The first Ledger; there is always one.
  LedgerView& first() { return *m_panes.front().view; }
  /// The one that had the keyboard last.
  LedgerView& active();
  int paneCount() const { return static_cast<int>(m_panes.size()); }
  LedgerView& pane(int i) { return *m_panes.at(static_cast<std::size_t>(i)).view; }

  /// Another Ledger at the right, for the bus of the selection.
  void addBeside();
  void closePane(int i);
  void setPaneBus(int i, BusId bus);
  void setLinked(bool linked);
  bool isLinked() const { return m_linked; }
  void setForm(LedgerForm form, std::size_t wrap);
  /// To the next match of the search after the selection, around the capture's end if need be.
  void findNext(bool forward);
  /// The list follows a growing capture's newest line.
  void setFollowing(bool following);
  void setLive(bool live);
  QString countText() const;

 Q_SIGNALS:
  void said(const QString& note);
  void noteWanted();
  void alikeWanted(bool byName, bool forward);
  void partnerWanted();
  void kinWanted();
  void startWanted(const QString& term);
  void followingChanged(bool following);

 private:
  struct Pane {
    QWidget* box = nullptr;
    QWidget* head = nullptr;
    QComboBox* which = nullptr;
    LedgerView* view = nullptr;
  };
  void makePane();
  void makeControls();
  void updatePanes();
  void keepFilterInSession();
  void updateCounts();
  void paneScrolled(LedgerView* from, Picoseconds t);

  SessionModel& m_session;
  Engine& m_engine;
  Focus& m_focus;
  Lookup* m_filter;
  Lookup* m_search;
  FilterBar* m_bar;
  QSplitter* m_splitter;
  QWidget* m_controls;
  QComboBox* m_form = nullptr;
  QToolButton* m_follow = nullptr;
  QToolButton* m_all = nullptr;
  QToolButton* m_link = nullptr;
  QLabel* m_count = nullptr;
  std::vector<Pane> m_panes;
  LedgerView* m_active = nullptr;
  std::optional<bool> m_wanted;  ///< the next match was asked for, forwards or not, before it was found
  bool m_linked = true;
  bool m_scrolling = false;
  bool m_live = false;
};

}  // namespace bexto::ui
