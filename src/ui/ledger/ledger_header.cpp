#include "ui/ledger/ledger_header.h"

#include <QKeyEvent>
#include <QMenu>
#include <QPainter>
#include <QSettings>
#include <QStandardItemModel>
#include <algorithm>

#include "core/decode/protocol.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

int widthAtFirst(LedgerColumn column)
{
  switch (column) {
    case LedgerColumn::Number:
      return 72;
    case LedgerColumn::Time:
      return 142;
    case LedgerColumn::SincePrevious:
      return 96;
    case LedgerColumn::Bus:
      return 80;
    case LedgerColumn::Address:
    case LedgerColumn::Kind:
      return 96;
    case LedgerColumn::Size:
      return 56;
    case LedgerColumn::Faults:
      return 110;
    case LedgerColumn::Duration:
    case LedgerColumn::Answer:
      return 92;
    case LedgerColumn::Transaction:
    case LedgerColumn::Payload:
    case LedgerColumn::Text:
      return 180;
  }
  return 96;
}

}  // namespace

bool isRight(LedgerColumn column)
{
  return column == LedgerColumn::Duration || column == LedgerColumn::Answer || column == LedgerColumn::Size;
}

LedgerHeader::LedgerHeader(SessionModel& session, QWidget* parent)
    : QHeaderView(Qt::Horizontal, parent), m_session(session)
{
  auto* model = new QStandardItemModel(1, static_cast<int>(ledgerColumns().size()), this);
  for (const LedgerColumnSpec& spec : ledgerColumns()) {
    auto* item = new QStandardItem(toQString(say(spec.label)));
    item->setToolTip(toQString(say(spec.help)));
    const bool right = isRight(spec.column);
    item->setTextAlignment((right ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
    model->setHorizontalHeaderItem(static_cast<int>(spec.column), item);
  }
  setModel(model);
  setAccessibleName(tr("Columns of the Ledger"));
  setSectionsMovable(true);
  setSectionsClickable(false);
  setHighlightSections(false);
  setFocusPolicy(Qt::TabFocus);
  sized(*this, [this] {
    setMinimumSectionSize(px(40));
    setFont(theme().words(11));
    resizeWithText();
  });
  setSectionResizeMode(QHeaderView::Interactive);
  setSectionResizeMode(static_cast<int>(LedgerColumn::Transaction), QHeaderView::Stretch);
  useDefaults();
  const auto changed = [this] {
    remember();
    Q_EMIT columnsChanged();
  };
  connect(this, &QHeaderView::sectionMoved, this, changed);
  connect(this, &QHeaderView::sectionResized, this, [this](int section) {
    // The column of sentences takes what the others leave, at each step in which the window is drawn wider.
    if (!m_restoring && section != static_cast<int>(LedgerColumn::Transaction))
      m_rememberSoon.start();
    Q_EMIT columnsChanged();
  });
  m_rememberSoon.setSingleShot(true);
  m_rememberSoon.setInterval(300);
  connect(&m_rememberSoon, &QTimer::timeout, this, &LedgerHeader::remember);
  connect(&session, &SessionModel::changed, this, [this](const SessionChange& change) {
    const auto& all = m_session.value().columns;
    const auto found = all.find(list());
    if (change.columns && m_known && found != all.end() && found->second != places()) {
      m_rememberSoon.stop();
      take(found->second);
    }
  });
}

LedgerHeader::~LedgerHeader()
{
  // Asking for a width may lay columns out; nobody is to hear of that any more.
  const QSignalBlocker quiet(this);
  if (m_rememberSoon.isActive())
    remember();
}

/// Columns grow and shrink with what stands in them.
void LedgerHeader::resizeWithText()
{
  const double by = theme().scale() / m_scale;
  m_scale = theme().scale();
  if (by == 1.0)
    return;
  m_restoring = true;
  for (const LedgerColumnSpec& spec : ledgerColumns()) {
    const int section = static_cast<int>(spec.column);
    if (spec.column != LedgerColumn::Transaction && isShown(spec.column))
      resizeSection(section, sectionSize(section) > 0 ? static_cast<int>(std::lround(sectionSize(section) * by))
                                                      : px(widthAtFirst(spec.column)));
  }
  m_restoring = false;
  fitTo(m_width);
}

void LedgerHeader::useDefaults()
{
  m_restoring = true;
  for (const LedgerColumnSpec& spec : ledgerColumns()) {
    const int section = static_cast<int>(spec.column);
    moveSection(visualIndex(section), section);
    // Of one bus alone its name says nothing, unless its lines are told apart by it.
    const bool busToo = m_protocol == nullptr || m_protocol->hasLines();
    m_chosen.at(static_cast<std::size_t>(section)) = spec.atFirst && (spec.column != LedgerColumn::Bus || busToo);
    if (spec.column != LedgerColumn::Transaction)
      resizeSection(section, px(widthAtFirst(spec.column)));
  }
  m_restoring = false;
  fitTo(m_width);
  if (m_known)
    remember();
  Q_EMIT columnsChanged();
}

std::string LedgerHeader::list() const
{
  return m_protocol != nullptr ? m_protocol->name() : "all";
}

QString LedgerHeader::settingsKey() const
{
  return QStringLiteral("ledger/columns-") + toQString(list());
}

void LedgerHeader::showFor(const Protocol* protocol)
{
  if (m_known && protocol == m_protocol)
    return;
  if (m_rememberSoon.isActive())
    remember();  // under the key of what it was shown for
  m_protocol = protocol;
  m_known = false;
  useDefaults();
  m_known = true;
  const auto& kept = m_session.value().columns;
  if (const auto found = kept.find(list()); found != kept.end()) {
    take(found->second);
    return;
  }
  // A settings file of ours holds "column:width" from the left; what is not named is hidden.
  std::vector<ColumnPlace> before;
  for (const QString& entry : QSettings().value(settingsKey()).toStringList()) {
    const QStringList parts = entry.split(QLatin1Char(':'));
    if (parts.size() == 2)
      before.push_back({parts[0].toStdString(), parts[1].toInt()});
  }
  if (!before.empty())
    take(before);
  m_session.assumeColumns(list(), places());
}

void LedgerHeader::take(const std::vector<ColumnPlace>& places)
{
  m_restoring = true;
  std::fill(m_chosen.begin(), m_chosen.end(), false);
  int visual = 0;
  for (const ColumnPlace& place : places) {
    for (const LedgerColumnSpec& spec : ledgerColumns()) {
      if (place.key != spec.key)
        continue;
      const int section = static_cast<int>(spec.column);
      m_chosen.at(static_cast<std::size_t>(section)) = true;
      moveSection(visualIndex(section), visual++);
      if (spec.column != LedgerColumn::Transaction)
        resizeSection(section, std::clamp(px(place.width), minimumSectionSize(), px(2000)));
    }
  }
  m_restoring = false;
  fitTo(m_width);
  if (columns().empty())
    useDefaults();
  Q_EMIT columnsChanged();
}

std::vector<ColumnPlace> LedgerHeader::places() const
{
  std::vector<ColumnPlace> places;
  for (int visual = 0; visual < count(); ++visual) {
    const auto column = static_cast<LedgerColumn>(logicalIndex(visual));
    // The column of sentences takes what the others leave: its width is nobody's choice.
    if (isShown(column))
      places.push_back(
          {specOf(column).key, column == LedgerColumn::Transaction ? 0 : theme().atDesign(widthOf(column))});
  }
  return places;
}

void LedgerHeader::remember()
{
  m_rememberSoon.stop();
  if (m_restoring || !m_known)
    return;
  QStringList kept;
  for (const ColumnPlace& place : places())
    kept << QStringLiteral("%1:%2").arg(toQString(place.key)).arg(place.width);
  QSettings().setValue(settingsKey(), kept);
  m_session.setColumns(list(), places());
}

std::vector<LedgerColumn> LedgerHeader::columns() const
{
  std::vector<LedgerColumn> shown;
  for (int visual = 0; visual < count(); ++visual) {
    if (!isSectionHidden(logicalIndex(visual)))
      shown.push_back(static_cast<LedgerColumn>(logicalIndex(visual)));
  }
  return shown;
}

void LedgerHeader::setShown(LedgerColumn column, bool shown)
{
  if (!shown && std::count(m_chosen.begin(), m_chosen.end(), true) == 1)
    return;  // something has to be left
  m_chosen.at(static_cast<std::size_t>(column)) = shown;
  fitTo(m_width);
  remember();
  Q_EMIT columnsChanged();
}

int LedgerHeader::widthOf(LedgerColumn column) const
{
  // A hidden section has no size; Qt keeps the one that it had for when it is shown again.
  const int size = sectionSize(static_cast<int>(column));
  return size > 0 ? size : px(widthAtFirst(column));
}

void LedgerHeader::fitTo(int width, int leastForWords)
{
  m_width = width;
  m_leastForWords = leastForWords;
  m_restoring = true;
  int taken = 0;
  for (const LedgerColumnSpec& spec : ledgerColumns()) {
    const int section = static_cast<int>(spec.column);
    setSectionHidden(section, !isShown(spec.column));
    if (isShown(spec.column) && spec.column != LedgerColumn::Transaction)
      taken += sectionSize(section);
  }
  const bool words = isShown(LedgerColumn::Transaction);
  for (const LedgerColumn column : {LedgerColumn::Duration, LedgerColumn::SincePrevious, LedgerColumn::Text,
                                    LedgerColumn::Kind, LedgerColumn::Number, LedgerColumn::Bus}) {
    if (!words || width <= 0 || taken + leastForWords <= width)
      break;
    if (!isShown(column))
      continue;
    taken -= sectionSize(static_cast<int>(column));
    setSectionHidden(static_cast<int>(column), true);
  }
  m_restoring = false;
}

QRect LedgerHeader::rectOf(LedgerColumn column, int top, int height) const
{
  const int section = static_cast<int>(column);
  if (isSectionHidden(section))
    return {};
  return {sectionViewportPosition(section), top, sectionSize(section), height};
}

std::optional<LedgerColumn> LedgerHeader::columnAt(int x) const
{
  const int section = logicalIndexAt(x);
  if (section < 0)
    return std::nullopt;
  return static_cast<LedgerColumn>(section);
}

void LedgerHeader::setLabel(LedgerColumn column, const QString& text)
{
  model()->setHeaderData(static_cast<int>(column), Qt::Horizontal, text);
}

void LedgerHeader::addColumnChoices(QMenu& menu)
{
  for (const LedgerColumnSpec& spec : ledgerColumns()) {
    const bool says = std::any_of(m_listed.begin(), m_listed.end(),
                                  [&](const Protocol* protocol) { return appliesTo(spec.column, *protocol); });
    // What is shown can be put away, whatever is listed now.
    if (!says && (isProperty(spec.column) || !m_listed.empty()) && !isShown(spec.column))
      continue;
    QAction* action = menu.addAction(toQString(say(spec.label)));
    action->setToolTip(toQString(say(spec.help)));
    action->setCheckable(true);
    action->setChecked(isShown(spec.column));
    action->setEnabled(!isShown(spec.column) || std::count(m_chosen.begin(), m_chosen.end(), true) > 1);
    connect(action, &QAction::toggled, this, [this, column = spec.column](bool on) { setShown(column, on); });
  }
  menu.addSeparator();
  menu.addAction(tr("Columns as at first"), this, [this] { useDefaults(); });
}

int LedgerHeader::currentVisual() const
{
  const std::vector<LedgerColumn> shown = columns();
  const auto found = std::find(shown.begin(), shown.end(), m_current);
  return found == shown.end() ? 0 : static_cast<int>(found - shown.begin());
}

void LedgerHeader::keyPressEvent(QKeyEvent* event)
{
  constexpr int kStep = 8;
  const std::vector<LedgerColumn> shown = columns();
  if (shown.empty())
    return;
  const int at = currentVisual();
  m_current = shown[static_cast<std::size_t>(at)];
  const int section = static_cast<int>(m_current);
  const int by = event->key() == Qt::Key_Left ? -1 : event->key() == Qt::Key_Right ? 1 : 0;
  const int to = std::clamp(at + by, 0, static_cast<int>(shown.size()) - 1);
  if (by != 0 && event->modifiers() == Qt::ControlModifier) {
    moveSection(visualIndex(section), visualIndex(static_cast<int>(shown[static_cast<std::size_t>(to)])));
  } else if (by != 0 && event->modifiers() == Qt::NoModifier) {
    m_current = shown[static_cast<std::size_t>(to)];
  } else if (event->key() == Qt::Key_Plus || event->key() == Qt::Key_Equal) {
    resizeSection(section, sectionSize(section) + px(kStep));
  } else if (event->key() == Qt::Key_Minus) {
    resizeSection(section, std::max(minimumSectionSize(), sectionSize(section) - px(kStep)));
  } else if (event->key() == Qt::Key_Delete) {
    setShown(m_current, false);
  } else if (event->key() == Qt::Key_Menu) {
    Q_EMIT customContextMenuRequested(rectOf(m_current, 0, height()).center());
  } else {
    QHeaderView::keyPressEvent(event);
  }
  viewport()->update();
}

void LedgerHeader::focusInEvent(QFocusEvent* event)
{
  QHeaderView::focusInEvent(event);
  viewport()->update();
}

void LedgerHeader::focusOutEvent(QFocusEvent* event)
{
  QHeaderView::focusOutEvent(event);
  viewport()->update();
}

void LedgerHeader::paintSection(QPainter* painter, const QRect& rect, int section) const
{
  painter->save();
  QHeaderView::paintSection(painter, rect, section);
  painter->restore();
  const std::vector<LedgerColumn> shown = columns();
  if (!hasFocus() || shown.empty() || section != static_cast<int>(shown[static_cast<std::size_t>(currentVisual())]))
    return;
  painter->setPen(theme().colours().address);
  painter->setBrush(Qt::NoBrush);
  painter->drawRect(rect.adjusted(1, 1, -2, -2));
}

}  // namespace bexto::ui
