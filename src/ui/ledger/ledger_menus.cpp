// What can be done with a line of the Ledger and with its columns, and a line as text.
#include <QApplication>
#include <QClipboard>
#include <QContextMenuEvent>
#include <QMenu>
#include <algorithm>

#include "core/base/number_text.h"
#include "core/decode/protocol.h"
#include "core/decode/sentence.h"
#include "core/device/bus_devices.h"
#include "core/device/value_series.h"
#include "ui/ledger/ledger_header.h"
#include "ui/ledger/ledger_view.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {
constexpr std::uint64_t kMostCopied = 100000;
}

void LedgerView::copy()
{
  QApplication::clipboard()->setText(pickedText());
  const LedgerPlace other = m_anchor.value_or(m_current);
  if (std::max(m_current, other).row - std::min(m_current, other).row >= kMostCopied)
    Q_EMIT said(tr("Only the first %1 lines were copied; an export takes all.").arg(toQString(countText(kMostCopied))));
}

QString LedgerView::pickedText() const
{
  if (m_rows.lines().empty())
    return {};
  constexpr std::size_t kAllValues = 100000;
  const LedgerPlace other = m_anchor.value_or(m_current);
  const LedgerPlace first = std::min(m_current, other);
  const LedgerPlace last = std::max(m_current, other);
  QString text;
  const auto count = static_cast<std::size_t>(std::min(kMostCopied, last.row - first.row + 1));
  std::uint64_t number = first.row;
  std::optional<Picoseconds> before;
  for (const LedgerRow& row : m_rows.merged().rows(first.row, count)) {
    // Asked of the list once: of each of many rows the one before is known.
    LedgerCellContext context = m_rows.contextOf(row, before ? 0 : number);
    context.row = number;
    if (before)
      context.before = *before;
    before = m_rows.merged().beginOf(row);
    context.zero = zeroTime().value_or(Picoseconds{0});
    QStringList cells;
    for (const LedgerColumn column : m_header->columns())
      cells << toQString(cellOf(column, context, kAllValues).text);
    text += cells.join(QLatin1Char('\t')) + QLatin1Char('\n');
    ++number;
  }
  return text;
}

void LedgerView::contextMenuEvent(QContextMenuEvent* event)
{
  const QPoint pos = viewport()->mapFromGlobal(event->globalPos());
  if (event->reason() == QContextMenuEvent::Keyboard) {
    showMenu(lineRect(m_current).center(), std::nullopt);
    return;
  }
  const auto place = placeAt(pos);
  if (!place)
    return;
  pick(*place);
  showMenu(pos, m_header->columnAt(pos.x()));
}

/// The numbers that devices say in the line, each to be drawn over time.
void LedgerView::addPlots(QMenu& menu, const LedgerCellContext& context)
{
  const Bus& bus = context.source->bus;
  const Transactions& lines = context.source->transactions;
  const auto devices = std::dynamic_pointer_cast<const BusDevices>(describerOf(bus));
  if (!devices || !lines.meaning())
    return;
  QMenu* plots = nullptr;
  const std::vector<DeviceValue> all = numericValues(*devices);
  for (const Told& told : lines.meaning()->told(bus, lines.frames(), lines.framesOf(context.number))) {
    for (const ToldValue& value : told.values) {
      // An access to several registers is called by its first.
      const auto isIt = [&](const DeviceValue& v) { return v.value == value.name; };
      auto found = std::find_if(all.begin(), all.end(),
                                [&](const DeviceValue& v) { return isIt(v) && v.subject == told.subject; });
      if (found == all.end())
        found = std::find_if(all.begin(), all.end(), isIt);
      if (found == all.end())
        continue;
      if (plots == nullptr)
        plots = menu.addMenu(tr("Plot"));
      plots->addAction(toQString(shownName(value.name)), this,
                       [this, plot = Plot{context.source->id.bus, *found}] { m_session.addPlot(plot); });
    }
  }
}

void LedgerView::showMenu(QPoint at, std::optional<LedgerColumn> column)
{
  if (m_rows.lines().empty())
    return;
  const LedgerPlace place = m_rows.lines().clamped(m_current);
  const LedgerCellContext context = m_rows.contextOf(m_rows.merged().at(place.row), place.row);
  QMenu menu(this);
  menu.setObjectName(QStringLiteral("ledgerMenu"));
  QString term;
  if (place.detail > 0 && m_rows.lines().form() != LedgerForm::Bytes)
    term = toQString(termOfDetail(context, place.detail - 1));
  if (term.isEmpty())
    term = toQString(termOf(column.value_or(LedgerColumn::Transaction), context));
  if (term.isEmpty())
    term = toQString(termOf(LedgerColumn::Transaction, context));
  const auto shortened = [](const QString& t) { return t.size() > 40 ? t.left(39) + QStringLiteral("…") : t; };
  if (!term.isEmpty()) {
    menu.addAction(tr("Keep only %1").arg(shortened(term)), this, [this, term] { Q_EMIT filterWanted(term, false); });
    menu.addAction(tr("Hide %1").arg(shortened(term)), this, [this, term] { Q_EMIT filterWanted(term, true); });
  }
  if (!term.isEmpty())
    menu.addAction(tr("Begin a recording with %1").arg(shortened(term)), this,
                   [this, term] { Q_EMIT startWanted(term); });
  const QString from = QStringLiteral("time>=") + toQString(exactSeconds(m_rows.beginInSegment(place)));
  menu.addAction(tr("Hide all before this"), this, [this, from] { Q_EMIT filterWanted(from, false); });
  const QString to = QStringLiteral("time<=") + from.mid(6);
  menu.addAction(tr("Hide all after this"), this, [this, to] { Q_EMIT filterWanted(to, false); });
  if (!m_filter.isIdle())
    menu.addAction(tr("Show what surrounds this"), this, [this] { Q_EMIT surroundingsWanted(); });
  menu.addSeparator();
  const QString likeness = toQString(say(context.source->bus.protocol().facts().likeness));
  for (const auto& [text, byName, forward] : {std::tuple(tr("Next of %1").arg(likeness), true, true),
                                              std::tuple(tr("Previous of %1").arg(likeness), true, false),
                                              std::tuple(tr("Next of the same kind"), false, true)})
    menu.addAction(text, this, [this, byName = byName, forward = forward] { Q_EMIT alikeWanted(byName, forward); });
  menu.addAction(tr("Its request or answer"), this, [this] { Q_EMIT partnerWanted(); });
  const Transactions& lines = context.source->transactions;
  if (const auto kin = lines.meaning() ? lines.meaning()->kinOf(lines.framesOf(context.number)) : std::nullopt)
    menu.addAction(kin->areParts ? tr("Its parts") : tr("The message that it is a part of"), this,
                   [this] { Q_EMIT kinWanted(); });
  addPlots(menu, context);
  menu.addSeparator();
  menu.addAction(tr("Note …"), this, [this] { Q_EMIT noteWanted(); });
  menu.addAction(tr("Copy as text"), this, [this] { copy(); });
  menu.addAction(tr("Show on the wires"), this, [this] { m_focus.zoomToSelection(); });
  if (m_rows.lines().form() != LedgerForm::Bytes) {
    const bool open = m_rows.lines().isOpen(m_rows.merged().at(place.row));
    menu.addAction(open ? tr("Close") : tr("Open"), this, [this, place, open] { openLine(place, !open); });
  }
  menu.exec(viewport()->mapToGlobal(at));
}

void LedgerView::showHeaderMenu(QPoint at)
{
  QMenu menu(this);
  menu.setObjectName(QStringLiteral("headerMenu"));
  QMenu* times = menu.addMenu(tr("Times count from"));
  const auto add = [&](const QString& text, TimeZero zero, MarkerId marker = MarkerId::None) {
    QAction* action = times->addAction(text, this, [this, zero, marker] { setZero(zero, marker); });
    action->setCheckable(true);
    action->setChecked(m_zero == zero && m_zeroMarker == marker);
  };
  add(tr("the capture's start"), TimeZero::Start);
  if (m_engine.capture() && m_engine.capture()->trigger)
    add(tr("the trigger"), TimeZero::Trigger);
  add(tr("the line before"), TimeZero::Previous);
  for (const Marker& marker : m_session.markers())
    add(tr("marker %1").arg(toQString(marker.name)), TimeZero::Marker, marker.id);
  menu.addSeparator();
  m_header->addColumnChoices(menu);
  menu.exec(m_header->mapToGlobal(at));
}

}  // namespace bexto::ui
