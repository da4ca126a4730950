#include "ui/window/main_window.h"

#include <QAction>
#include <QActionGroup>
#include <QDialog>
#include <QDialogButtonBox>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QMimeData>
#include <QPushButton>
#include <QSplitter>
#include <QStackedWidget>
#include <QToolButton>

#include "core/base/number_text.h"
#include "core/base/time_text.h"
#include "core/io/ledger_export.h"
#include "ui/anatomy/anatomy_panel.h"
#include "ui/buses/bus_panel.h"
#include "ui/ledger/ledger_area.h"
#include "ui/ledger/ledger_header.h"
#include "ui/overview/overview_strip.h"
#include "ui/theme/theme.h"
#include "ui/timeline/timeline_view.h"
#include "ui/window/notice_bar.h"
#include "ui/window/start_page.h"

namespace bexto::ui {

namespace {

/// A strip of the frame around the views: panel-coloured, with a hairline on one side.
QWidget* makeStrip(int height)
{
  auto* strip = new QWidget;
  strip->setFixedHeight(height);
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

void colourLabel(QLabel* label, const QColor& colour)
{
  label->setStyleSheet(QStringLiteral("color: %1;").arg(colour.name()));
}

}  // namespace

MainWindow::MainWindow(QWidget* parent)
    : QMainWindow(parent),
      m_document(new Document(this)),
      m_focus(new Focus(*m_document, this)),
      m_export(new Job(this))
{
  setAcceptDrops(true);
  resize(1280, 800);
  makeActions();
  m_overview = new OverviewStrip(*m_document, *m_focus);
  m_buses = new BusPanel(*m_document, *m_focus);
  m_timeline = new TimelineView(*m_document, *m_focus);
  m_ledgers = new LedgerArea(*m_document, *m_focus);
  m_anatomy = new AnatomyPanel(*m_document, *m_focus);
  m_notice = new NoticeBar;

  auto* middle = new QSplitter(Qt::Vertical);
  middle->setHandleWidth(1);
  middle->setChildrenCollapsible(false);
  middle->addWidget(m_timeline);
  middle->addWidget(m_ledgers);
  middle->setSizes({300, 360});
  auto* columns = new QSplitter(Qt::Horizontal);
  columns->setHandleWidth(1);
  columns->setChildrenCollapsible(false);
  columns->addWidget(m_buses);
  columns->addWidget(middle);
  columns->addWidget(m_anatomy);
  columns->setSizes({216, 772, 292});
  columns->setStretchFactor(1, 1);

  m_pages = new QStackedWidget;
  auto* start = new StartPage;
  connect(start, &StartPage::openWanted, this, &MainWindow::askForCapture);
  m_pages->addWidget(start);
  m_pages->addWidget(columns);

  auto* central = new QWidget;
  auto* column = new QVBoxLayout(central);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(makeTopBar());
  column->addWidget(makeHairline());
  column->addWidget(m_notice);
  column->addWidget(m_overview);
  m_overview->hide();  // nothing to look over yet
  column->addWidget(m_pages, 1);
  column->addWidget(makeHairline());
  column->addWidget(makeStatusLine());
  setCentralWidget(central);
  connectDocument();
  updateTitle();
  updateStatus();
}

MainWindow::~MainWindow() = default;

QWidget* MainWindow::makeTopBar()
{
  QWidget* bar = makeStrip(44);
  auto* row = new QHBoxLayout(bar);
  row->setContentsMargins(12, 0, 12, 0);
  row->setSpacing(8);
  auto* open = new QPushButton(tr("Open …"));
  open->setProperty("primary", true);
  open->setObjectName(QStringLiteral("open"));
  connect(open, &QPushButton::clicked, this, &MainWindow::askForCapture);
  m_fileName = new QLabel;
  m_fileName->setContentsMargins(8, 0, 0, 0);
  auto* exportButton = new QPushButton(tr("Export list …"));
  exportButton->setObjectName(QStringLiteral("export"));
  connect(exportButton, &QPushButton::clicked, this, &MainWindow::askForExport);
  connect(m_document, &Document::captureChanged, exportButton, [exportButton] { exportButton->setEnabled(true); });
  exportButton->setEnabled(false);
  auto* more = new QToolButton;
  more->setText(QStringLiteral("⋯"));
  more->setAccessibleName(tr("More"));
  more->setProperty("flat", true);
  more->setPopupMode(QToolButton::InstantPopup);
  more->setMenu(m_menu);
  row->addWidget(open);
  row->addWidget(m_fileName);
  row->addStretch();
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
  m_cursorLabel->setFont(theme().data(12));
  m_cursorLabel->setMinimumWidth(150);
  m_markerLabel = new QLabel;
  m_markerLabel->setFont(theme().data(12));
  m_markerLabel->setObjectName(QStringLiteral("markers"));
  m_faultLabel = new QLabel;
  m_faultLabel->setFont(theme().words(12));
  m_workLabel = new QLabel;
  m_workLabel->setFont(theme().words(12));
  row->addWidget(m_cursorLabel);
  row->addWidget(m_markerLabel);
  row->addStretch();
  row->addWidget(m_faultLabel);
  row->addStretch();
  row->addWidget(m_workLabel);
  return bar;
}

void MainWindow::makeActions()
{
  m_menu = new QMenu(this);
  const auto add = [this](const QString& text, const QKeySequence& key, bool needsCapture, auto slot) {
    auto* action = new QAction(text, this);
    action->setShortcut(key);
    connect(action, &QAction::triggered, this, slot);
    addAction(action);
    m_menu->addAction(action);
    action->setEnabled(!needsCapture);
    if (needsCapture)
      m_needCapture << action;
    return action;
  };
  add(tr("Open a capture …"), QKeySequence(Qt::CTRL | Qt::Key_O), false, [this] { askForCapture(); });
  add(tr("Export the list …"), QKeySequence(Qt::CTRL | Qt::Key_E), true, [this] { askForExport(); });
  m_menu->addSeparator();
  add(tr("Next fault"), QKeySequence(Qt::Key_N), true, [this] {
    if (!m_focus->selectFault(true))
      m_notice->showNote(tr("No fault after this place."));
  });
  add(tr("Previous fault"), QKeySequence(Qt::SHIFT | Qt::Key_N), true, [this] {
    if (!m_focus->selectFault(false))
      m_notice->showNote(tr("No fault before this place."));
  });
  add(tr("Filter"), QKeySequence(Qt::Key_F), true, [this] { m_ledgers->bar().filterEdit().setFocus(); });
  add(tr("Search"), QKeySequence(Qt::Key_Slash), true, [this] { m_ledgers->bar().searchEdit().setFocus(); });
  add(tr("Next match"), QKeySequence(Qt::Key_Period), true, [this] { m_ledgers->findNext(true); });
  add(tr("Previous match"), QKeySequence(Qt::Key_Comma), true, [this] { m_ledgers->findNext(false); });
  add(tr("Drop a marker"), QKeySequence(Qt::Key_M), true, [this] { m_timeline->dropMarker(); });
  add(tr("Remove markers"), QKeySequence(Qt::SHIFT | Qt::Key_M), true, [this] { m_focus->clearMarkers(); });
  add(tr("Show everything"), QKeySequence(Qt::Key_0), true, [this] { m_focus->zoomTo(m_document->whole()); });
  add(tr("Zoom to the selection"), QKeySequence(Qt::Key_Z), true, [this] { m_focus->zoomToSelection(); });
  add(tr("Back"), QKeySequence(Qt::ALT | Qt::Key_Left), true, [this] { m_focus->goBack(); });
  add(tr("Forward"), QKeySequence(Qt::ALT | Qt::Key_Right), true, [this] { m_focus->goForward(); });
  add(tr("Go to the Ledger"), QKeySequence(Qt::Key_1), true, [this] { m_ledgers->active().setFocus(); });
  add(tr("Go to the Timeline"), QKeySequence(Qt::Key_T), true, [this] { m_timeline->setFocus(); });
  m_menu->addSeparator();
  QMenu* look = m_menu->addMenu(tr("Look"));
  auto* group = new QActionGroup(this);
  const std::array<std::pair<QString, ThemeMode>, 3> modes{
      {{tr("As the system"), ThemeMode::System}, {tr("Light"), ThemeMode::Light}, {tr("Dark"), ThemeMode::Dark}}};
  for (const auto& [text, mode] : modes) {
    QAction* action = look->addAction(text, this, [mode = mode] { theme().apply(mode); });
    action->setCheckable(true);
    action->setChecked(mode == theme().mode());
    group->addAction(action);
  }
  add(tr("All shortcuts"), QKeySequence(QStringLiteral("?")), false, [this] { showShortcuts(); });
}

void MainWindow::connectDocument()
{
  connect(m_document, &Document::openingStarted, this,
          [this] { m_notice->showProgress(tr("Opening %1").arg(QFileInfo(m_document->openingPath()).fileName())); });
  connect(m_document, &Document::openingProgressed, m_notice, &NoticeBar::setProgress);
  connect(m_document, &Document::openingFailed, m_notice, &NoticeBar::showError);
  connect(m_document, &Document::openingCancelled, this, [this] { m_notice->showNote(tr("Opening was cancelled.")); });
  connect(m_document, &Document::captureChanged, this, [this] {
    m_notice->hide();
    m_overview->show();
    m_pages->setCurrentIndex(1);
    for (QAction* action : m_needCapture)
      action->setEnabled(true);
    if (!m_document->capture()->notes.empty())
      m_notice->showNote(toQString(m_document->capture()->notes.front()));
    updateTitle();
    updateStatus();
    m_ledgers->active().setFocus();
  });
  connect(m_document, &Document::busChanged, this, &MainWindow::updateStatus);
  connect(m_document, &Document::busListChanged, this, &MainWindow::updateStatus);
  connect(m_notice, &NoticeBar::cancelWanted, this, [this] {
    if (m_export->isRunning()) {
      m_export->cancel();
      m_notice->showNote(tr("The export was cancelled; nothing was written."));
    } else {
      m_document->cancelOpening();
    }
  });
  connect(m_export, &Job::progressed, m_notice, &NoticeBar::setProgress);
  connect(m_focus, &Focus::cursorChanged, this, &MainWindow::updateCursor);
  connect(m_focus, &Focus::markersChanged, this, &MainWindow::updateStatus);
  connect(m_timeline, &TimelineView::settingsWanted, m_buses, &BusPanel::toggleSettings);
  connect(&theme(), &Theme::changed, this, &MainWindow::updateStatus);
}

void MainWindow::updateTitle()
{
  const QString name = QFileInfo(m_document->path()).fileName();
  setWindowTitle(name.isEmpty() ? tr("Bexto") : tr("%1 – Bexto").arg(name));
  m_fileName->setText(name);
  colourLabel(m_fileName, theme().colours().muted);
}

void MainWindow::updateCursor()
{
  const auto cursor = m_focus->cursor();
  m_cursorLabel->setText(cursor ? toQString(momentText(*cursor, 9)) + QStringLiteral(" s") : QString());
}

QString MainWindow::markerText() const
{
  // The last two that were dropped: what one usually measures.
  const std::vector<Marker>& markers = m_focus->markers();
  if (markers.empty())
    return {};
  const auto place = [](const Marker& m) { return m.edge.isEmpty() ? QString() : QStringLiteral(" (%1)").arg(m.edge); };
  const Marker& last = markers.back();
  if (markers.size() == 1)
    return last.name + QLatin1Char(' ') + toQString(momentText(last.time, 9)) + QStringLiteral(" s") + place(last);
  const Marker& before = markers[markers.size() - 2];
  const Picoseconds between = last.time - before.time;
  const double seconds = std::abs(toSeconds(between));
  return tr("%1%2 → %3%4  %5  %6")
      .arg(before.name, place(before), last.name, place(last), toQString(lengthText(between)),
           toQString(frequencyText(seconds > 0.0 ? 1.0 / seconds : 0.0)));
}

void MainWindow::updateStatus()
{
  const Palette& c = theme().colours();
  updateCursor();
  m_markerLabel->setText(markerText());
  colourLabel(m_markerLabel, c.address);
  std::uint64_t faults = 0;
  for (int i = 0; i < m_document->busCount(); ++i)
    faults += m_document->bus(i).faultCount();
  m_faultLabel->setText(faults == 0 ? QString()
                                    : QStringLiteral("▲ ") + toQString(countOf(faults, "frame")) + tr(" with a fault"));
  colourLabel(m_faultLabel, c.fault);
  m_workLabel->setText(!m_document->capture()     ? QString()
                       : m_document->isDecoding() ? tr("decoding …")
                                                  : tr("decoded"));
  colourLabel(m_workLabel, c.muted);
}

void MainWindow::askForCapture()
{
  const QString path = QFileDialog::getOpenFileName(this, tr("Open a capture"), QFileInfo(m_document->path()).path(),
                                                    tr("Value change dumps (*.vcd);;All files (*)"));
  if (!path.isEmpty())
    openCapture(path);
}

void MainWindow::askForExport()
{
  if (!m_document->capture())
    return;
  const QFileInfo file(m_document->path());
  const QString path = QFileDialog::getSaveFileName(
      this, tr("Export the list"), file.path() + QLatin1Char('/') + file.completeBaseName() + QStringLiteral(".csv"),
      tr("Comma-separated values (*.csv);;Text in columns (*.txt);;JSON lines (*.jsonl);;Workbook (*.xlsx)"));
  if (!path.isEmpty())
    exportLedger(path);
}

void MainWindow::exportLedger(const QString& path)
{
  if (QFileInfo(path).canonicalFilePath() == QFileInfo(m_document->path()).canonicalFilePath() &&
      QFileInfo::exists(path)) {
    m_notice->showError(tr("%1: this is the capture itself; choose another name").arg(path));
    return;
  }
  const ListFormat format = listFormatOf(path.toLower().toStdString()).value_or(ListFormat::Csv);
  m_notice->showProgress(tr("Exporting to %1").arg(QFileInfo(path).fileName()));
  LedgerList list{m_ledgers->active().rows().lines(), m_ledgers->active().header().columns(),
                  m_ledgers->active().zeroTime().value_or(Picoseconds{0})};
  m_export->start([this, path, format, list](JobRun& run) {
    const auto written = bexto::exportLedger(list, path.toStdString(), format, run.stop(), run);
    const QString text =
        written ? tr("Exported %1 to %2").arg(toQString(countOf(list.lines.rows().size(), "transaction")), path)
                : toQString(written.error().text());
    run.post([this, text, good = written.has_value()] { good ? m_notice->showNote(text) : m_notice->showError(text); });
  });
}

void MainWindow::showShortcuts()
{
  QDialog dialog(this);
  dialog.setWindowTitle(tr("All shortcuts"));
  auto* grid = new QGridLayout(&dialog);
  grid->setHorizontalSpacing(24);
  int row = 0;
  const auto add = [&](const QString& key, const QString& text) {
    auto* label = new QLabel(key);
    label->setFont(theme().data(12));
    grid->addWidget(label, row, 0);
    grid->addWidget(new QLabel(text), row++, 1);
  };
  for (const QAction* action : actions())
    add(action->shortcut().toString(QKeySequence::NativeText), action->text());
  add(tr("Up, Down"), tr("previous and next line or transaction"));
  add(tr("Right, Left"), tr("Ledger: open and close a line; Timeline: pan"));
  add(tr("Return"), tr("zoom to the selection"));
  add(tr("Alt+Up, Alt+Down"), tr("Timeline: walk the lanes; the menu key then says what can be done with one"));
  add(tr("+, −"), tr("Timeline: zoom"));
  add(tr("wheel, drag"), tr("Timeline: zoom at the pointer, pan"));
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close);
  connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
  grid->addWidget(buttons, row, 0, 1, 2);
  dialog.exec();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event)
{
  const QList<QUrl> urls = event->mimeData()->urls();
  if (urls.size() == 1 && urls.front().isLocalFile())
    event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event)
{
  const QList<QUrl> urls = event->mimeData()->urls();
  if (urls.size() == 1 && urls.front().isLocalFile())
    openCapture(urls.front().toLocalFile());
}

}  // namespace bexto::ui
