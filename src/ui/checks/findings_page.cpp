#include "ui/checks/findings_page.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QMenu>
#include <QPainter>
#include <QStackedWidget>
#include <QStyledItemDelegate>
#include <QTreeWidget>
#include <algorithm>

#include "core/base/number_text.h"
#include "core/base/time_text.h"
#include "core/export/check_writer.h"
#include "ui/focus/measured_places.h"
#include "ui/text/elided_label.h"
#include "ui/text/text.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

enum Order { ByGravity, ByTime };
constexpr int kIsRemark = Qt::UserRole + 2;

/// "12 ns ± 10 ns, ≥ 100 ns · UM10204 rev. 7.0, table 10".
QString evidenceText(const RuleResult& rule, const Finding& finding)
{
  QStringList parts;
  const bool isCount = rule.sort == RuleSort::Talk && rule.unit == "count";  // it is there, and should not be
  if (finding.measured && rule.sort != RuleSort::Sheet && rule.sort != RuleSort::Error && !isCount) {
    QString value = toQString(valueText(rule, finding.measured->value));
    if (finding.measured->resolution > 0.0)
      value += QStringLiteral(" ± ") + toQString(valueText(rule, finding.measured->resolution));
    if (rule.limits.any())
      value += QStringLiteral(", ") + toQString(limitsText(rule));
    parts << value;
  }
  if (!rule.clause.empty())
    parts << toQString(rule.clause);
  return parts.join(QStringLiteral(" · "));
}

QString causeText(const Finding& finding)
{
  return finding.cause
             ? toQString(causeName(finding.cause->kind)) + QStringLiteral(": ") + toQString(finding.cause->why)
             : QString();
}

class RoomyLine : public QStyledItemDelegate {
 public:
  using QStyledItemDelegate::QStyledItemDelegate;
  QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const override
  {
    return {QStyledItemDelegate::sizeHint(option, index).width(), px(24)};
  }
  void paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& index) const override
  {
    const Palette& c = theme().colours();
    const bool picked = (option.state & QStyle::State_Selected) != 0;
    p->fillRect(option.rect, picked ? c.selection : c.ground);
    const QVariant font = index.data(Qt::FontRole);
    p->setFont(font.isValid() ? font.value<QFont>() : theme().words(12));
    const QVariant ink = index.data(Qt::ForegroundRole);
    p->setPen(ink.isValid() ? ink.value<QBrush>().color() : c.ink);
    const QRect room = option.rect.adjusted(px(6), 0, -px(4), 0);
    p->drawText(room, Qt::AlignLeft | Qt::AlignVCenter,
                p->fontMetrics().elidedText(index.data().toString(), Qt::ElideRight, room.width()));
  }
};

}  // namespace

FindingsPage::FindingsPage(Engine& engine, Verdicts& verdicts, Focus& focus, QWidget* parent)
    : LowerPage(parent),
      m_engine(engine),
      m_verdicts(verdicts),
      m_focus(focus),
      m_controls(new QWidget),
      m_order(new QComboBox),
      m_status(new ElidedLabel),
      m_stack(new QStackedWidget),
      m_empty(new QLabel),
      m_list(new QTreeWidget)
{
  m_order->addItems({tr("By gravity"), tr("By time")});
  m_order->setAccessibleName(tr("Order"));
  m_order->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  m_order->setMinimumContentsLength(7);
  setType(*m_order, Face::Words, 12);
  setType(*m_status, Face::Words, 11);
  auto* row = new QHBoxLayout(m_controls);
  row->setContentsMargins(0, 0, 12, 0);
  row->addWidget(m_order, 1);
  row->addStretch(1);
  row->addWidget(m_status);
  m_list->setColumnCount(Columns);
  m_list->setHeaderLabels(
      {tr("time"), tr("bus"), tr("what is wrong"), tr("likely cause"), tr("measured, limit, source")});
  m_list->setFrameShape(QFrame::NoFrame);
  m_list->setUniformRowHeights(true);
  m_list->setAllColumnsShowFocus(true);
  m_list->setItemDelegate(new RoomyLine(m_list));
  m_list->viewport()->setBackgroundRole(QPalette::Window);
  m_list->setAccessibleName(tr("Findings"));
  m_list->setProperty("shortcutsFirst", true);
  m_list->header()->setStretchLastSection(true);
  m_list->header()->setSectionsMovable(false);
  m_list->header()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  m_list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  setType(*m_list->header(), Face::Words, 11);
  setType(*m_list, Face::Words, 12);
  sized(*m_list, [this] {
    const std::array<int, Columns> widths{132, 62, 262, 220, 200};
    for (int i = 0; i < Columns; ++i)
      m_list->setColumnWidth(i, px(widths.at(static_cast<std::size_t>(i))));
  });
  m_empty->setAlignment(Qt::AlignCenter);
  setInk(*m_empty, Ink::Muted);
  m_stack->addWidget(m_empty);
  m_stack->addWidget(m_list);
  auto* whole = new QVBoxLayout(this);
  whole->setContentsMargins(0, 0, 0, 0);
  whole->addWidget(m_stack);
  connect(m_order, &QComboBox::activated, this, &FindingsPage::refresh);
  connect(&verdicts, &Verdicts::changed, this, [this] {
    m_stale = true;
    if (isVisible())
      refresh();
  });
  connect(&theme(), &Theme::changed, this, &FindingsPage::refresh);
  connect(m_list, &QTreeWidget::itemClicked, this, &FindingsPage::showCurrent);
  connect(m_list, &QTreeWidget::itemActivated, this, &FindingsPage::showCurrent);
  m_list->setContextMenuPolicy(Qt::CustomContextMenu);
  connect(m_list, &QWidget::customContextMenuRequested, this, [this](QPoint at) {
    const QTreeWidgetItem* const item = m_list->itemAt(at);
    if (item == nullptr)
      return;
    const std::optional<Verdicts::Place> place = placeOf(*item);
    if (!place)
      return;
    const RuleResult& rule = m_verdicts.ruleOf(*place);
    QMenu menu(this);
    menu.addAction(tr("Show its rule"), this, [this, bus = place->bus, &rule] {
      Q_EMIT ruleWanted(bus, toQString(rule.rule), toQString(rule.book));
    });
    menu.exec(m_list->viewport()->mapToGlobal(at));
  });
  refresh();
}

QWidget& FindingsPage::keyboard()
{
  return *m_list;
}

QString FindingsPage::status() const
{
  return m_status->text();
}

void FindingsPage::showEvent(QShowEvent* event)
{
  LowerPage::showEvent(event);
  if (m_stale)
    refresh();
}

std::optional<Verdicts::Place> FindingsPage::placeOf(const QTreeWidgetItem& item)
{
  if (item.data(0, kIsRemark).toBool())
    return std::nullopt;
  return Verdicts::Place{static_cast<BusId>(item.data(0, Qt::UserRole).toUInt()),
                         static_cast<std::size_t>(item.data(0, Qt::UserRole + 1).toULongLong())};
}

QTreeWidgetItem* FindingsPage::lineOf(BusId bus, const Remark& remark, std::size_t number) const
{
  const BusView* const view = m_engine.find(bus);
  auto* item = new QTreeWidgetItem;
  item->setData(0, Qt::UserRole, static_cast<uint>(bus));
  item->setData(0, Qt::UserRole + 1, static_cast<qulonglong>(number));
  item->setData(0, kIsRemark, true);
  item->setText(Time, toQString(momentText(remark.time.begin, 9)));
  item->setFont(Time, theme().data(11));
  item->setText(BusName, view == nullptr ? QString() : toQString(view->wanted.name));
  item->setText(What, QStringLiteral("· ") + toQString(remark.what));
  item->setText(Likely, tr("may happen"));
  for (const int column : {What, Likely})
    item->setForeground(column, theme().colours().muted);
  return item;
}

std::uint64_t FindingsPage::addRemarks()
{
  std::uint64_t all = 0;
  for (int b = 0; b < m_engine.busCount(); ++b) {
    const BusId bus = m_engine.bus(b).id;
    const BusCheck* const check = m_verdicts.of(bus);
    if (check == nullptr || check->remarks.empty())
      continue;
    all += check->remarkCount;
    QTreeWidgetItem* const head = lineOf(bus, check->remarks.front(), 0);
    m_list->addTopLevelItem(head);
    if (check->remarkCount > 1)
      head->setText(What, tr("%1  (and %2 more)").arg(head->text(What), toQString(countText(check->remarkCount - 1))));
    for (std::size_t i = 1; i < check->remarks.size(); ++i)
      head->addChild(lineOf(bus, check->remarks[i], i));
  }
  return all;
}

QTreeWidgetItem* FindingsPage::lineOf(const Verdicts::Place& place) const
{
  const Palette& c = theme().colours();
  const Finding& finding = m_verdicts.finding(place);
  const RuleResult& rule = m_verdicts.ruleOf(place);
  const BusView* const view = m_engine.find(place.bus);
  auto* item = new QTreeWidgetItem;
  item->setData(0, Qt::UserRole, static_cast<uint>(place.bus));
  item->setData(0, Qt::UserRole + 1, static_cast<qulonglong>(place.number));
  item->setText(Time, toQString(momentText(finding.time.begin, 9)));
  item->setFont(Time, theme().data(11));
  item->setText(BusName, view == nullptr ? QString() : toQString(view->wanted.name));
  const bool isError = finding.gravity == Gravity::Error;
  item->setText(What, (isError ? QStringLiteral("▲ ") : QStringLiteral("△ ")) + toQString(finding.what));
  item->setForeground(What, isError ? c.fault : c.ink);
  item->setText(Evidence, evidenceText(rule, finding));
  item->setForeground(Evidence, c.muted);
  item->setText(Likely, causeText(finding));
  for (const int column : {What, Evidence, Likely})
    item->setToolTip(column, item->text(column));
  return item;
}

void FindingsPage::refresh()
{
  m_stale = false;
  const QTreeWidgetItem* const current = m_list->currentItem();
  const std::optional<Verdicts::Place> before = current != nullptr ? placeOf(*current) : std::nullopt;
  const QSignalBlocker quiet(m_list);
  m_list->clear();
  m_items.clear();
  const bool byTime = m_order->currentIndex() == ByTime;
  m_list->setRootIsDecorated(!byTime);
  std::map<std::pair<BusId, std::size_t>, std::vector<Verdicts::Place>> kinds;
  std::size_t causes = 0;
  for (const Verdicts::Place& place : m_verdicts.findings()) {
    causes += m_verdicts.finding(place).cause ? 1 : 0;
    if (byTime) {
      QTreeWidgetItem* const item = lineOf(place);
      m_items[{place.bus, place.number}] = item;
      m_list->addTopLevelItem(item);
    } else {
      kinds[{place.bus, m_verdicts.finding(place).rule}].push_back(place);
    }
  }
  // The graver first; of equals those with a cause, then the earlier.
  std::vector<std::vector<Verdicts::Place>> groups;
  groups.reserve(kinds.size());
  for (auto& [kind, places] : kinds)
    groups.push_back(std::move(places));
  const auto rank = [this](const std::vector<Verdicts::Place>& places) {
    const Finding& first = m_verdicts.finding(places.front());
    return std::tuple(-static_cast<int>(first.gravity), first.time.begin);
  };
  std::stable_sort(groups.begin(), groups.end(), [&](const auto& a, const auto& b) { return rank(a) < rank(b); });
  for (const auto& places : groups) {
    QTreeWidgetItem* const head = lineOf(places.front());
    m_list->addTopLevelItem(head);
    m_items[{places.front().bus, places.front().number}] = head;
    if (places.size() == 1)
      continue;
    const RuleResult& rule = m_verdicts.ruleOf(places.front());
    head->setText(What, tr("%1  (and %2 more)").arg(head->text(What), toQString(countText(rule.failed - 1))));
    for (std::size_t i = 1; i < places.size(); ++i) {
      QTreeWidgetItem* const item = lineOf(places[i]);
      m_items[{places[i].bus, places[i].number}] = item;
      head->addChild(item);
    }
  }
  const std::uint64_t remarks = byTime ? 0 : addRemarks();
  const std::size_t count = m_verdicts.findings().size();
  m_stack->setCurrentIndex(m_list->topLevelItemCount() > 0 ? 1 : 0);
  m_empty->setText(m_verdicts.isBusy()        ? tr("Measuring …")
                   : m_engine.busCount() == 0 ? tr("There is no bus yet. What is wrong on it will stand here.")
                                              : tr("Nothing is wrong by the rules that hold."));
  QStringList said;
  if (count > 0)
    said << countOf(count, Noun{"{} finding", "{} findings"});
  if (causes > 0)
    said << countOf(causes, Noun{"{} cause", "{} causes"});
  if (remarks > 0)
    said << countOf(remarks, Noun{"{} note", "{} notes"});
  m_status->setText(said.join(QStringLiteral(" · ")));
  if (before)
    pick(*before);
}

void FindingsPage::pick(const Verdicts::Place& place)
{
  const auto found = m_items.find({place.bus, place.number});
  if (found == m_items.end())
    return;
  m_list->setCurrentItem(found->second);
  m_list->scrollToItem(found->second);
}

void FindingsPage::showCurrent(QTreeWidgetItem* item)
{
  if (item == nullptr)
    return;
  if (const std::optional<Verdicts::Place> place = placeOf(*item)) {
    showFinding(m_engine, m_verdicts, m_focus, *place);
    return;
  }
  const auto bus = static_cast<BusId>(item->data(0, Qt::UserRole).toUInt());
  const auto number = static_cast<std::size_t>(item->data(0, Qt::UserRole + 1).toULongLong());
  const BusCheck* const check = m_verdicts.of(bus);
  if (check != nullptr && number < check->remarks.size())
    showRemark(m_focus, bus, check->remarks[number]);
}

}  // namespace bexto::ui
