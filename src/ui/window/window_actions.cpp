// What can be done in the window: its actions with their keys, and what the command box offers.
#include <QAction>
#include <QActionGroup>
#include <QFileInfo>
#include <QMenu>
#include <QTreeWidget>

#include "core/base/number_text.h"
#include "core/base/time_text.h"
#include "core/decode/protocol.h"
#include "core/decode/sentence.h"
#include "core/device/bus_devices.h"
#include "core/device/value_series.h"
#include "ui/bench/bench_panel.h"
#include "ui/buses/bus_panel.h"
#include "ui/bytes/bytes_view.h"
#include "ui/command/command_box.h"
#include "ui/devices/devices_page.h"
#include "ui/ledger/ledger_area.h"
#include "ui/ledger/ledger_header.h"
#include "ui/markers/markers_panel.h"
#include "ui/segments/segment_row.h"
#include "ui/theme/theme.h"
#include "ui/timeline/timeline_view.h"
#include "ui/window/list_output.h"
#include "ui/window/lower_area.h"
#include "ui/window/main_window.h"
#include "ui/window/navigator.h"
#include "ui/window/notice_bar.h"
#include "ui/window/opener.h"
#include "ui/window/setups.h"
#include "ui/window/shortcuts_dialog.h"
#include "ui/window/window_memory.h"

namespace bexto::ui {

QAction* MainWindow::add(const QString& text, const QKeySequence& key, bool needsCapture,
                         const std::function<void()>& slot)
{
  auto* action = new QAction(text, this);
  action->setShortcut(key);
  connect(action, &QAction::triggered, this, slot);
  addAction(action);
  m_group->addAction(action);
  action->setEnabled(!needsCapture);
  if (needsCapture)
    m_needCapture << action;
  return action;
}

void MainWindow::makeActions()
{
  m_group = m_menu;
  add(tr("Open a capture …"), QKeySequence(Qt::CTRL | Qt::Key_O), false,
      [this] { m_opener->askForCapture(m_engine->path()); });
  add(tr("Follow a growing capture …"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_O), false,
      [this] { m_opener->askForGrowingCapture(m_engine->path()); });
  add(tr("Stop recording, or following a file"), QKeySequence(Qt::CTRL | Qt::Key_Period), false,
      [this] { m_engine->source().end(); });
  addCaptureActions();
  m_recent = m_menu->addMenu(tr("Opened before"));
  m_left = m_menu->addMenu(tr("Left unsaved"));
  connect(m_left, &QMenu::aboutToShow, this, &MainWindow::updateLeft);
  m_menu->addSeparator();
  m_save = add(tr("Save the session"), QKeySequence(Qt::CTRL | Qt::Key_S), true, [this] { save(); });
  add(tr("Save the session as …"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_S), true, [this] { askForName(); });
  add(tr("About this session …"), QKeySequence(), true, [this] { askForAbout(); });
  add(tr("Add a capture to this session …"), QKeySequence(), true, [this] {
    if (m_engine->source().isLive())
      m_notice->showNote(tr("A capture grows; end that first (Ctrl+.)."));
    else
      m_opener->askForSegment(m_engine->path());
  });
  m_menu->addSeparator();
  add(tr("Add a bus …"), QKeySequence(Qt::Key_A), true, [this] { m_buses->askForProtocol(); });
  add(tr("Keep the buses as a set-up …"), QKeySequence(), true, [this] { m_setups->askToKeep(); });
  add(tr("Put a set-up on …"), QKeySequence(), true, [this] { m_setups->askToPutOn(); });
  m_undo = add(tr("Undo"), QKeySequence(Qt::CTRL | Qt::Key_Z), false, [this] { takeStep(true); });
  m_redo = add(tr("Redo"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Z), false, [this] { takeStep(false); });
  m_menu->addSeparator();
  add(tr("Command box"), QKeySequence(Qt::CTRL | Qt::Key_K), false, [this] { m_commandBox->open(); });
  addOutputActions();
  addListActions();
  addFindActions();
  addMarkerActions();
  addPlaceActions();
  m_group = m_menu;
  m_menu->addSeparator();
  QMenu* look = m_menu->addMenu(tr("Look"));
  auto* group = new QActionGroup(this);
  const std::array<std::pair<QString, ThemeMode>, 3> modes{
      {{tr("As the system"), ThemeMode::System}, {tr("Light"), ThemeMode::Light}, {tr("Dark"), ThemeMode::Dark}}};
  for (const auto& [text, mode] : modes) {
    QAction* action = look->addAction(text, this, [mode = mode] {
      theme().apply(mode);
      memory::setThemeMode(mode);
    });
    action->setCheckable(true);
    action->setChecked(mode == theme().mode());
    group->addAction(action);
  }
  look->addSeparator();
  QAction* contrast = look->addAction(tr("Strong contrast"), this, [](bool wanted) {
    theme().setHighContrast(wanted);
    memory::setHighContrast(wanted);
  });
  contrast->setCheckable(true);
  contrast->setChecked(theme().isHighContrast());
  QMenu* sizes = look->addMenu(tr("Size of text"));
  auto* sizeGroup = new QActionGroup(this);
  for (const int percent : {0, 100, 125, 150, 200}) {
    QAction* action = sizes->addAction(percent == 0 ? tr("As the system") : tr("%1 %").arg(percent), this, [percent] {
      theme().setTextSize(percent);
      memory::setTextSize(percent);
    });
    action->setCheckable(true);
    action->setChecked(percent == theme().textSize());
    sizeGroup->addAction(action);
  }
  QMenu* cache = m_menu->addMenu(tr("Memory for recordings"));
  cache->setToolTipsVisible(true);
  auto* cacheGroup = new QActionGroup(this);
  for (const int megabytes : {128, 256, 512, 1024, 2048, 4096}) {
    const QString text = megabytes < 1024 ? tr("%1 MB").arg(megabytes) : tr("%1 GB").arg(megabytes / 1024);
    QAction* action = cache->addAction(text, this, [megabytes] { memory::setCacheMegabytes(megabytes); });
    action->setToolTip(tr("How much of a session file is held in memory at most; what was recorded may be larger"));
    action->setCheckable(true);
    action->setChecked(megabytes == memory::cacheMegabytes());
    cacheGroup->addAction(action);
  }
  add(tr("The filter language"), QKeySequence(Qt::Key_F1), false, [this] { FilterHelpDialog(this).exec(); });
  add(tr("All shortcuts"), QKeySequence(QStringLiteral("?")), false,
      [this] { ShortcutsDialog(actions(), this).exec(); });
}

/// In the menu of the button Record, and in the window's.
void MainWindow::addCaptureActions()
{
  const auto both = [this](const QString& text, const QKeySequence& key, const std::function<void()>& slot) {
    m_capture->addAction(add(text, key, false, slot));
  };
  both(tr("Record"), QKeySequence(Qt::CTRL | Qt::Key_R), [this] { m_bench->record(); });
  both(tr("The last capture again"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_R), [this] { captureAgain(); });
  both(tr("The Bench: what is captured, and what starts it"), QKeySequence(Qt::CTRL | Qt::Key_B), [this] {
    m_bench->setOpen(!m_bench->isOpen());
    if (m_bench->isOpen())
      m_bench->focusSource();
  });
}

void MainWindow::addOutputActions()
{
  m_group = m_menu->addMenu(tr("Export and print"));
  add(tr("Export the list as shown …"), QKeySequence(Qt::CTRL | Qt::Key_E), true,
      [this] { m_output->askForExport(ListOutput::What::Shown); });
  add(tr("Export the whole list …"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_E), true,
      [this] { m_output->askForExport(ListOutput::What::All); });
  add(tr("Print the list …"), QKeySequence(Qt::CTRL | Qt::Key_P), true, [this] { m_output->print(); });
  add(tr("Print preview"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_P), true, [this] { m_output->preview(); });
}

void MainWindow::addListActions()
{
  m_group = m_menu->addMenu(tr("Lists and views"));
  for (std::size_t i = 0; i < m_lower->pages().size(); ++i) {
    LowerPage* const page = m_lower->pages()[i];
    add(tr("Go to the %1").arg(page->title()), QKeySequence(Qt::Key_1 + static_cast<int>(i)), true,
        [this, page] { m_lower->show(*page); });
  }
  add(tr("Go to the Timeline"), QKeySequence(Qt::Key_T), true, [this] { m_timeline->setFocus(); });
  add(tr("Plot the value picked in the Devices, or no longer"), QKeySequence(Qt::Key_P), true,
      [this] { m_devices->isVisible() ? m_devices->togglePlot() : m_lower->show(*m_devices); });
  add(tr("Find a channel"), QKeySequence(Qt::Key_L), true, [this] { m_timeline->findChannel(); });
  add(tr("Fold all wires away, or show them"), QKeySequence(Qt::Key_W), true,
      [this] { m_timeline->heads().toggleWires(); });
  add(tr("Go to the markers"), QKeySequence(Qt::CTRL | Qt::Key_M), true, [this] { m_markers->list().setFocus(); });
  add(tr("Open all lines"), QKeySequence(Qt::Key_O), true, [this] { m_ledgers->setForm(LedgerForm::Opened, 16); });
  add(tr("Close all lines"), QKeySequence(Qt::SHIFT | Qt::Key_O), true,
      [this] { m_ledgers->setForm(LedgerForm::Sentences, 16); });
  add(tr("Payload only, 16 bytes a line"), QKeySequence(Qt::Key_B), true,
      [this] { m_ledgers->setForm(LedgerForm::Bytes, 16); });
  add(tr("Another Ledger beside"), QKeySequence(Qt::CTRL | Qt::Key_L), true, [this] { m_ledgers->addBeside(); });
  add(tr("Close the Ledger beside"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_L), true,
      [this] { m_ledgers->closePane(m_ledgers->paneCount() - 1); });
  add(tr("Link or unlink the scrolling"), QKeySequence(), true,
      [this] { m_ledgers->setLinked(!m_ledgers->isLinked()); });
  add(tr("Columns and times …"), QKeySequence(Qt::Key_C), true, [this] {
    m_ledgers->active().showHeaderMenu({24, 24});
  });
  add(tr("Follow the newest line, or hold"), QKeySequence(Qt::Key_Space), true,
      [this] { m_ledgers->setFollowing(!m_ledgers->first().isFollowing()); });
}

void MainWindow::addFindActions()
{
  m_group = m_menu->addMenu(tr("Filter and find"));
  add(tr("Filter"), QKeySequence(Qt::Key_F), true, [this] {
    m_lower->show(*m_ledgers);
    m_ledgers->bar().filterEdit().setFocus();
  });
  add(tr("Lift or restore the filter"), QKeySequence(Qt::SHIFT | Qt::Key_F), true, [this] {
    Lookup& filter = m_ledgers->filter();
    filter.setAllOff(!filter.isIdle());
  });
  add(tr("Search"), QKeySequence(Qt::Key_Slash), true, [this] {
    m_lower->show(*m_ledgers);
    m_ledgers->bar().searchEdit().setFocus();
  });
  add(tr("Next match"), QKeySequence(Qt::Key_Period), true, [this] { m_ledgers->findNext(true); });
  add(tr("Previous match"), QKeySequence(Qt::Key_Comma), true, [this] { m_ledgers->findNext(false); });
  add(tr("Next fault"), QKeySequence(Qt::Key_N), true, [this] { m_navigator->goToFault(true); });
  add(tr("Previous fault"), QKeySequence(Qt::SHIFT | Qt::Key_N), true, [this] { m_navigator->goToFault(false); });
  const auto alike = [this](const QString& text, const QKeySequence& key, bool byName, bool forward) {
    add(text, key, true, [this, byName, forward] { m_navigator->goToAlike(byName, forward); });
  };
  alike(tr("Next of the same address or identifier"), QKeySequence(Qt::CTRL | Qt::Key_Down), true, true);
  alike(tr("Previous of the same address or identifier"), QKeySequence(Qt::CTRL | Qt::Key_Up), true, false);
  alike(tr("Next of the same kind"), QKeySequence(Qt::CTRL | Qt::ALT | Qt::Key_Down), false, true);
  alike(tr("Previous of the same kind"), QKeySequence(Qt::CTRL | Qt::ALT | Qt::Key_Up), false, false);
  add(tr("From a message to its parts, or back"), QKeySequence(Qt::SHIFT | Qt::Key_R), true,
      [this] { m_navigator->goToKin(); });
  add(tr("From request to answer, or back"), QKeySequence(Qt::Key_R), true, [this] { m_navigator->goToPartner(); });
}

void MainWindow::addMarkerActions()
{
  m_group = m_menu->addMenu(tr("Markers and notes"));
  add(tr("Drop a marker"), QKeySequence(Qt::Key_M), true, [this] { m_timeline->dropMarker(); });
  add(tr("Remove all markers"), QKeySequence(Qt::SHIFT | Qt::Key_M), true, [this] { m_session->clearMarkers(); });
  add(tr("Note on the selected line"), QKeySequence(Qt::Key_K), true, [this] { m_markers->startNote(); });
}

void MainWindow::addPlaceActions()
{
  m_group = m_menu->addMenu(tr("Zoom and places"));
  add(tr("Show everything"), QKeySequence(Qt::Key_0), true, [this] { m_focus->showEverything(); });
  add(tr("Zoom to the selection"), QKeySequence(Qt::Key_Z), true, [this] { m_focus->zoomToSelection(); });
  add(tr("Segment before"), QKeySequence(Qt::CTRL | Qt::Key_BracketLeft), true, [this] { m_segments->walk(-1); });
  add(tr("Next segment"), QKeySequence(Qt::CTRL | Qt::Key_BracketRight), true, [this] { m_segments->walk(1); });
  add(tr("Back"), QKeySequence(Qt::ALT | Qt::Key_Left), true, [this] { m_focus->goBack(); });
  add(tr("Forward"), QKeySequence(Qt::ALT | Qt::Key_Right), true, [this] { m_focus->goForward(); });
}

void MainWindow::updateRecent()
{
  m_recent->clear();
  for (const QString& path : memory::recentFiles())
    m_recent->addAction(QFileInfo(path).fileName(), this, [this, path] { openCapture(path); })->setToolTip(path);
  m_recent->setEnabled(!m_recent->isEmpty());
}

/// Every value that a device of the bus has as a number.
void MainWindow::addPlotCommands(std::vector<Command>& commands, const BusView& bus)
{
  const auto devices = std::dynamic_pointer_cast<const BusDevices>(describerOf(bus.wanted));
  if (!devices)
    return;
  const std::vector<Plot>& plots = m_session->value().plots;
  for (const DeviceValue& value : numericValues(*devices)) {
    const Plot plot{bus.id, value};
    const bool isPlotted = std::any_of(plots.begin(), plots.end(), [&](const Plot& p) { return p.isSame(plot); });
    const QString part =
        value.subject == value.value ? QString() : toQString(shownName(value.subject)) + QLatin1Char(' ');
    const QString name = tr("%1%2 of %3").arg(part, toQString(shownName(value.value)), toQString(value.device));
    commands.push_back(
        {isPlotted ? tr("Remove the plot of %1").arg(name) : tr("Plot %1").arg(name),
         tr("action"),
         {},
         [this, plot, isPlotted] { isPlotted ? m_session->removePlot(plot) : m_session->addPlot(plot); }});
  }
}

std::vector<Command> MainWindow::commandsFor(const QString& typed)
{
  std::vector<Command> commands = m_navigator->commandsFor(typed);
  for (QAction* action : actions()) {
    if (action->isEnabled() && action->text() != tr("Command box"))
      commands.push_back({action->text(), tr("action"), action->shortcut().toString(QKeySequence::NativeText),
                          [action] { action->trigger(); }});
  }
  const std::array<std::pair<QString, ThemeMode>, 3> modes{{{tr("Look as the system"), ThemeMode::System},
                                                            {tr("Look light"), ThemeMode::Light},
                                                            {tr("Look dark"), ThemeMode::Dark}}};
  for (const auto& [text, mode] : modes)
    commands.push_back({text, tr("action"), {}, [mode = mode] {
                          theme().apply(mode);
                          memory::setThemeMode(mode);
                        }});
  for (const Protocol* protocol : protocols()) {
    if (m_engine->capture())
      commands.push_back({tr("Add a bus, %1").arg(toQString(protocol->label())), tr("action"), {}, [this, protocol] {
                            m_buses->addBus(*protocol);
                          }});
  }
  for (int b = 0; b < m_engine->busCount(); ++b) {
    const QString name = toQString(m_engine->bus(b).wanted.name);
    commands.push_back({tr("%1, its settings").arg(name), tr("bus"), {}, [this, id = m_engine->bus(b).id] {
                          if (m_engine->find(id) != nullptr)
                            m_buses->toggleSettings(id);
                        }});
    addPlotCommands(commands, m_engine->bus(b));
    commands.push_back({tr("%1 only").arg(name), tr("bus"), {}, [this, name] {
                          m_ledgers->bar().addTerm(
                              QStringLiteral("bus:") + toQString(quotedForQuery(name.toStdString())), false);
                        }});
  }
  for (const Marker& marker : m_session->markers()) {
    const QString name = toQString(marker.name);
    const QString note = toQString(marker.note);
    const QString text = note.isEmpty() ? tr("Marker %1").arg(name) : tr("Marker %1, %2").arg(name, note);
    commands.push_back({text, tr("marker"), {}, [this, t = marker.time] { m_navigator->goToTime(t); }});
    commands.push_back({tr("Times since marker %1").arg(name), tr("marker"), {}, [this, id = marker.id] {
                          m_ledgers->active().setZero(TimeZero::Marker, id);
                        }});
  }
  commands.push_back({tr("Times since the capture's start"), tr("action"), {}, [this] {
                        m_ledgers->active().setZero(TimeZero::Start);
                      }});
  commands.push_back({tr("Times since the line before"), tr("action"), {}, [this] {
                        m_ledgers->active().setZero(TimeZero::Previous);
                      }});
  for (const QString& filter : FilterBar::history())
    commands.push_back({filter, tr("filter"), {}, [this, filter] { m_ledgers->filter().setText(filter); }});
  for (const QString& path : memory::recentFiles())
    commands.push_back(
        {tr("Open %1").arg(QFileInfo(path).fileName()), tr("file"), {}, [this, path] { openCapture(path); }});
  return commands;
}

}  // namespace bexto::ui
