#include "ui/markers/markers_panel.h"

#include <QComboBox>
#include <QGridLayout>
#include <QHeaderView>
#include <QLabel>
#include <QShortcut>
#include <QTreeWidget>

#include "core/base/number_text.h"
#include "core/base/time_text.h"
#include "ui/theme/choices.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

enum Column { kName, kTime, kNote };
constexpr int kIdRole = Qt::UserRole;

MarkerId idOf(const QTreeWidgetItem& item)
{
  return MarkerId{item.data(kName, kIdRole).toUInt()};
}

/// Places that are no markers.
QString viewBegin()
{
  return MarkersPanel::tr("view's begin");
}
QString viewEnd()
{
  return MarkersPanel::tr("view's end");
}

/// "4.3 µs … 8.6 µs", or one length where all are equal.
QString rangeText(Picoseconds shortest, Picoseconds longest)
{
  const QString low = toQString(lengthText(shortest));
  return shortest == longest ? low : QStringLiteral("%1 … %2").arg(low, toQString(lengthText(longest)));
}

QStringList wireLines(const QString& name, const WireStatistics& s)
{
  QStringList lines;
  QString first = QStringLiteral("%1  %2").arg(name, countOf(s.edges, {"{} edge", "{} edges"}));
  if (s.hertz)
    first += QStringLiteral(" · ") +
             MarkersPanel::tr("%1 · %2 % high").arg(toQString(frequencyText(*s.hertz))).arg(*s.duty * 100.0, 0, 'f', 1);
  lines << first;
  if (s.shortestHigh)
    lines << MarkersPanel::tr("high %1").arg(rangeText(*s.shortestHigh, *s.longestHigh));
  if (s.shortestLow)
    lines << MarkersPanel::tr("low %1").arg(rangeText(*s.shortestLow, *s.longestLow));
  return lines;
}

QString busLine(const QString& name, const StreamStatistics& s)
{
  QString line = QStringLiteral("%1  %2 · %3").arg(name, countOf(s.frames, kFrames), countOf(s.bytes, kBytes));
  // Of recorded frames nobody knows how long they took.
  if (s.load > 0.0 || s.frames == 0)
    line += QStringLiteral(" · ") + MarkersPanel::tr("load %1 %").arg(s.load * 100.0, 0, 'f', 1);
  if (s.faulty > 0)
    line += QStringLiteral(" · ▲ ") + toQString(countText(s.faulty));
  return line;
}

}  // namespace

MarkersPanel::MarkersPanel(SessionModel& session, Engine& engine, Focus& focus, QWidget* parent)
    : QWidget(parent),
      m_session(session),
      m_engine(engine),
      m_focus(focus),
      m_list(new QTreeWidget),
      m_hint(new QLabel),
      m_measure(new QWidget),
      m_from(new QComboBox),
      m_to(new QComboBox),
      m_wire(new QComboBox),
      m_bus(new QComboBox),
      m_said(new QLabel),
      m_job(std::make_unique<Job>())
{
  auto* title = new QLabel(tr("Markers and notes"));
  setType(*title, Face::Words, 12, true);
  m_hint->setText(tr("M drops a marker at the pointer. A note on a line: press K, or right-click it."));
  m_hint->setWordWrap(true);
  m_hint->setAlignment(Qt::AlignTop | Qt::AlignLeft);
  m_hint->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Expanding);
  m_list->setAccessibleName(tr("Markers and notes"));
  m_list->setObjectName(QStringLiteral("markerList"));
  m_list->setColumnCount(3);
  m_list->setHeaderHidden(true);
  m_list->setRootIsDecorated(false);
  m_list->setFrameShape(QFrame::NoFrame);
  m_list->setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed);
  m_list->header()->setMinimumSectionSize(24);
  m_list->header()->setSectionResizeMode(kName, QHeaderView::ResizeToContents);
  m_list->header()->setSectionResizeMode(kTime, QHeaderView::ResizeToContents);
  m_list->header()->setStretchLastSection(true);
  for (auto [choice, name] :
       {std::pair(m_from, tr("Measure from")), std::pair(m_to, tr("Measure to")),
        std::pair(m_wire, tr("Wire that is measured")), std::pair(m_bus, tr("Bus that is measured"))}) {
    choice->setAccessibleName(name);
    choice->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    connect(choice, &QComboBox::activated, this, &MarkersPanel::measure);
  }
  setType(*m_said, Face::Data, 11);
  m_said->setWordWrap(true);
  m_said->setTextInteractionFlags(Qt::TextSelectableByMouse);
  m_said->setAccessibleName(tr("What lies between"));
  auto* grid = new QGridLayout(m_measure);
  grid->setContentsMargins(0, 4, 0, 0);
  grid->setHorizontalSpacing(6);
  grid->setVerticalSpacing(4);
  grid->addWidget(new QLabel(tr("from")), 0, 0);
  grid->addWidget(m_from, 0, 1);
  grid->addWidget(new QLabel(tr("to")), 0, 2);
  grid->addWidget(m_to, 0, 3);
  grid->addWidget(new QLabel(tr("wire")), 1, 0);
  grid->addWidget(m_wire, 1, 1);
  grid->addWidget(new QLabel(tr("bus")), 1, 2);
  grid->addWidget(m_bus, 1, 3);
  grid->addWidget(m_said, 2, 0, 1, 4);
  grid->setColumnStretch(1, 1);
  grid->setColumnStretch(3, 1);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(12, 8, 12, 8);
  column->setSpacing(4);
  column->addWidget(title);
  column->addWidget(m_hint);
  column->addWidget(m_list, 1);
  column->addWidget(m_measure);
  connect(&session, &SessionModel::changed, this, [this](const SessionChange& change) {
    if (!change.markers)
      return;
    updateList();
    updateChoices();
    measure();
  });
  const auto choices = [this] {
    updateWires();
    updateChoices();
    measure();
  };
  connect(&engine, &Engine::captureChanged, this, choices);
  connect(&engine, &Engine::changed, this, [this](const EngineChange& change) {
    if (change.isDescribed())
      updateChoices();
    // What is said of a stretch names the bus, too.
    if (change.wires || change.hasNewFrames() || change.isDescribed())
      measure();
  });
  connect(&focus, &Focus::axisChanged, this, [this] {
    for (const QComboBox* const choice : {m_from, m_to}) {
      if (choice->currentText() == viewBegin() || choice->currentText() == viewEnd())
        return measure();
    }
  });
  connect(m_list, &QTreeWidget::itemChanged, this, &MarkersPanel::edited);
  const auto go = [this](QTreeWidgetItem* item) {
    if (item == nullptr || m_filling)
      return;
    if (const Marker* const marker = m_session.value().find(idOf(*item)))
      m_focus.reveal({marker->time, marker->time});
  };
  connect(m_list, &QTreeWidget::itemClicked, this, go);
  connect(m_list, &QTreeWidget::currentItemChanged, this, go);
  auto* remove = new QShortcut(QKeySequence(Qt::Key_Delete), m_list, nullptr, nullptr, Qt::WidgetShortcut);
  connect(remove, &QShortcut::activated, this, [this] {
    if (m_list->currentItem() != nullptr)
      m_session.removeMarker(idOf(*m_list->currentItem()));
  });
  for (const auto& [key, forward] : {std::pair(Qt::Key_Left, false), std::pair(Qt::Key_Right, true)}) {
    auto* move = new QShortcut(QKeySequence(Qt::CTRL | key), m_list, nullptr, nullptr, Qt::WidgetShortcut);
    connect(move, &QShortcut::activated, this, [this, forward = forward] { moveToEdge(forward); });
  }
  connect(&theme(), &Theme::changed, this, &MarkersPanel::updateList);
  updateList();
}

void MarkersPanel::updateList()
{
  m_filling = true;
  const MarkerId current = m_list->currentItem() == nullptr ? MarkerId::None : idOf(*m_list->currentItem());
  m_list->clear();
  std::vector<Marker> sorted = m_session.markers();
  std::stable_sort(sorted.begin(), sorted.end(), [](const Marker& a, const Marker& b) { return a.time < b.time; });
  for (const Marker& marker : sorted) {
    const QString where = toQString(marker.note);
    auto* item = new QTreeWidgetItem(m_list, {toQString(marker.name), toQString(momentText(marker.time, 9)), where});
    item->setData(kName, kIdRole, static_cast<uint>(marker.id));
    item->setFlags(item->flags() | Qt::ItemIsEditable);
    item->setFont(kName, theme().words(12, true));
    item->setForeground(kName, theme().colours().address);
    item->setFont(kTime, theme().data(11));
    const BusView* const pinned = marker.pin ? m_engine.find(marker.pin->bus) : nullptr;
    const QString pin = pinned != nullptr ? tr("on %1").arg(toQString(pinned->wanted.name)) : toQString(marker.edge);
    for (const int column : {kName, kTime, kNote})
      item->setToolTip(column, pin);
    if (where.isEmpty() && !pin.isEmpty()) {
      item->setData(kNote, Qt::DisplayRole, QString());
      item->setForeground(kNote, theme().colours().muted);
    }
    if (marker.id == current)
      m_list->setCurrentItem(item);
  }
  const bool any = !m_session.markers().empty();
  m_list->setVisible(any);
  m_hint->setVisible(!any);
  setInk(*m_hint, Ink::Muted);
  m_measure->setVisible(any);
  m_filling = false;
}

void MarkersPanel::edited(QTreeWidgetItem* item, int column)
{
  if (m_filling)
    return;
  const MarkerId which = idOf(*item);
  const QString text = item->text(column);
  // The list is made anew by what follows: not while it still handles this change.
  QMetaObject::invokeMethod(
      this,
      [this, which, column, text] {
        if (column == kName) {
          m_session.renameMarker(which, text);
        } else if (column == kNote) {
          m_session.setNote(which, text);
        } else if (const auto time = parseTime(QString(text).remove(QLatin1Char(' ')).toStdString())) {
          m_session.moveMarker(which, std::clamp(*time, Picoseconds{0}, m_engine.whole().end), {});
        } else {
          updateList();
        }
      },
      Qt::QueuedConnection);
}

void MarkersPanel::moveToEdge(bool forward)
{
  const Marker* const marker =
      m_list->currentItem() == nullptr ? nullptr : m_session.value().find(idOf(*m_list->currentItem()));
  const Channel* const wire = chosenWire();
  if (marker == nullptr || wire == nullptr)
    return;
  const Picoseconds edge = forward ? wire->track.nextAfter(marker->time) : wire->track.previousBefore(marker->time);
  if (edge == kNever || edge < Picoseconds{0})
    return;
  const bool rises = wire->signal().levelAt(edge);
  const QString name = toQString(m_session.value().lanes.nameOf(wire->path, wire->name));
  m_session.moveMarker(marker->id, edge, rises ? tr("%1 rises").arg(name) : tr("%1 falls").arg(name));
  m_focus.reveal({edge, edge});
}

void MarkersPanel::updateChoices()
{
  const auto fill = [](QComboBox* choice, const QStringList& items, const QString& otherwise) {
    const QString before = choice->currentText();
    if (!offers(*choice, items)) {
      choice->clear();
      choice->addItems(items);
    }
    const int kept = choice->findText(before);
    choice->setCurrentIndex(kept >= 0 ? kept : std::max(0, choice->findText(otherwise)));
  };
  QStringList names;
  for (const Marker& marker : m_session.markers())
    names << toQString(marker.name);
  // A marker that was just dropped is what one wants to measure to, from the one before.
  const bool added = m_to->count() > 0 && names.size() + 2 > m_to->count() && names.size() >= 2;
  const QString last = names.isEmpty() ? viewEnd() : names.back();
  fill(m_from, QStringList{viewBegin()} + names + QStringList{viewEnd()},
       names.size() < 2 ? viewBegin() : names[names.size() - 2]);
  fill(m_to, QStringList{viewBegin()} + names + QStringList{viewEnd()}, last);
  if (added || (names.size() == 2 && m_from->currentText() == viewBegin())) {
    m_from->setCurrentText(names[names.size() - 2]);
    m_to->setCurrentText(last);
  }
  const QVariant busBefore = m_bus->currentData();
  QStringList buses;
  for (int i = 0; i < m_engine.busCount(); ++i)
    buses << toQString(m_engine.bus(i).wanted.name);
  if (!offers(*m_bus, buses)) {
    m_bus->clear();
    m_bus->addItems(buses);
  }
  for (int i = 0; i < m_engine.busCount(); ++i)
    m_bus->setItemData(i, static_cast<uint>(m_engine.bus(i).id));
  m_bus->setCurrentIndex(std::max(m_bus->findData(busBefore), m_bus->count() > 0 ? 0 : -1));
}

void MarkersPanel::updateWires()
{
  const QString before = m_wire->currentText();
  m_wire->clear();
  if (m_engine.capture()) {
    const std::vector<Channel>& channels = m_engine.capture()->channels;
    for (std::size_t i = 0; i < channels.size(); ++i) {
      if (channels[i].isWire())
        m_wire->addItem(toQString(channels[i].name), static_cast<uint>(i));
    }
  }
  m_wire->setCurrentIndex(std::max(m_wire->findText(before), m_wire->count() > 0 ? 0 : -1));
}

const Channel* MarkersPanel::chosenWire() const
{
  const std::size_t channel = m_wire->currentData().toUInt();
  const auto& capture = m_engine.capture();
  return m_wire->currentIndex() < 0 || !capture || channel >= capture->channels.size() ? nullptr
                                                                                       : &capture->channels[channel];
}

std::optional<Picoseconds> MarkersPanel::placeOf(const QComboBox* choice) const
{
  const QString text = choice->currentText();
  const TimeRange view = m_focus.axis().span();
  for (const Marker& marker : m_session.markers()) {
    if (toQString(marker.name) == text)
      return marker.time;
  }
  if (text == viewBegin())
    return std::max(Picoseconds{0}, view.begin);
  if (text == viewEnd())
    return std::min(m_engine.whole().end, view.end);
  return std::nullopt;
}

std::optional<TimeRange> MarkersPanel::stretch() const
{
  const auto from = placeOf(m_from);
  const auto to = placeOf(m_to);
  if (!from || !to)
    return std::nullopt;
  return TimeRange{std::min(*from, *to), std::max(*from, *to)};
}

QStringList MarkersPanel::lines() const
{
  return m_lines;
}

void MarkersPanel::say(const QStringList& lines)
{
  m_lines = lines;
  m_said->setText(lines.join(QLatin1Char('\n')));
}

void MarkersPanel::measure()
{
  const auto range = stretch();
  m_job->cancel();
  if (!range || !m_engine.capture() || m_session.markers().empty()) {
    say({});
    return;
  }
  const double seconds = toSeconds(range->length());
  QStringList lines{
      QStringLiteral("Δ %1 · %2")
          .arg(toQString(lengthText(range->length())), toQString(frequencyText(seconds > 0.0 ? 1.0 / seconds : 0.0)))};
  say(lines);
  if (range->empty())
    return;
  std::optional<ConditionedTrack> wire;
  const QString wireName = m_wire->currentText();
  if (const Channel* const chosen = chosenWire())
    wire = chosen->signal();
  std::vector<LedgerSource> streams;
  const BusId bus{m_bus->currentData().toUInt()};
  for (const LedgerSource& source : m_engine.ledgerSources()) {
    if (source.id.bus == bus)
      streams.push_back(source);
  }
  m_job->start([this, lines, wire, wireName, streams, range = *range, until = m_engine.whole().end](JobRun& run) {
    QStringList all = lines;
    if (wire)
      all += wireLines(wireName, measureWire(*wire, range, until, run.stop()));
    for (const LedgerSource& stream : streams)
      all << busLine(toQString(stream.name()),
                     measureStream(stream.bus, stream.transactions.frames(), range, run.stop()));
    if (!run.stop().stop_requested())
      run.post([this, all] { say(all); });
  });
}

void MarkersPanel::startNote()
{
  MarkerId which = MarkerId::None;
  if (m_focus.selection().valid()) {
    which = m_session.addNote(m_focus.selection().stream.bus, m_focus.selectedTime().begin, {});
  } else {
    const TimeRange view = m_focus.axis().span();
    which = m_session.addMarker(m_focus.cursor().value_or(view.begin + view.length() / 2));
  }
  for (int i = 0; i < m_list->topLevelItemCount(); ++i) {
    QTreeWidgetItem* item = m_list->topLevelItem(i);
    if (idOf(*item) != which)
      continue;
    m_filling = true;
    m_list->setCurrentItem(item);
    m_filling = false;
    m_list->setFocus();
    m_list->editItem(item, kNote);
  }
}

}  // namespace bexto::ui
