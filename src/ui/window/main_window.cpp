#include "ui/window/main_window.h"

#include <QAction>
#include <QApplication>
#include <QDragEnterEvent>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QSplitter>
#include <QStackedWidget>
#include <QToolButton>
#include <utility>

#include "core/base/number_text.h"
#include "core/base/time_text.h"
#include "ui/access/painted_rows.h"
#include "ui/access/spoken.h"
#include "ui/anatomy/anatomy_panel.h"
#include "ui/bench/bench_panel.h"
#include "ui/buses/bus_panel.h"
#include "ui/bytes/bytes_view.h"
#include "ui/checks/book_page.h"
#include "ui/checks/checks_page.h"
#include "ui/checks/findings_page.h"
#include "ui/command/command_box.h"
#include "ui/devices/devices_page.h"
#include "ui/devices/sheet_page.h"
#include "ui/ledger/ledger_area.h"
#include "ui/markers/markers_panel.h"
#include "ui/overview/overview_strip.h"
#include "ui/segments/segment_row.h"
#include "ui/text/elided_label.h"
#include "ui/theme/theme.h"
#include "ui/timeline/timeline_view.h"
#include "ui/window/glimpse.h"
#include "ui/window/list_output.h"
#include "ui/window/lower_area.h"
#include "ui/window/navigator.h"
#include "ui/window/notice_bar.h"
#include "ui/window/opener.h"
#include "ui/window/plot_output.h"
#include "ui/window/setups.h"
#include "ui/window/start_page.h"
#include "ui/window/typing_guard.h"
#include "ui/window/window_memory.h"

namespace bexto::ui {

namespace {

/// A strip of the frame around the views: panel-coloured, with a hairline on one side.
QWidget* makeStrip(int height)
{
  auto* strip = new QWidget;
  sized(*strip, [strip, height] { strip->setFixedHeight(px(height)); });
  strip->setAutoFillBackground(true);
  strip->setBackgroundRole(QPalette::Base);
  return strip;
}

QFrame* makeHairline()
{
  auto* line = new QFrame;
  line->setFixedHeight(1);
  line->setAutoFillBackground(true);
  line->setBackgroundRole(QPalette::Mid);
  return line;
}

}  // namespace

MainWindow::MainWindow(Workspace& workspace, QWidget* parent)
    : QMainWindow(parent),
      m_session(&workspace.session),
      m_engine(&workspace.engine),
      m_sheets(&workspace.sheets),
      m_verdicts(&workspace.verdicts),
      m_focus(&workspace.focus),
      m_keeper(&workspace.keeper)
{
  announcePaintedRows();
  announceSpokenButtons();
  setAcceptDrops(true);
  new TypingGuard(this);
  resize(1280, 800);
  m_menu = new QMenu(this);
  m_capture = new QMenu(this);
  m_bench = new BenchPanel(*m_session, *m_engine);
  m_segments = new SegmentRow(*m_engine);
  m_overview = new OverviewStrip(*m_session, *m_engine, *m_focus);
  m_buses = new BusPanel(*m_session, *m_engine, *m_sheets, *m_focus);
  m_timeline = new TimelineView(*m_session, *m_engine, *m_focus);
  m_lower = new LowerArea;
  m_ledgers = new LedgerArea(*m_session, *m_engine, *m_focus);
  m_bytes = new BytesPage(*m_engine, *m_focus);
  m_lower->add(m_ledgers);
  m_lower->add(m_bytes);
  m_devices = new DevicesPage(*m_session, *m_engine, *m_focus);
  m_lower->add(m_devices);
  m_checks = new ChecksPage(*m_session, *m_engine, *m_verdicts, *m_focus);
  m_lower->add(m_checks);
  m_findings = new FindingsPage(*m_engine, *m_verdicts, *m_focus);
  m_lower->add(m_findings);
  m_sheet = new SheetPage(*m_session, *m_engine, *m_sheets);
  m_lower->add(m_sheet);
  m_bookPage = new BookPage(*m_session, *m_engine, *m_verdicts);
  m_lower->add(m_bookPage);
  m_markers = new MarkersPanel(*m_session, *m_engine, *m_focus);
  m_anatomy = new AnatomyPanel(*m_engine, *m_focus);
  m_notice = new NoticeBar;
  m_navigator = new Navigator(*m_engine, *m_focus, *m_verdicts, *m_ledgers, this);
  m_opener = new Opener(m_engine->source(), *m_notice, this);
  new GlimpseKeeper(*m_engine, *m_keeper, this);
  m_setups = new Setups(*m_session, *m_engine, *m_notice, this);
  m_output = new ListOutput(*m_engine, *m_ledgers, *m_notice, this);
  m_plotOutput = new PlotOutput(*m_session, *m_engine, *m_focus, *m_timeline, *m_notice, this);
  m_overview->showMatches(m_ledgers->search());
  makeActions();

  const auto makeSplitter = [](Qt::Orientation orientation, std::initializer_list<QWidget*> parts) {
    auto* splitter = new QSplitter(orientation);
    splitter->setHandleWidth(1);
    splitter->setChildrenCollapsible(false);
    for (QWidget* part : parts)
      splitter->addWidget(part);
    return splitter;
  };
  m_middle = makeSplitter(Qt::Vertical, {m_timeline, m_lower});
  m_middle->setSizes({264, 396});
  m_right = makeSplitter(Qt::Vertical, {m_anatomy, m_markers});
  m_right->setSizes({370, 270});
  m_columns = makeSplitter(Qt::Horizontal, {m_buses, m_middle, m_right});
  m_columns->setSizes({px(216), px(772), px(292)});
  m_columns->setStretchFactor(1, 1);

  m_pages = new QStackedWidget;
  m_start = new StartPage;
  connect(m_start, &StartPage::openWanted, this, [this] { m_opener->askForCapture(m_engine->path()); });
  connect(m_start, &StartPage::captureWanted, this, [this] {
    m_bench->setOpen(true);
    m_bench->focusSource();
  });
  connect(m_start, &StartPage::demoWanted, m_opener, &Opener::openDemo);
  connect(m_start, &StartPage::fileWanted, this, &MainWindow::openCapture);
  connect(m_start, &StartPage::restoreWanted, m_keeper, &SessionKeeper::restore);
  connect(m_start, &StartPage::forgetWanted, this, [this](const QString& path) {
    m_keeper->forget(path);
    updateStart();
  });
  m_pages->addWidget(m_start);
  m_pages->addWidget(m_columns);

  auto* central = new QWidget;
  auto* column = new QVBoxLayout(central);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(makeTopBar());
  column->addWidget(makeHairline());
  column->addWidget(m_bench);
  column->addWidget(m_notice);
  column->addWidget(m_segments);
  column->addWidget(m_overview);
  m_overview->hide();  // nothing to look over yet
  column->addWidget(m_pages, 1);
  column->addWidget(makeHairline());
  column->addWidget(makeStatusLine());
  setCentralWidget(central);
  connectSource();
  connectEngine();
  connectKeeper();
  connectBench();
  updateSteps();
  updateTitle();
  updateStatus();
  memory::restore(*this, {m_columns, m_middle, m_right});
  updateRecent();
  updateStart();
}

void MainWindow::openCapture(const QString& path)
{
  openWith(path, {});
}

void MainWindow::openWith(const QString& path, const std::vector<Bus>& buses)
{
  m_askedFor = buses;
  // A session comes with its own, in place of all that is there.
  if (!looksLikeSession(path.toStdString()))
    takeBusesAskedFor();
  m_opener->open(path);
}

void MainWindow::takeBusesAskedFor()
{
  for (const Bus& bus : std::exchange(m_askedFor, {})) {
    const std::vector<SessionBus>& known = m_session->value().buses;
    const auto same =
        std::find_if(known.begin(), known.end(), [&](const SessionBus& b) { return b.bus.name == bus.name; });
    if (same == known.end())
      m_session->addBus(bus);
    else
      m_session->changeBus(same->id, bus);
  }
}

MainWindow::~MainWindow()
{
  memory::save(*this, {m_columns, m_middle, m_right});
}

BytesPage& MainWindow::bytes()
{
  return *m_bytes;
}

QWidget* MainWindow::makeTopBar()
{
  QWidget* bar = makeStrip(44);
  auto* row = new QHBoxLayout(bar);
  row->setContentsMargins(12, 0, 12, 0);
  row->setSpacing(8);
  auto* record = new QToolButton;
  record->setText(tr("Record"));
  record->setObjectName(QStringLiteral("record"));
  record->setPopupMode(QToolButton::MenuButtonPopup);
  record->setMenu(m_capture);
  connect(record, &QToolButton::clicked, m_bench, &BenchPanel::record);
  connect(&m_engine->source(), &CaptureSource::stateChanged, record,
          [this, record] { record->setEnabled(!m_engine->source().isRecording()); });
  auto* open = new QPushButton(tr("Open …"));
  open->setProperty("primary", true);
  open->setObjectName(QStringLiteral("open"));
  connect(open, &QPushButton::clicked, this, [this] { m_opener->askForCapture(m_engine->path()); });
  m_fileName = new ElidedLabel;
  m_fileName->setContentsMargins(8, 0, 0, 0);
  auto* exportButton = new QPushButton(tr("Export list …"));
  exportButton->setObjectName(QStringLiteral("export"));
  connect(exportButton, &QPushButton::clicked, this, [this] { m_output->askForExport(ListOutput::What::Shown); });
  connect(m_engine, &Engine::captureChanged, exportButton, [exportButton] { exportButton->setEnabled(true); });
  exportButton->setEnabled(false);
  auto* more = new QToolButton;
  more->setText(QStringLiteral("⋯"));
  more->setAccessibleName(tr("More"));
  more->setProperty("flat", true);
  more->setPopupMode(QToolButton::InstantPopup);
  more->setMenu(m_menu);
  row->addWidget(open);
  row->addWidget(record);
  m_commandBox = new CommandBox([this](const QString& typed) { return commandsFor(typed); });
  connect(m_commandBox, &CommandBox::closed, this, [this] {
    QWidget* const before = m_commandBox->before();
    (before != nullptr && before->isVisible() ? before : &m_ledgers->active())->setFocus();
  });
  row->addWidget(m_fileName, 1);
  row->addWidget(m_commandBox);
  row->addStretch(1);
  row->addWidget(exportButton);
  row->addWidget(more);
  return bar;
}

LedgerView& MainWindow::ledger()
{
  return m_ledgers->first();
}

QWidget* MainWindow::makeStatusLine()
{
  QWidget* bar = makeStrip(26);
  auto* row = new QHBoxLayout(bar);
  row->setContentsMargins(12, 0, 12, 0);
  row->setSpacing(28);
  m_cursorLabel = new QLabel;
  setType(*m_cursorLabel, Face::Data, 12);
  sized(*m_cursorLabel, [this] { m_cursorLabel->setMinimumWidth(px(150)); });
  m_markerLabel = new QLabel;
  setType(*m_markerLabel, Face::Data, 12);
  m_markerLabel->setObjectName(QStringLiteral("markers"));
  m_faultLabel = new QLabel;
  setType(*m_faultLabel, Face::Words, 12);
  m_workLabel = new QLabel;
  setType(*m_workLabel, Face::Words, 12);
  row->addWidget(m_cursorLabel);
  row->addWidget(m_markerLabel);
  row->addStretch();
  row->addWidget(m_faultLabel);
  row->addStretch();
  row->addWidget(m_workLabel);
  return bar;
}

void MainWindow::connectEngine()
{
  connect(m_engine, &Engine::captureChanged, this, [this] {
    m_ledgers->setLive(m_engine->isLive());
    m_notice->clearText();
    m_overview->show();
    m_pages->setCurrentIndex(1);
    for (QAction* action : m_needCapture)
      action->setEnabled(true);
    m_notice->showNotes(m_engine->capture()->notes);
    updateStatus();
    if (!m_segments->hasKeyboard() && !m_bench->isAncestorOf(QApplication::focusWidget()))
      m_ledgers->active().setFocus();
  });
  connect(m_engine, &Engine::changed, this, &MainWindow::updateStatus);
  connect(m_engine, &Engine::changed, this, [this] {
    if (m_showsStart && !m_engine->isLive() && !m_engine->isDecoding() && m_engine->capture()->trigger) {
      m_showsStart = false;
      m_navigator->showStart();
    }
  });
  connect(m_notice, &NoticeBar::cancelWanted, this, [this](NoticeBar::Work work) {
    if (work == NoticeBar::Work::Export)
      m_output->cancel();
    else if (work == NoticeBar::Work::Saving)
      m_keeper->cancelSaving();
    else
      m_engine->source().end();
  });
  connect(m_engine, &Engine::captureGrew, this, [this] {
    // The view moves with the list: both show the newest, or both stand still.
    if (m_ledgers->first().isFollowing())
      m_navigator->showNewest();
    updateStatus();
  });
  connect(m_ledgers, &LedgerArea::followingChanged, this, [this](bool following) {
    if (following)
      m_navigator->showNewest();
  });
  connect(m_ledgers, &LedgerArea::alikeWanted, m_navigator, &Navigator::goToAlike);
  connect(m_ledgers, &LedgerArea::partnerWanted, m_navigator, &Navigator::goToPartner);
  connect(m_ledgers, &LedgerArea::kinWanted, m_navigator, &Navigator::goToKin);
  connect(m_anatomy, &AnatomyPanel::kinWanted, m_navigator, &Navigator::goToKin);
  connect(m_anatomy, &AnatomyPanel::partnerWanted, m_navigator, &Navigator::goToPartner);
  connect(m_navigator, &Navigator::said, m_notice, &NoticeBar::showNote);
  connect(m_ledgers, &LedgerArea::said, m_notice, &NoticeBar::showNote);
  connect(m_buses, &BusPanel::sheetWanted, this, [this](BusId bus, const QString& name) {
    m_sheet->edit(bus, name);
    m_lower->show(*m_sheet);
  });
  m_timeline->showFindings(*m_verdicts);
  m_overview->showFindings(*m_verdicts);
  m_anatomy->showFindings(*m_verdicts);
  connect(m_checks, &ChecksPage::bookWanted, this, [this](BusId bus, const QString& name) {
    m_bookPage->edit(bus, name);
    m_lower->show(*m_bookPage);
  });
  connect(m_checks, &ChecksPage::newBookWanted, this, [this](BusId bus, const QString& base) {
    m_bookPage->begin(bus, base);
    m_lower->show(*m_bookPage);
  });
  connect(m_buses, &BusPanel::rulesWanted, this, [this](BusId bus) {
    m_lower->show(*m_checks);
    m_checks->pick(bus);
  });
  connect(m_checks, &ChecksPage::busWanted, m_buses, &BusPanel::askForProtocol);
  connect(m_findings, &FindingsPage::ruleWanted, this, [this](BusId bus, const QString& rule, const QString& book) {
    const BusCheck* const check = m_verdicts->of(bus);
    for (std::size_t i = 0; check != nullptr && i < check->rules.size(); ++i) {
      if (toQString(check->rules[i].rule) == rule && toQString(check->rules[i].book) == book) {
        m_checks->pick(bus, check->rules[i]);
        m_lower->show(*m_checks);
      }
    }
  });
  connect(m_verdicts, &Verdicts::changed, this, &MainWindow::updateStatus);
  connect(m_navigator, &Navigator::findingShown, m_findings, &FindingsPage::pick);
  connect(m_devices, &DevicesPage::sheetsWanted, this, [this] {
    if (m_engine->busCount() > 0)
      m_buses->toggleSettings(m_focus->selection().valid() ? m_focus->selection().stream.bus : m_engine->bus(0).id);
    else
      m_buses->askForProtocol();
  });
  connect(&m_bytes->view(), &BytesView::said, m_notice, &NoticeBar::showNote);
  connect(m_ledgers, &LedgerArea::noteWanted, m_markers, &MarkersPanel::startNote);
  connect(m_focus, &Focus::cursorChanged, this, &MainWindow::updateCursor);
  connect(m_session, &SessionModel::changed, this, [this](const SessionChange& change) {
    if (change.markers)
      updateStatus();
  });
  connect(&m_session->steps(), &QUndoStack::indexChanged, this, &MainWindow::updateSteps);
  connect(m_timeline, &TimelineView::settingsWanted, m_buses, &BusPanel::toggleSettings);
}

void MainWindow::updateTitle()
{
  const bool named = !m_keeper->path().isEmpty();
  const QString name = QFileInfo(named ? m_keeper->path() : m_engine->path()).fileName();
  const bool modified = m_keeper->isModified();
  const QString shown = modified                                   ? tr("%1 · not saved").arg(name)
                        : named && !m_keeper->readOnly().isEmpty() ? tr("%1 · to look at only").arg(name)
                                                                   : name;
  setWindowTitle(name.isEmpty() ? tr("Bexto") : tr("%1 – Bexto").arg(shown));
  m_fileName->setText(shown);
  setInk(*m_fileName, Ink::Muted);
}

/// A step is taken where it can be seen: of a marker in another segment, there.
void MainWindow::takeStep(bool back)
{
  const std::vector<Marker> before = m_session->value().markers;
  back ? m_session->undo() : m_session->redo();
  const SegmentId where = whereMarkersDiffer(before, m_session->value().markers);
  const std::vector<Segment>& segments = m_engine->segments();
  for (std::size_t i = 0; where != SegmentId::None && i < segments.size(); ++i) {
    if (segments[i].id == where)
      m_engine->showSegment(i);
  }
}

/// The menu says what a step back would undo.
void MainWindow::updateSteps()
{
  const QUndoStack& steps = m_session->steps();
  m_undo->setText(steps.canUndo() ? tr("Undo: %1").arg(steps.undoText()) : tr("Undo"));
  m_undo->setEnabled(steps.canUndo());
  m_redo->setText(steps.canRedo() ? tr("Redo: %1").arg(steps.redoText()) : tr("Redo"));
  m_redo->setEnabled(steps.canRedo());
}

void MainWindow::updateCursor()
{
  const auto cursor = m_focus->cursor();
  m_cursorLabel->setText(cursor ? toQString(momentText(*cursor, 9)) + QStringLiteral(" s") : QString());
}

QString MainWindow::markerText() const
{
  // The last two that were dropped: what one usually measures.
  const std::vector<Marker>& markers = m_session->markers();
  if (markers.empty())
    return {};
  const auto place = [](const Marker& m) {
    return m.edge.empty() ? QString() : QStringLiteral(" (%1)").arg(toQString(m.edge));
  };
  const Marker& last = markers.back();
  if (markers.size() == 1)
    return toQString(last.name) + QLatin1Char(' ') + toQString(momentText(last.time, 9)) + QStringLiteral(" s") +
           place(last);
  const Marker& before = markers[markers.size() - 2];
  const Picoseconds between = last.time - before.time;
  const double seconds = std::abs(toSeconds(between));
  return tr("%1%2 → %3%4  %5  %6")
      .arg(toQString(before.name), place(before), toQString(last.name), place(last), toQString(lengthText(between)),
           toQString(frequencyText(seconds > 0.0 ? 1.0 / seconds : 0.0)));
}

void MainWindow::updateStatus()
{
  updateCursor();
  m_markerLabel->setText(markerText());
  setInk(*m_markerLabel, Ink::Address);
  std::uint64_t faults = 0;
  for (int i = 0; i < m_engine->busCount(); ++i)
    faults += m_engine->bus(i).faultCount();
  QStringList wrong;
  if (faults > 0)
    wrong << countOf(faults, {"▲ {} frame with a fault", "▲ {} frames with a fault"});
  if (const std::size_t findings = m_verdicts->findings().size(); findings > 0)
    wrong << countOf(findings, {"{} finding", "{} findings"});
  m_faultLabel->setText(wrong.join(QStringLiteral(" · ")));
  setInk(*m_faultLabel, Ink::Fault);
  m_workLabel->setText(!m_engine->capture() ? QString()
                       : m_engine->isLive() ? tr("● growing, %1").arg(toQString(lengthText(m_engine->whole().end)))
                       : m_engine->isDecoding()    ? tr("decoding …")
                       : m_engine->busCount() == 0 ? QString()
                                                   : tr("decoded"));
  setInk(*m_workLabel, Ink::Muted);
}

void MainWindow::updateStart()
{
  if (m_engine->capture())
    return;  // nobody sees it
  m_start->showFiles(memory::recentFiles());
  m_start->showUnsaved(m_keeper->left());
}

void MainWindow::offerDemo(std::function<SessionFile()> make)
{
  m_opener->offerDemo(std::move(make));
  m_group = m_menu;
  QAction* const action = add(tr("Try the lock cycle"), QKeySequence(), false, [this] { m_opener->openDemo(); });
  m_menu->insertAction(m_recent->menuAction(), action);
  m_start->offerDemo();
}

void MainWindow::exportLedger(const QString& path)
{
  m_output->write(path, ListOutput::What::Shown);
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event)
{
  Opener::takes(*event);
}

void MainWindow::dragMoveEvent(QDragMoveEvent* event)
{
  Opener::takes(*event);
}

void MainWindow::dropEvent(QDropEvent* event)
{
  m_opener->drop(*event);
}

}  // namespace bexto::ui
