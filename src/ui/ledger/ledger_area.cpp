#include "ui/ledger/ledger_area.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QSettings>
#include <QSplitter>
#include <QToolButton>

#include "core/base/number_text.h"
#include "core/query/scan.h"
#include "ui/text/elided_label.h"
#include "ui/theme/choices.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

struct FormChoice {
  LedgerForm form;
  std::size_t wrap;
  const char* label;
};
constexpr std::array<FormChoice, 6> kForms{
    {{LedgerForm::Sentences, 16, QT_TRANSLATE_NOOP("bexto::ui::LedgerArea", "Sentences")},
     {LedgerForm::Opened, 16, QT_TRANSLATE_NOOP("bexto::ui::LedgerArea", "Opened")},
     {LedgerForm::Bytes, 4, QT_TRANSLATE_NOOP("bexto::ui::LedgerArea", "Bytes by 4")},
     {LedgerForm::Bytes, 8, QT_TRANSLATE_NOOP("bexto::ui::LedgerArea", "Bytes by 8")},
     {LedgerForm::Bytes, 16, QT_TRANSLATE_NOOP("bexto::ui::LedgerArea", "Bytes by 16")},
     {LedgerForm::Bytes, 32, QT_TRANSLATE_NOOP("bexto::ui::LedgerArea", "Bytes by 32")}}};

QToolButton* makeFlat(const QString& text, const QString& tip)
{
  auto* button = new QToolButton;
  button->setText(text);
  button->setToolTip(tip);
  button->setAccessibleName(tip);
  button->setProperty("flat", true);
  return button;
}

/// The first line from `number` on, or the last one before it, that the search found and the filter shows.
std::optional<std::uint64_t> nextIn(const LineSet& found, const LedgerSource& shown, std::uint64_t number, bool forward)
{
  return LineSet::nextOfBoth(found, shown.shown ? *shown.shown : found, number, forward);
}

}  // namespace

LedgerArea::LedgerArea(SessionModel& session, Engine& engine, Focus& focus, QWidget* parent)
    : LowerPage(parent),
      m_session(session),
      m_engine(engine),
      m_focus(focus),
      m_filter(new Lookup(engine, this)),
      m_search(new Lookup(engine, this)),
      m_bar(new FilterBar(engine, *m_filter, *m_search)),
      m_splitter(new QSplitter(Qt::Horizontal)),
      m_controls(new QWidget)
{
  makeControls();
  m_splitter->setHandleWidth(1);
  m_splitter->setChildrenCollapsible(false);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(m_bar);
  column->addWidget(m_splitter, 1);
  makePane();
  keepFilterInSession();
  connect(m_bar, &FilterBar::nextWanted, this, &LedgerArea::findNext);
  connect(m_bar, &FilterBar::listWanted, this, [this] { active().setFocus(); });
  connect(&engine, &Engine::changed, this, [this](const EngineChange& change) {
    if (change.isDescribed())
      updatePanes();
  });
  for (Lookup* lookup : {m_filter, m_search})
    connect(lookup, &Lookup::resultChanged, this, &LedgerArea::updateCounts);
  connect(m_search, &Lookup::resultChanged, this, [this] {
    if (m_wanted && m_search->result())
      findNext(*m_wanted);
  });
  connect(m_search, &Lookup::textChanged, this, [this] { m_wanted.reset(); });
  connect(&engine, &Engine::changed, this, &LedgerArea::updateCounts);
  connect(&engine, &Engine::captureChanged, this, &LedgerArea::updateCounts);
  connect(&theme(), &Theme::changed, this, &LedgerArea::updateCounts);
  updateCounts();
}

/// What is typed in a row is one step back; a term from a menu and a chip are one each.
void LedgerArea::keepFilterInSession()
{
  m_filter->take(m_session.value().filter);
  connect(m_filter, &Lookup::askedOtherwise, this, [this] {
    const LineFilter asked = m_filter->asked();
    if (!m_bar->filterEdit().hasFocus() || asked.text == m_session.value().filter.text)
      m_session.endGesture();
    m_session.setFilter(asked);
  });
  connect(&m_bar->filterEdit(), &QLineEdit::editingFinished, this, [this] { m_session.endGesture(); });
  connect(&m_session, &SessionModel::changed, this, [this](const SessionChange& change) {
    if (change.filter && m_filter->asked() != m_session.value().filter)
      m_filter->take(m_session.value().filter);
  });
}

void LedgerArea::makeControls()
{
  auto* row = new QHBoxLayout(m_controls);
  row->setContentsMargins(0, 0, 12, 0);
  row->setSpacing(4);
  m_form = new QComboBox;
  m_form->setObjectName(QStringLiteral("ledgerForm"));
  m_form->setAccessibleName(tr("Form of the Ledger"));
  for (const FormChoice& choice : kForms)
    m_form->addItem(tr(choice.label));
  m_all = makeFlat(tr("All segments"), tr("List all segments in a row; times count from the session's begin"));
  m_all->setCheckable(true);
  m_all->setObjectName(QStringLiteral("allSegments"));
  connect(m_all, &QToolButton::clicked, &m_engine, &Engine::listAllSegments);
  const auto offer = [this] {
    m_all->setVisible(m_engine.segments().size() > 1);
    m_all->setChecked(m_engine.listsAllSegments());
  };
  connect(&m_engine, &Engine::segmentsChanged, m_all, offer);
  offer();
  connect(m_form, &QComboBox::activated, this, [this](int i) {
    const FormChoice& choice = kForms.at(static_cast<std::size_t>(i));
    setForm(choice.form, choice.wrap);
  });
  m_follow = makeFlat(tr("⤓ Follow"), tr("Go to the newest line and stay there (Space)"));
  m_follow->setCheckable(true);
  m_follow->setObjectName(QStringLiteral("follow"));
  connect(m_follow, &QToolButton::clicked, this, [this] { setFollowing(!first().isFollowing()); });
  m_follow->hide();
  auto* beside = makeFlat(tr("+ Beside"), tr("Another Ledger beside this one"));
  beside->setObjectName(QStringLiteral("beside"));
  connect(beside, &QToolButton::clicked, this, &LedgerArea::addBeside);
  m_link = makeFlat(tr("Linked"), tr("Ledgers side by side scroll together"));
  m_link->setCheckable(true);
  m_link->setChecked(true);
  m_link->setObjectName(QStringLiteral("link"));
  connect(m_link, &QToolButton::clicked, this, [this](bool on) { setLinked(on); });
  m_link->hide();
  m_count = new ElidedLabel;
  m_count->setObjectName(QStringLiteral("ledgerCount"));
  setType(*m_count, Face::Words, 11);
  row->addWidget(m_form);
  row->addWidget(m_all);
  row->addWidget(beside);
  row->addWidget(m_link);
  row->addWidget(m_follow);
  row->addStretch();
  row->addWidget(m_count);
}

void LedgerArea::makePane()
{
  Pane pane;
  pane.box = new QWidget;
  auto* column = new QVBoxLayout(pane.box);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  pane.head = new QWidget;
  auto* row = new QHBoxLayout(pane.head);
  row->setContentsMargins(12, 2, 6, 2);
  pane.which = new QComboBox;
  pane.which->setAccessibleName(tr("Bus of this Ledger"));
  auto* close = makeFlat(QStringLiteral("✕"), tr("Close this Ledger"));
  row->addWidget(pane.which);
  row->addStretch();
  row->addWidget(close);
  pane.view = new LedgerView(m_session, m_engine, m_focus, *m_filter, *m_search);
  column->addWidget(pane.head);
  column->addWidget(pane.view, 1);
  LedgerView* view = pane.view;
  const auto number = [this, view] {
    for (std::size_t i = 0; i < m_panes.size(); ++i) {
      if (m_panes[i].view == view)
        return static_cast<int>(i);
    }
    return 0;
  };
  connect(close, &QToolButton::clicked, this, [this, number] { closePane(number()); });
  connect(pane.which, &QComboBox::activated, this,
          [this, number](int i) { setPaneBus(number(), i == 0 ? BusId::None : m_engine.bus(i - 1).id); });
  connect(view, &LedgerView::scrolled, this, [this, view](Picoseconds t) { paneScrolled(view, t); });
  connect(view, &LedgerView::picked, this, [this, view] { m_active = view; });
  connect(view, &LedgerView::filterWanted, m_bar, &FilterBar::addTerm);
  connect(view, &LedgerView::surroundingsWanted, m_filter, [this] { m_filter->setAllOff(true); });
  connect(view, &LedgerView::said, this, &LedgerArea::said);
  connect(view, &LedgerView::noteWanted, this, &LedgerArea::noteWanted);
  connect(view, &LedgerView::alikeWanted, this, &LedgerArea::alikeWanted);
  connect(view, &LedgerView::partnerWanted, this, &LedgerArea::partnerWanted);
  connect(view, &LedgerView::kinWanted, this, &LedgerArea::kinWanted);
  connect(view, &LedgerView::startWanted, this, &LedgerArea::startWanted);
  connect(view, &LedgerView::followingChanged, this, [this, view] {
    setFollowing(view->isFollowing());  // all of them stand still, or none
    updateCounts();
    Q_EMIT followingChanged(view->isFollowing());
  });
  if (!m_panes.empty()) {
    view->setForm(first().rows().lines().form(), first().rows().lines().wrap());
    view->setFollowing(first().isFollowing());
  }
  m_panes.push_back(pane);
  m_splitter->addWidget(pane.box);
  updatePanes();
}

LedgerView& LedgerArea::active()
{
  for (const Pane& pane : m_panes) {
    if (pane.view == m_active)
      return *m_active;
  }
  return first();
}

void LedgerArea::addBeside()
{
  constexpr std::size_t kMost = 4;
  if (m_panes.size() >= kMost)
    return;
  makePane();
  // The bus of the selection, or the first that no other pane shows.
  BusId bus = m_focus.selection().stream.bus;
  if (bus == BusId::None && m_engine.busCount() > 0)
    bus = m_engine.bus(std::min(m_engine.busCount(), paneCount() - 1) - 1).id;
  setPaneBus(paneCount() - 1, bus);
  QList<int> sizes;
  for (int i = 0; i < paneCount(); ++i)
    sizes << m_splitter->width() / paneCount();
  m_splitter->setSizes(sizes);
}

void LedgerArea::closePane(int i)
{
  if (m_panes.size() == 1)
    return;
  const auto at = m_panes.begin() + i;
  at->box->hide();
  at->box->deleteLater();
  m_panes.erase(at);
  m_active = nullptr;
  updatePanes();
  updateCounts();
}

void LedgerArea::setPaneBus(int i, BusId bus)
{
  pane(i).setOnly(bus);
  updatePanes();
  updateCounts();
}

void LedgerArea::updatePanes()
{
  for (Pane& pane : m_panes) {
    QStringList names{tr("All buses")};
    const BusId only = pane.view->rows().only();
    int now = 0;
    for (int i = 0; i < m_engine.busCount(); ++i) {
      names << toQString(m_engine.bus(i).wanted.name);
      if (m_engine.bus(i).id == only)
        now = i + 1;
    }
    // A bus that has gone: all of them rather than none.
    if (now == 0 && only != BusId::None)
      pane.view->setOnly(BusId::None);
    if (!offers(*pane.which, names)) {
      pane.which->clear();
      pane.which->addItems(names);
    }
    pane.which->setCurrentIndex(now);
    pane.head->setVisible(m_panes.size() > 1 || now > 0);
  }
  m_link->setVisible(m_panes.size() > 1);
}

void LedgerArea::setLinked(bool linked)
{
  m_linked = linked;
  m_link->setChecked(linked);
}

void LedgerArea::paneScrolled(LedgerView* from, Picoseconds t)
{
  if (!m_linked || m_scrolling)
    return;
  m_scrolling = true;
  for (const Pane& pane : m_panes) {
    if (pane.view != from)
      pane.view->scrollToTime(t);
  }
  m_scrolling = false;
}

void LedgerArea::setForm(LedgerForm form, std::size_t wrap)
{
  for (const Pane& pane : m_panes)
    pane.view->setForm(form, wrap);
  for (std::size_t i = 0; i < kForms.size(); ++i) {
    const bool sameWrap = form != LedgerForm::Bytes || kForms.at(i).wrap == wrap;
    if (kForms.at(i).form == form && sameWrap)
      m_form->setCurrentIndex(static_cast<int>(i));
  }
}

void LedgerArea::setFollowing(bool following)
{
  for (const Pane& pane : m_panes)
    pane.view->setFollowing(following);
}

void LedgerArea::setLive(bool live)
{
  m_live = live;
  setFollowing(live && !m_focus.selection().valid());
  updateCounts();
}

void LedgerArea::findNext(bool forward)
{
  const auto result = m_search->result();
  const LedgerRows& rows = active().rows();
  m_wanted.reset();
  if (!result && m_search->isScanning())
    m_wanted = forward;
  if (!result || rows.lines().empty())
    return;
  // From the selection on; without one, from what is in view.
  const bool selected = m_focus.selection().valid() && rows.holds(m_focus.selection());
  const LedgerRow from = selected ? rows.rowOf(m_focus.selection()) : rows.merged().at(active().top().row);
  const Picoseconds begin = rows.merged().beginOf(from);
  std::optional<LedgerRow> best;
  bool wrapped = false;
  for (const bool around : {false, true}) {
    Picoseconds bestBegin = forward ? kNever : Picoseconds{-1};
    for (std::size_t s = 0; s < rows.merged().sources().size(); ++s) {
      const LedgerSource& source = rows.merged().sources()[s];
      const LineSet* found = nullptr;
      for (const LedgerSource& other : result->sources) {
        if (other.id == source.id)
          found = other.shown.get();
      }
      if (found == nullptr || found->size() == 0)
        continue;
      std::uint64_t number = 0;
      if (around)
        number = forward ? 0 : source.transactions.size();
      else if (s == from.source)
        number = forward ? from.number + (selected ? 1 : 0) : from.number;
      else
        number = source.firstFrom(s < from.source ? begin + Picoseconds{1} : begin);
      const auto next = nextIn(*found, source, number, forward);
      if (!next || *next >= source.transactions.size())
        continue;
      const Picoseconds at = source.beginOf(*next);
      if (forward ? at < bestBegin : at >= bestBegin) {
        bestBegin = at;
        best = LedgerRow{s, *next};
      }
    }
    if (best)
      break;
    wrapped = true;
  }
  if (!best) {
    // What is still being looked for is gone to when it is found.
    if (m_search->isScanning())
      m_wanted = forward;
    m_bar->setSearchNote(m_wanted ? tr("looking …") : tr("no match is shown"));
    return;
  }
  // Which of all it is, counted over all buses.
  std::uint64_t place = 1;
  const Picoseconds at = rows.merged().beginOf(*best);
  for (const LedgerSource& source : result->sources)
    place += source.shownBelow(source.firstFrom(at));
  const QString where =
      tr("%1 of %2").arg(toQString(bexto::countText(place)), toQString(bexto::countText(result->found())));
  m_bar->setSearchNote(!wrapped  ? where
                       : forward ? tr("%1 · went on from the begin").arg(where)
                                 : tr("%1 · went on from the end").arg(where));
  if (const auto selection = rows.selectionOf(*best))
    m_focus.goTo(*selection);
}

QString LedgerArea::countText() const
{
  const LedgerRows& rows = m_panes.front().view->rows();
  if (rows.allCount() == 0)
    return {};
  if (m_filter->isIdle())
    return countOf(rows.allCount(), {"{} transaction shown", "{} transactions shown"});
  return tr("%1 of %2 shown")
      .arg(toQString(bexto::countText(rows.shownCount())), countOf(rows.allCount(), kTransactions));
}

void LedgerArea::updateCounts()
{
  m_count->setText(countText());
  setInk(*m_count, Ink::Muted);
  m_follow->setVisible(m_live);
  m_follow->setChecked(first().isFollowing());
  m_follow->setText(first().isFollowing() ? tr("⤓ Following") : tr("⤓ Follow"));
}

}  // namespace bexto::ui
