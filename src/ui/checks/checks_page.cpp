#include "ui/checks/checks_page.h"

#include <QComboBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QListWidget>
#include <QMenu>
#include <QPainter>
#include <QPushButton>
#include <QScrollArea>
#include <QSplitter>
#include <QStackedWidget>
#include <QStyledItemDelegate>
#include <QToolButton>
#include <QTreeView>
#include <algorithm>

#include "core/base/number_text.h"
#include "core/base/time_text.h"
#include "core/check/rulebook_file.h"
#include "core/decode/protocol.h"
#include "core/export/check_writer.h"
#include "ui/checks/rule_painter.h"
#include "ui/focus/measured_places.h"
#include "ui/text/elided_label.h"
#include "ui/text/text.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

/// A row of a rule, and over it that of its bus, which goes through all columns.
class RuleRow : public QStyledItemDelegate {
 public:
  RuleRow(const RuleModel& rows, QObject* parent) : QStyledItemDelegate(parent), m_rows(rows) {}

  QSize sizeHint(const QStyleOptionViewItem& /*option*/, const QModelIndex& /*index*/) const override
  {
    return {px(10), px(24)};
  }
  void paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& index) const override
  {
    const Palette& c = theme().colours();
    const RuleResult* const rule = m_rows.ruleOf(index.row());
    const bool picked = (option.state & QStyle::State_Selected) != 0;
    p->save();
    if (rule == nullptr)
      p->fillRect(option.rect, c.panel);
    else if (picked)
      p->fillRect(option.rect, c.selection);
    const QRect room = option.rect.adjusted(px(index.column() == 0 ? 12 : 6), 0, -px(6), 0);
    const bool counts = rule != nullptr && (rule->sort == RuleSort::Error || rule->sort == RuleSort::Sheet);
    if (counts && (index.column() == RuleModel::Gauge || index.column() == RuleModel::Histogram)) {
      // Nothing is measured: how many there are says it all.
    } else if (rule != nullptr && index.column() == RuleModel::Gauge) {
      paintGauge(*p, room.adjusted(0, px(3), 0, -px(3)), *rule);
    } else if (rule != nullptr && index.column() == RuleModel::Histogram) {
      paintHistogram(*p, room.adjusted(0, px(3), 0, -px(3)), *rule);
    } else {
      p->setFont(index.data(Qt::FontRole).value<QFont>());
      p->setPen(index.data(Qt::ForegroundRole).value<QColor>());
      const Qt::Alignment side = index.column() == RuleModel::Count ? Qt::AlignRight : Qt::AlignLeft;
      p->drawText(room, static_cast<int>(side | Qt::AlignVCenter),
                  p->fontMetrics().elidedText(index.data().toString(), Qt::ElideRight, room.width()));
    }
    p->restore();
  }

 private:
  const RuleModel& m_rows;
};

QString groupLine(const RuleResult& rule, const RuleGroup& group)
{
  return ChecksPage::tr("%1: %2 … %3, mean %4, %5 values")
      .arg(toQString(group.name), toQString(valueText(rule, group.spread.min)),
           toQString(valueText(rule, group.spread.max)), toQString(valueText(rule, group.spread.mean())),
           toQString(countText(group.spread.count)));
}

}  // namespace

ChecksPage::ChecksPage(SessionModel& session, Engine& engine, Verdicts& verdicts, Focus& focus, QWidget* parent)
    : LowerPage(parent),
      m_session(session),
      m_engine(engine),
      m_verdicts(verdicts),
      m_focus(focus),
      m_controls(new QWidget),
      m_extent(new QComboBox),
      m_book(new QToolButton),
      m_status(new ElidedLabel),
      m_stack(new QStackedWidget),
      m_list(new QTreeView),
      m_rows(new RuleModel(engine, verdicts, this)),
      m_details(new QLabel),
      m_places(new QListWidget)
{
  m_extent->addItems({tr("All rules"), tr("What did not pass")});
  m_extent->setAccessibleName(tr("Which rules"));
  m_extent->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  m_extent->setMinimumContentsLength(4);
  setType(*m_extent, Face::Words, 12);
  setType(*m_status, Face::Words, 11);
  m_book->setText(tr("Judged by"));
  m_book->setObjectName(QStringLiteral("rulebook"));
  m_book->setToolTip(tr("What the bus of the picked line is judged by"));
  m_book->setProperty("flat", true);
  m_book->setPopupMode(QToolButton::InstantPopup);
  m_book->setMenu(new QMenu(m_book));
  setType(*m_book, Face::Words, 12);
  connect(m_book->menu(), &QMenu::aboutToShow, this, &ChecksPage::fillBookMenu);
  auto* row = new QHBoxLayout(m_controls);
  row->setContentsMargins(0, 0, 12, 0);
  row->addWidget(m_extent, 2);
  row->addWidget(m_book);
  row->addStretch(1);
  row->addWidget(m_status);

  m_list->setModel(m_rows);
  m_list->setRootIsDecorated(false);
  m_list->setIndentation(0);
  m_list->setUniformRowHeights(true);
  m_list->setAllColumnsShowFocus(true);
  m_list->setFrameShape(QFrame::NoFrame);
  m_list->setItemDelegate(new RuleRow(*m_rows, m_list));
  m_list->viewport()->setBackgroundRole(QPalette::Window);
  m_list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  m_list->setAccessibleName(tr("Rules"));
  m_list->setProperty("shortcutsFirst", true);
  m_list->header()->setStretchLastSection(true);
  m_list->header()->setSectionsMovable(false);
  m_list->header()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  setType(*m_list->header(), Face::Words, 11);
  m_places->setStyleSheet(QStringLiteral("border: 0; border-radius: 0;"));
  m_places->setAccessibleName(tr("Worst places"));
  m_places->setProperty("shortcutsFirst", true);
  setType(*m_places, Face::Data, 11);
  m_details->setWordWrap(true);
  m_details->setTextFormat(Qt::PlainText);
  m_details->setAlignment(Qt::AlignLeft | Qt::AlignTop);
  m_details->setContentsMargins(10, 8, 10, 6);
  setType(*m_details, Face::Words, 12);
  sized(*m_list, [this] {
    const std::array<int, RuleModel::Columns> widths{128, 80, 86, 60, 92, 60};
    for (int i = 0; i < RuleModel::Columns; ++i)
      m_list->setColumnWidth(i, px(widths.at(static_cast<std::size_t>(i))));
  });

  auto* both = new QSplitter(Qt::Horizontal);
  both->setHandleWidth(1);
  auto* side = new QWidget;
  auto* column = new QVBoxLayout(side);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  auto* scroll = new QScrollArea;
  scroll->setWidgetResizable(true);
  scroll->setFrameShape(QFrame::NoFrame);
  scroll->setWidget(m_details);
  column->addWidget(scroll, 1);
  column->addWidget(m_places, 1);
  both->addWidget(m_list);
  both->addWidget(side);
  both->setStretchFactor(0, 5);
  both->setStretchFactor(1, 2);
  both->setSizes({500, 200});  // whatever is listed at first
  auto* empty = new QWidget;
  auto* words = new QVBoxLayout(empty);
  words->setAlignment(Qt::AlignCenter);
  auto* text = new QLabel(tr("There is no bus to be measured yet."));
  setInk(*text, Ink::Muted);
  text->setAlignment(Qt::AlignCenter);
  auto* button = new QPushButton(tr("Add a bus"));
  button->setObjectName(QStringLiteral("addBusForChecks"));
  connect(button, &QPushButton::clicked, this, &ChecksPage::busWanted);
  words->addWidget(text);
  words->addWidget(button, 0, Qt::AlignCenter);
  m_stack->addWidget(empty);
  m_stack->addWidget(both);
  auto* whole = new QVBoxLayout(this);
  whole->setContentsMargins(0, 0, 0, 0);
  whole->addWidget(m_stack);

  connect(m_extent, &QComboBox::activated, this, &ChecksPage::refresh);
  connect(&verdicts, &Verdicts::changed, this, [this] {
    m_stale = true;
    if (isVisible())
      refresh();
  });
  connect(&engine, &Engine::changed, this, [this](const EngineChange& change) {
    if (change.busList || change.isDescribed()) {
      m_stale = true;
      if (isVisible())
        refresh();
    }
  });
  connect(&theme(), &Theme::changed, this, [this] { m_list->viewport()->update(); });
  connect(m_list->selectionModel(), &QItemSelectionModel::currentRowChanged, this, &ChecksPage::showRule);
  connect(m_list, &QTreeView::activated, this, [this] {
    if (m_places->count() > 0)
      m_places->setCurrentRow(0);
  });
  connect(m_list, &QTreeView::doubleClicked, this, [this] {
    if (m_places->count() > 0) {
      m_places->setCurrentRow(0);
      showCurrentPlace();
    }
  });
  connect(m_places, &QListWidget::itemClicked, this, &ChecksPage::showCurrentPlace);
  connect(m_places, &QListWidget::itemActivated, this, &ChecksPage::showCurrentPlace);
  refresh();
}

QWidget& ChecksPage::keyboard()
{
  return *m_list;
}

QString ChecksPage::status() const
{
  return m_status->text();
}

QString ChecksPage::details() const
{
  return m_details->text();
}

void ChecksPage::showEvent(QShowEvent* event)
{
  LowerPage::showEvent(event);
  if (m_stale)
    refresh();
}

void ChecksPage::refresh()
{
  m_stale = false;
  const int before = m_list->currentIndex().row();
  const RuleResult* const picked = m_rows->ruleOf(before);
  const BusId bus = picked != nullptr ? m_rows->busOf(before) : BusId::None;
  const std::string rule = picked != nullptr ? picked->rule : std::string();
  const std::string book = picked != nullptr ? picked->book : std::string();
  m_rows->refresh(m_extent->currentIndex() == 1);
  m_stack->setCurrentIndex(m_engine.busCount() > 0 ? 1 : 0);
  for (int row = 0; row < m_rows->rowCount(); ++row)
    m_list->setFirstColumnSpanned(row, {}, m_rows->ruleOf(row) == nullptr);
  int row = m_rows->rowOf(bus, rule, book);
  // At first the first that fails, so that there is something to see.
  for (int i = 0; row < 0 && i < m_rows->rowCount(); ++i)
    row = m_rows->ruleOf(i) != nullptr && m_rows->ruleOf(i)->verdict == bexto::Verdict::Fail ? i : -1;
  m_list->setCurrentIndex(m_rows->index(std::max(row, 0), 0));
  std::array<int, 5> counts{};
  for (int b = 0; b < m_engine.busCount(); ++b) {
    if (const BusCheck* const check = m_verdicts.of(m_engine.bus(b).id)) {
      for (const RuleResult& one : check->rules)
        ++counts.at(static_cast<std::size_t>(one.verdict));
    }
  }
  QStringList said{tr("%1 fail").arg(counts[1])};
  if (counts[2] > 0)  // the room is small
    said << tr("%1 undecided").arg(counts[2]);
  said << tr("%1 pass").arg(counts[0]);
  m_status->setText(m_engine.busCount() == 0 ? QString()  // the page itself says that there is nothing to judge
                    : m_verdicts.isBusy() && m_verdicts.findings().empty() ? tr("measuring …")
                                                                           : said.join(QStringLiteral(" · ")));
  showRule();
}

void ChecksPage::pick(BusId bus, const RuleResult& rule)
{
  if (m_stale)
    refresh();
  const int row = m_rows->rowOf(bus, rule.rule, rule.book);
  if (row >= 0)
    m_list->setCurrentIndex(m_rows->index(row, 0));
}

void ChecksPage::pick(BusId bus)
{
  if (m_stale)
    refresh();
  for (int row = m_rows->rowCount() - 1; row >= 0; --row) {
    if (m_rows->busOf(row) == bus && (row == 0 || m_rows->busOf(row - 1) != bus))
      m_list->setCurrentIndex(m_rows->index(row, 0));
  }
}

void ChecksPage::showRule()
{
  const int row = m_list->currentIndex().row();
  const RuleResult* const rule = m_rows->ruleOf(row);
  m_places->clear();
  m_book->setEnabled(row >= 0 && row < m_rows->rowCount());
  if (rule == nullptr) {
    m_details->setText(m_verdicts.period() && m_verdicts.period()->picoseconds > 0.0
                           ? tr("Times are known to one sample, %1.")
                                 .arg(toQString(lengthText(wholePicoseconds(m_verdicts.period()->picoseconds))))
                           : tr("Times are exact, as far as the capture tells."));
    m_places->hide();
    return;
  }
  QStringList lines{toQString(rule->rule) + QStringLiteral(" · ") + verdictText(rule->verdict),
                    toQString(rule->meaning)};
  if (!rule->clause.empty())
    lines << toQString(rule->clause);
  if (rule->spread.count > 0 && rule->sort != RuleSort::Error && rule->sort != RuleSort::Sheet) {
    lines << QString();
    lines << (rule->spread.min == rule->spread.max ? tr("always %1").arg(toQString(valueText(*rule, rule->spread.min)))
                                                   : tr("%1 … %2").arg(toQString(valueText(*rule, rule->spread.min)),
                                                                       toQString(valueText(*rule, rule->spread.max))));
    lines << tr("mean %1, deviation %2")
                 .arg(toQString(valueText(*rule, rule->spread.mean())),
                      toQString(valueText(*rule, rule->spread.deviation())));
    if (rule->resolution > 0.0)
      lines << tr("each known to %1").arg(toQString(valueText(*rule, rule->resolution)));
    if (rule->neededRate)
      lines
          << tr("%1 samples a second would decide")
                 .arg(
                     toQString(frequencyText(*rule->neededRate, 3)).replace(QStringLiteral("Hz"), QString()).trimmed());
    for (const RuleGroup& group : rule->groups)
      lines << groupLine(*rule, group);
  }
  m_details->setText(lines.join(QLatin1Char('\n')));
  for (const MeasuredPlace& place : rule->places) {
    if (rule->sort != RuleSort::Measure && place.judgement == Judgement::Pass)
      continue;
    const QString sign = place.judgement == Judgement::Fail        ? QStringLiteral("▲ ")
                         : place.judgement == Judgement::Undecided ? QStringLiteral("≈ ")
                                                                   : QStringLiteral("   ");
    const bool counts = rule->sort == RuleSort::Error || rule->sort == RuleSort::Sheet;
    const QString value = counts ? QString() : toQString(valueText(*rule, place.value)).leftJustified(11);
    m_places->addItem(sign + value + toQString(momentText(place.time.begin, 9)));
    m_places->item(m_places->count() - 1)->setData(Qt::UserRole, static_cast<qulonglong>(&place - rule->places.data()));
  }
  m_places->setVisible(m_places->count() > 0);
}

void ChecksPage::showCurrentPlace()
{
  const int row = m_list->currentIndex().row();
  const RuleResult* const rule = m_rows->ruleOf(row);
  const QListWidgetItem* const item = m_places->currentItem();
  if (rule == nullptr || item == nullptr)
    return;
  const auto number = static_cast<std::size_t>(item->data(Qt::UserRole).toULongLong());
  if (number < rule->places.size())
    showPlace(m_engine, m_focus, m_rows->busOf(row), *rule, rule->places[number]);
}

void ChecksPage::fillBookMenu()
{
  QMenu& menu = *m_book->menu();
  menu.clear();
  const int row = m_list->currentIndex().row();
  if (row < 0)
    return;
  const BusId bus = m_rows->busOf(row);
  const SessionBus* const kept = m_session.value().find(bus);
  if (kept == nullptr)
    return;
  menu.addAction(toQString(kept->bus.name))->setEnabled(false);  // whose they are
  QAction* const usual = menu.addAction(tr("As usual"), this, [this, bus] { m_session.setBooks(bus, {}); });
  usual->setCheckable(true);
  usual->setChecked(kept->bus.books.empty());
  for (const SheetText& text : kept->bus.books.list()) {
    QAction* const used = menu.addAction(toQString(text.name), this, [this, bus, name = text.name] {
      Bus changed = m_session.value().find(bus)->bus;
      detachBook(changed, name);
      m_session.setBooks(bus, changed.books);
    });
    used->setCheckable(true);
    used->setChecked(true);
  }
  menu.addSeparator();
  offerOwn(kept->bus, bus);
  menu.addSeparator();
  const auto isUsed = [&](const std::string& file) {
    return std::any_of(kept->bus.books.list().begin(), kept->bus.books.list().end(),
                       [&](const SheetText& one) { return one.name == file; });
  };
  for (const std::string& name : shippedBooks()) {
    const SheetText text{name + ".yaml", *shippedBook(name)};
    if (fitsBus(text, kept->bus) && !isUsed(text.name))
      menu.addAction(tr("Add %1").arg(toQString(name)), this, [this, name] { useBook(toQString(name)); });
  }
  const QString path = m_engine.path();
  const std::string beside = path.isEmpty() ? std::string() : QFileInfo(path).absolutePath().toStdString();
  for (const FoundBook& own : findBooks(rulebookFolders(beside))) {
    if (own.book->protocol == kept->bus.protocol().name() && !isUsed(own.text.name))
      menu.addAction(tr("Add %1").arg(toQString(own.text.name)), this,
                     [this, path = toQString(own.path)] { useBook(path); });
  }
  menu.addAction(tr("Add from a file …"), this, [this] {
    const QString file = QFileDialog::getOpenFileName(this, tr("Rulebook"), {}, tr("Rulebooks (*.yaml *.yml)"));
    if (!file.isEmpty())
      useBook(file);
  });
}

/// To edit what is the team's, and to make such a one of what comes with the program.
void ChecksPage::offerOwn(const Bus& bus, BusId id)
{
  QMenu& menu = *m_book->menu();
  std::vector<std::string> bases;
  for (const SheetText& text : bus.books.list()) {
    const std::string name = text.name.ends_with(".yaml") ? text.name.substr(0, text.name.size() - 5) : text.name;
    if (shippedBook(name) != nullptr)
      bases.push_back(name);
    else
      menu.addAction(tr("Edit %1").arg(toQString(text.name)), this,
                     [this, id, file = toQString(text.name)] { Q_EMIT bookWanted(id, file); });
  }
  const BusCheck* const check = m_verdicts.of(id);
  if (bus.books.empty() && check != nullptr)
    bases = check->books;
  for (const std::string& base : bases)
    menu.addAction(tr("Make our own from %1").arg(toQString(base)), this,
                   [this, id, base] { Q_EMIT newBookWanted(id, toQString(base)); });
  if (bus.books.empty() && bases.empty())
    menu.addAction(tr("Write our own"), this, [this, id] { Q_EMIT newBookWanted(id, QString()); });
}

void ChecksPage::useBook(const QString& nameOrFile)
{
  const int row = m_list->currentIndex().row();
  const SessionBus* const kept = row < 0 ? nullptr : m_session.value().find(m_rows->busOf(row));
  if (kept == nullptr)
    return;
  const auto text = loadRulebook(nameOrFile.toStdString());
  const auto fits = text ? fitsBus(*text, kept->bus) : Result<void>(tl::unexpected(text.error()));
  if (!fits) {
    m_status->setText(QStringLiteral("▲ ") + toQString(fits.error().text()));
    return;
  }
  Bus changed = kept->bus;
  attachBook(changed, *text);
  m_session.setBooks(kept->id, changed.books);
}

}  // namespace bexto::ui
