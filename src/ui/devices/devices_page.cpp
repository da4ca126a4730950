#include "ui/devices/devices_page.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QMenu>
#include <QPainter>
#include <QPushButton>
#include <QStackedWidget>
#include <QStyledItemDelegate>
#include <QToolButton>
#include <QTreeView>
#include <algorithm>

#include "core/base/number_text.h"
#include "core/base/time_text.h"
#include "core/decode/sentence.h"
#include "core/device/bus_devices.h"
#include "core/device/value_series.h"
#include "ui/text/elided_label.h"
#include "ui/theme/choices.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

/// Rows as high as those of other lists, with room at their sides.
class RoomyRow : public QStyledItemDelegate {
 public:
  using QStyledItemDelegate::QStyledItemDelegate;
  /// Two digits a byte: what was written stands out from what was only read, and both from what nobody saw.
  static void paintBytes(QPainter& p, QRect room, const QString& text, const QString& how)
  {
    const Palette& c = theme().colours();
    const int step = p.fontMetrics().horizontalAdvance(QLatin1Char('0')) * 3;
    for (qsizetype i = 0; i < how.size(); ++i) {
      const bool written = how[i] == QLatin1Char('w');
      const QRect byte(room.left() + static_cast<int>(i) * step, room.top(), step, room.height());
      if (written)
        p.fillRect(byte.adjusted(-px(2), px(4), -px(3), -px(4)), tint(c.device, 12));
      p.setPen(how[i] == QLatin1Char(' ') ? c.rule : c.device);
      p.drawText(byte, Qt::AlignLeft | Qt::AlignVCenter, text.mid(i * 3, 2));
    }
  }
  QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const override
  {
    return {QStyledItemDelegate::sizeHint(option, index).width() + px(16), px(24)};
  }
  void paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& index) const override
  {
    const Palette& c = theme().colours();
    const bool picked = (option.state & QStyle::State_Selected) != 0;
    const QVariant back = index.data(Qt::BackgroundRole);
    p->fillRect(option.rect, picked ? c.selection : back.isValid() ? back.value<QColor>() : c.ground);
    p->setPen(c.rule);
    p->drawLine(option.rect.bottomLeft(), option.rect.bottomRight());
    p->setFont(index.data(Qt::FontRole).value<QFont>());
    p->setPen(index.data(Qt::ForegroundRole).value<QColor>());
    const QRect room = option.rect.adjusted(px(index.column() == 0 ? 24 : 8), 0, -px(4), 0);
    if (const QString how = index.data(MemoryModel::kHow).toString();
        !how.isEmpty() && index.column() == MemoryModel::Bytes) {
      paintBytes(*p, room, index.data().toString(), how);
      return;
    }
    p->drawText(room, Qt::AlignLeft | Qt::AlignVCenter,
                p->fontMetrics().elidedText(index.data().toString(), Qt::ElideRight, room.width()));
  }
};

QTreeView* makeList(QAbstractItemModel* model, const QString& name)
{
  auto* view = new QTreeView;
  view->setModel(model);
  view->setRootIsDecorated(false);
  view->setUniformRowHeights(true);
  view->setAllColumnsShowFocus(true);
  view->setFrameShape(QFrame::NoFrame);
  view->setItemDelegate(new RoomyRow(view));
  view->setIndentation(0);
  view->viewport()->setBackgroundRole(QPalette::Window);
  view->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  setType(*view->header(), Face::Words, 11);
  view->setAccessibleName(name);
  view->setProperty("shortcutsFirst", true);
  view->header()->setStretchLastSection(true);
  view->header()->setSectionsMovable(false);
  view->header()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  return view;
}

}  // namespace

DevicesPage::DevicesPage(SessionModel& session, Engine& engine, Focus& focus, QWidget* parent)
    : LowerPage(parent),
      m_session(session),
      m_engine(engine),
      m_focus(focus),
      m_controls(new QWidget),
      m_choice(new QComboBox),
      m_plot(new QToolButton),
      m_status(new ElidedLabel),
      m_stack(new QStackedWidget),
      m_kinds(new QStackedWidget),
      m_rows(new RegisterModel(this)),
      m_memory(new MemoryModel(this)),
      m_history(new AccessModel(this)),
      m_job(std::make_unique<Job>())
{
  m_choice->setAccessibleName(tr("Device"));
  m_choice->setObjectName(QStringLiteral("device"));
  m_choice->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  m_choice->setMinimumContentsLength(4);
  sized(*m_choice, [this] { m_choice->setMaximumWidth(px(220)); });
  setType(*m_status, Face::Words, 11);
  m_plot->setObjectName(QStringLiteral("plotValue"));
  m_plot->setText(tr("Plot"));
  m_plot->setCheckable(true);
  m_plot->setProperty("flat", true);
  setType(*m_plot, Face::Words, 12);
  connect(m_plot, &QToolButton::clicked, this, &DevicesPage::togglePlot);
  auto* row = new QHBoxLayout(m_controls);
  row->setContentsMargins(0, 0, 12, 0);
  row->addWidget(m_choice, 2);
  row->addWidget(m_plot);
  row->addStretch(1);
  row->addWidget(m_status);
  m_registers = makeList(m_rows, tr("Registers and messages"));
  m_memoryView = makeList(m_memory, tr("Memory"));
  m_accesses = makeList(m_history, tr("Accesses"));
  m_kinds->addWidget(m_registers);
  m_kinds->addWidget(m_memoryView);
  sized(*m_registers, [this] {
    m_registers->setColumnWidth(RegisterModel::Name, px(150));
    m_registers->setColumnWidth(RegisterModel::Value, px(140));
    m_registers->setColumnWidth(RegisterModel::Since, px(110));
    m_memoryView->setColumnWidth(MemoryModel::Address, px(72));
    m_memoryView->setColumnWidth(MemoryModel::Bytes,
                                 QFontMetrics(theme().data(12)).horizontalAdvance(QLatin1Char('0')) * 47 + px(16));
    m_accesses->setColumnWidth(AccessModel::Time, px(130));
  });
  auto* both = new QWidget;
  m_halves = new QHBoxLayout(both);
  m_halves->setContentsMargins(0, 0, 0, 0);
  m_halves->setSpacing(1);
  m_halves->addWidget(m_kinds);
  m_halves->addWidget(m_accesses);
  auto* empty = new QWidget;
  auto* words = new QVBoxLayout(empty);
  words->setAlignment(Qt::AlignCenter);
  auto* text = new QLabel(tr("No device is described yet. Its sheet says what its bytes mean."));
  text->setAlignment(Qt::AlignCenter);
  setInk(*text, Ink::Muted);
  auto* button = new QPushButton(tr("Describe a device"));
  button->setObjectName(QStringLiteral("describeDevice"));
  connect(button, &QPushButton::clicked, this, &DevicesPage::sheetsWanted);
  words->addWidget(text);
  words->addWidget(button, 0, Qt::AlignCenter);
  m_stack->addWidget(empty);
  m_stack->addWidget(both);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->addWidget(m_stack);

  connect(&engine, &Engine::captureChanged, this, [this] {
    m_loaded = BusId::None;
    m_histories.clear();
    updateChoices();
    load();
  });
  connect(&engine, &Engine::changed, this, &DevicesPage::follow);
  connect(&focus, &Focus::cursorChanged, this, &DevicesPage::refresh);
  connect(&focus, &Focus::selectionChanged, this, &DevicesPage::followSelection);
  connect(&focus, &Focus::axisChanged, this, [this] {
    if (!m_focus.cursor() && !m_focus.selection().valid())
      refresh();
  });
  connect(&session, &SessionModel::changed, this, [this](const SessionChange& change) {
    if (change.markers)
      refresh();
    if (change.plots)
      updatePlot();
  });
  connect(&theme(), &Theme::changed, this, &DevicesPage::refresh);
  connect(m_choice, &QComboBox::activated, this, [this] {
    m_history->clear();
    load();
  });
  connect(m_registers->selectionModel(), &QItemSelectionModel::currentRowChanged, this, &DevicesPage::showAccesses);
  connect(m_registers->selectionModel(), &QItemSelectionModel::currentRowChanged, this, &DevicesPage::updatePlot);
  m_registers->setContextMenuPolicy(Qt::CustomContextMenu);
  connect(m_registers, &QWidget::customContextMenuRequested, this, [this](QPoint at) {
    if (!m_plot->isEnabled())
      return;
    QMenu menu(this);
    menu.addAction(m_plot->toolTip(), this, &DevicesPage::togglePlot);
    menu.exec(m_registers->viewport()->mapToGlobal(at));
  });
  connect(m_accesses, &QTreeView::clicked, this, [this](const QModelIndex& index) {
    const Choice* const now = chosen();
    if (now == nullptr || !index.isValid())
      return;
    const std::uint64_t frame = m_history->frameAt(index.row());
    for (std::size_t s = 0; s < m_histories.size(); ++s) {
      if (m_histories[s].empty() || &m_histories[s].reading() != &m_history->reading())
        continue;
      const Selection selection{{now->bus, static_cast<int>(s)}, frame, m_history->frames().frame(frame).time.begin};
      if (m_focus.exists(selection))
        m_focus.goTo(selection, true);
    }
  });
  updateChoices();
}

QWidget& DevicesPage::keyboard()
{
  return *m_registers;
}

QString DevicesPage::status() const
{
  return m_status->text();
}

Picoseconds DevicesPage::moment() const
{
  if (const auto cursor = m_focus.cursor())
    return *cursor;
  return m_focus.selection().valid() ? m_focus.selectedTime().end : m_focus.axis().span().end;
}

void DevicesPage::follow(const EngineChange& change)
{
  if (change.isDescribed() || change.busList)
    updateChoices();
  const Choice* const now = chosen();
  const BusChange* const bus = now == nullptr ? nullptr : change.of(now->bus);
  if (bus != nullptr && (bus->described || bus->frames == BusChange::Frames::Replaced))
    m_loaded = BusId::None;
  if (change.busList || (bus != nullptr && (bus->described || bus->hasNewFrames()))) {
    m_stale = true;
    if (isVisible())
      load();
  }
}

void DevicesPage::updateChoices()
{
  const Choice before = chosen() == nullptr ? Choice{} : *chosen();
  m_choices.clear();
  QStringList names;
  int now = 0;
  for (int b = 0; b < m_engine.busCount(); ++b) {
    const BusView& view = m_engine.bus(b);
    const auto devices = std::dynamic_pointer_cast<const BusDevices>(describerOf(view.wanted));
    for (std::size_t s = 0; devices && s < devices->sheets().size(); ++s) {
      const Sheet& sheet = devices->sheet(s);
      const Choice choice{view.id, s, sheet.device, sheet.isMemory && sheet.registers.empty()};
      if (choice.bus == before.bus && choice.device == before.device)
        now = static_cast<int>(names.size());
      m_choices.push_back(choice);
      names << tr("%1 · %2").arg(toQString(choice.device), toQString(view.wanted.name));
    }
  }
  if (!offers(*m_choice, names)) {
    m_choice->clear();
    m_choice->addItems(names);
  }
  m_choice->setCurrentIndex(m_choices.empty() ? -1 : now);
  m_choice->setVisible(!m_choices.empty());
  m_stack->setCurrentIndex(m_choices.empty() ? 0 : 1);
}

const DevicesPage::Choice* DevicesPage::chosen() const
{
  const int i = m_choice->currentIndex();
  return i >= 0 && static_cast<std::size_t>(i) < m_choices.size() ? &m_choices[static_cast<std::size_t>(i)] : nullptr;
}

void DevicesPage::showEvent(QShowEvent* /*event*/)
{
  followSelection();
  if (m_stale)
    load();
  refresh();
}

void DevicesPage::load()
{
  m_stale = false;
  const Choice* const now = chosen();
  const BusView* const view = now == nullptr ? nullptr : m_engine.find(now->bus);
  if (view == nullptr) {
    m_job->cancel();
    m_histories.clear();
    m_loaded = BusId::None;
    refresh();
    return;
  }
  std::vector<Transactions> streams;
  for (const StreamView& stream : view->streams)
    streams.push_back(stream.transactions);
  std::vector<DeviceHistory> before = m_loaded == now->bus ? m_histories : std::vector<DeviceHistory>();
  before.resize(streams.size());
  const bool sameTrace = m_loaded == now->bus && m_traced == now->sheet;
  m_job->start([this, bus = view->shown, id = now->bus, streams = std::move(streams), before = std::move(before),
                choice = *now, traced = sameTrace ? m_trace : MemoryTrace()](JobRun& run) {
    std::vector<DeviceHistory> made;
    for (std::size_t i = 0; i < streams.size(); ++i) {
      auto history = DeviceHistory::make(bus, streams[i], before[i], run.stop());
      if (!history)
        return;
      made.push_back(std::move(*history));
    }
    MemoryTrace trace;
    if (choice.isMemory && !streams.empty()) {
      auto memory = MemoryTrace::make(bus, streams.front(), choice.sheet, traced, run.stop());
      if (!memory)
        return;
      trace = std::move(*memory);
    }
    run.post([this, id, made = std::move(made), trace = std::move(trace), sheet = choice.sheet] {
      m_histories = made;
      m_trace = trace;
      m_traced = sheet;
      m_loaded = id;
      refresh();
      showAccesses();
    });
  });
}

void DevicesPage::refresh()
{
  if (!isVisible())
    return;
  const Choice* const now = chosen();
  if (now == nullptr || m_loaded != now->bus) {
    m_rows->show({}, Picoseconds{0});
    m_status->clear();
    return;
  }
  const Picoseconds at = moment();
  m_kinds->setCurrentIndex(now->isMemory ? 1 : 0);
  // Sixteen bytes and their letters take their room.
  m_halves->setStretch(0, now->isMemory ? 3 : 5);
  m_halves->setStretch(1, now->isMemory ? 1 : 3);
  if (now->isMemory)
    m_memory->show(m_trace, m_trace.stateAt(at));
  std::optional<Picoseconds> since;
  std::string marker;
  for (const Marker& m : m_session.markers()) {
    if (m.time <= at && (!since || m.time > *since)) {
      since = m.time;
      marker = m.name;
    }
  }
  m_rows->show(deviceRows(m_histories, now->sheet, at, since), at);
  updatePlot();
  if (!m_registers->currentIndex().isValid() && m_rows->rowCount() > 0)
    m_registers->setCurrentIndex(m_rows->index(0, 0));
  QString text = tr("at %1 s").arg(toQString(momentText(at, 6)));
  if (since && !now->isMemory)
    text += tr(" · ● changed since %1").arg(toQString(marker));
  m_status->setText(text);
  setInk(*m_status, Ink::Muted);
  // The access that made it so.
  if (const int row = m_history->rowAt(at); row >= 0) {
    const QModelIndex index = m_history->index(row, 0);
    m_accesses->setCurrentIndex(index);
    m_accesses->scrollTo(index);
    if (now->isMemory) {
      const std::uint32_t address = m_history->reading().rows().at(m_history->unitAt(row)).address;
      m_memoryView->scrollTo(m_memory->index(m_memory->rowOf(address), 0));
    }
  }
}

std::optional<Plot> DevicesPage::pickedPlot() const
{
  const Choice* const now = chosen();
  const QModelIndex current = m_registers->currentIndex();
  const auto history =
      std::find_if(m_histories.begin(), m_histories.end(), [](const DeviceHistory& h) { return !h.empty(); });
  if (now == nullptr || now->isMemory || m_loaded != now->bus || history == m_histories.end() || !current.isValid() ||
      static_cast<std::size_t>(current.row()) >= m_rows->rows().size())
    return std::nullopt;
  const DeviceRow& row = m_rows->rows()[static_cast<std::size_t>(current.row())];
  const std::vector<SheetField>& fields = history->fieldsOf(row.subject);
  if (!row.field && fields.size() != 1)
    return std::nullopt;
  const SheetField& field = fields.at(row.field.value_or(0));
  if (!isNumeric(field))
    return std::nullopt;
  return Plot{now->bus, {history->deviceOf(row.subject), history->nameOf(row.subject), field.name}};
}

void DevicesPage::updatePlot()
{
  const std::optional<Plot> plot = pickedPlot();
  const std::vector<Plot>& plots = m_session.value().plots;
  const bool isPlotted =
      plot && std::any_of(plots.begin(), plots.end(), [&](const Plot& p) { return p.isSame(*plot); });
  m_plot->setVisible(!m_choices.empty());
  m_plot->setEnabled(plot.has_value());
  m_plot->setChecked(isPlotted);
  const QString name = plot ? toQString(shownName(plot->of.value)) : QString();
  m_plot->setToolTip(!plot       ? tr("Pick a value that is a number: it gets a lane in the Timeline")
                     : isPlotted ? tr("Remove the plot of %1").arg(name)
                                 : tr("Plot %1 in the Timeline").arg(name));
}

void DevicesPage::togglePlot()
{
  if (const std::optional<Plot> plot = pickedPlot()) {
    const std::vector<Plot>& plots = m_session.value().plots;
    const bool isPlotted = std::any_of(plots.begin(), plots.end(), [&](const Plot& p) { return p.isSame(*plot); });
    isPlotted ? m_session.removePlot(*plot) : m_session.addPlot(*plot);
  }
  updatePlot();
}

void DevicesPage::showAccesses()
{
  const QModelIndex current = m_registers->currentIndex();
  const Choice* const now = chosen();
  if (now != nullptr && now->isMemory && m_loaded == now->bus && m_traced == now->sheet) {
    m_history->show(m_trace);
    refresh();
    return;
  }
  if (!current.isValid() || now == nullptr || m_loaded != now->bus ||
      static_cast<std::size_t>(current.row()) >= m_rows->rows().size()) {
    m_history->clear();
    return;
  }
  const DeviceRow& row = m_rows->rows()[static_cast<std::size_t>(current.row())];
  // The direction that says it.
  const DeviceHistory* best = nullptr;
  for (const DeviceHistory& history : m_histories) {
    const bool more = !history.empty() &&
                      (best == nullptr || history.unitsOf(row.subject).size() > best->unitsOf(row.subject).size());
    best = more ? &history : best;
  }
  if (best == nullptr)
    return;
  m_history->show(*best, row.subject, row.field);
  refresh();
}

/// Another device's transaction was picked: that one is shown.
void DevicesPage::followSelection()
{
  if (!isVisible())
    return;
  const Selection& selection = m_focus.selection();
  if (selection.valid()) {
    const StreamView& stream = m_focus.selectedStream();
    const BusView* const view = m_engine.find(selection.stream.bus);
    const auto& meaning = stream.transactions.meaning();
    const std::vector<Told> told = meaning && view != nullptr ? meaning->told(view->shown, stream.transactions.frames(),
                                                                              {selection.frame, selection.frame + 1})
                                                              : std::vector<Told>();
    for (std::size_t i = 0; i < m_choices.size() && !told.empty(); ++i) {
      // Nodes have names of their own: where the bus has one sheet, it is theirs.
      const bool alone = std::count_if(m_choices.begin(), m_choices.end(),
                                       [&](const Choice& c) { return c.bus == selection.stream.bus; }) == 1;
      const bool same =
          m_choices[i].bus == selection.stream.bus && (told.front().device.starts_with(m_choices[i].device) || alone);
      if (!same || static_cast<int>(i) == m_choice->currentIndex())
        continue;
      m_choice->setCurrentIndex(static_cast<int>(i));
      m_history->clear();
      load();
      break;
    }
  }
  refresh();
}

}  // namespace bexto::ui
