// Takes the pictures in docs/screenshots from the demo capture: bexto-screenshots CAPTURE FOLDER.
#include <fmt/core.h>

#include <QApplication>
#include <QDir>
#include <QElapsedTimer>
#include <QListWidget>
#include <QScrollBar>
#include <QSettings>
#include <QTemporaryDir>
#include <QTreeView>
#include <QTreeWidget>
#include <algorithm>
#include <array>

#include "bench_shots.h"
#include "core/store/session_recorder.h"
#include "core/store/session_store.h"
#include "demo_buses.h"
#include "rig/lock_cycle.h"
#include "ui/buses/bus_panel.h"
#include "ui/bytes/bytes_view.h"
#include "ui/checks/book_page.h"
#include "ui/checks/checks_page.h"
#include "ui/checks/findings_page.h"
#include "ui/devices/devices_page.h"
#include "ui/devices/sheet_page.h"
#include "ui/ledger/ledger_area.h"
#include "ui/page/yaml_edit.h"
#include "ui/theme/theme.h"
#include "ui/timeline/timeline_view.h"
#include "ui/window/glimpse.h"
#include "ui/window/lower_area.h"
#include "ui/window/main_window.h"
#include "ui/window/window_memory.h"

namespace {

using bexto::ui::MainWindow;
using bexto::ui::Workspace;

void settle(int milliseconds = 150)
{
  QElapsedTimer clock;
  clock.start();
  while (clock.elapsed() < milliseconds)
    QApplication::processEvents(QEventLoop::AllEvents, 10);
}

void waitForWork(MainWindow& window)
{
  settle();
  while (window.engine().isOpening() || window.engine().isDecoding())
    settle(20);
  settle();
}

void selectAt(MainWindow& window, bexto::Picoseconds t, int bus = 0, bool exactly = false)
{
  const auto& frames = window.engine().bus(bus).streams[0].transactions.frames();
  const std::uint64_t frame = frames.lastUpTo(t);
  window.focus().select({{window.engine().bus(bus).id, 0}, frame, exactly ? t : frames.frame(frame).time.begin});
  window.focus().reveal(window.focus().selectedTime());
}

bool take(MainWindow& window, const QDir& folder, const char* name)
{
  settle();
  const bool saved = window.grab().save(folder.filePath(QString::fromLatin1(name)));
  if (!saved)
    fmt::print(stderr, "bexto-screenshots: cannot write {}/{}\n", folder.path().toStdString(), name);
  return saved;
}

/// The forms of the Ledger, Bytes, filter and search, markers, the command box.
bool takeLists(MainWindow& window, const QDir& folder)
{
  using namespace std::chrono_literals;
  auto& ledgers = window.ledgers();
  const auto typeFilter = [&](const char* text) {
    auto& line = ledgers.bar().filterEdit();
    line.setFocus();
    line.setText(QString::fromLatin1(text));
    settle();
  };
  ledgers.search().setText(QStringLiteral("byte0:03"));
  typeFilter("address:2A,5D not write");
  typeFilter("address:2A,5D read");
  selectAt(window, 3209200us);
  window.ledger().setFocus();
  bool good = take(window, folder, "filter.png");
  ledgers.filter().setText({});
  ledgers.search().setText({});
  window.lower().show(window.bytes());
  selectAt(window, 700ms, 3);
  good = good && take(window, folder, "bytes.png");
  window.lower().show(window.ledgers());

  selectAt(window, 3205260us);
  window.session().addNote(window.focus().selection().stream.bus, window.focus().selectedTime().begin,
                           QStringLiteral("given up on"));
  window.session().addMarker(3205000us);
  window.session().addMarker(3209500us);
  window.focus().show({3204800us, 3209800us});
  ledgers.addBeside();
  settle();
  good = good && take(window, folder, "markers.png");
  ledgers.closePane(1);
  window.session().clearMarkers();
  window.ledger().setFocus();
  return good;
}

/// What the port expander last said, with what changed since a marker; a sheet with a mistake.
bool takeDevices(MainWindow& window, const QDir& folder)
{
  using namespace std::chrono_literals;
  window.session().addMarker(3300ms);
  window.lower().show(window.devices());
  selectAt(window, 3500ms);
  // The next that speaks of its outputs.
  const auto& lines = window.engine().bus(0).streams[0].transactions;
  for (std::uint64_t i = lines.firstFrom(3500ms); i < lines.size(); ++i) {
    const auto told = lines.meaning()->told(window.engine().bus(0).shown, lines.frames(), lines.framesOf(i));
    if (told.empty() || told.back().subject != "outputs")
      continue;
    selectAt(window, lines.timeOf(i).end - 1us);
    break;
  }
  settle(400);
  bool good = take(window, folder, "devices.png");
  window.session().clearMarkers();
  window.sheet().edit(window.engine().bus(0).id, QStringLiteral("LT-20.yaml"));
  window.lower().show(window.sheet());
  QString text = window.sheet().text().toPlainText();
  text.replace(QStringLiteral("access: read\n    values"), QStringLiteral("acces: read\n    values"));
  window.sheet().text().setPlainText(text);
  settle(800);
  good = good && take(window, folder, "sheet.png");
  window.lower().show(window.ledgers());
  return good;
}

/// What was measured; what is wrong; and one of the words that came late, on its wires.
bool takeChecks(MainWindow& window, const QDir& folder)
{
  using namespace std::chrono_literals;
  while (window.verdicts().isBusy())
    settle();
  window.lower().show(window.checks());
  const bexto::BusId adc = window.engine().bus(4).id;
  const auto pick = [&](const char* rule) {
    for (const bexto::RuleResult& one : window.verdicts().of(adc)->rules) {
      if (one.rule == rule)
        window.checks().pick(adc, one);
    }
  };
  pick("tSU;MISO");
  selectAt(window, 5665050us, 4);
  window.focus().show({5665047us, 5665065us});
  window.checks().list().scrollTo(window.checks().list().currentIndex(), QAbstractItemView::PositionAtCenter);
  bool good = take(window, folder, "checks.png");
  window.checks().places().setCurrentRow(0);
  Q_EMIT window.checks().places().itemClicked(window.checks().places().item(0));
  good = good && take(window, folder, "interval.png");
  window.focus().clearInterval();
  window.lower().show(window.findings());
  selectAt(window, 5183600us, 5);
  window.focus().show({5183530us, 5183680us});
  QTreeWidget& list = window.findings().list();
  for (int i = 0; i < list.topLevelItemCount(); ++i) {
    if (list.topLevelItem(i)->text(2).contains(QStringLiteral("CRC")))
      list.setCurrentItem(list.topLevelItem(i));
  }
  good = good && take(window, folder, "findings.png");
  return good;
}

/// A rulebook made from the standard's, one limit tighter than there.
bool takeRulebook(MainWindow& window, const QDir& folder)
{
  window.book().begin(window.engine().bus(0).id, QStringLiteral("i2c-fast"));
  window.lower().show(window.book());
  QString text = window.book().text().toPlainText();
  text.replace(QStringLiteral("tSU;STO: {min: 600 ns}"), QStringLiteral("tSU;STO: {min: 1.14 us, clause: our review}"));
  window.book().text().setPlainText(text);
  settle(400);
  while (window.book().isMeasuring())
    settle();
  const bool good = take(window, folder, "rulebook.png");
  window.lower().show(window.ledgers());
  return good;
}

/// The chamber fills while both gates stand still, and the one reading that was stale.
bool takePlots(MainWindow& window, const QDir& folder)
{
  using namespace std::chrono_literals;
  window.timeline().heads().toggleWires();
  const auto idOf = [&](const char* name) {
    for (int i = 0; i < window.engine().busCount(); ++i) {
      if (window.engine().bus(i).shown.name == name)
        return window.engine().bus(i).id;
    }
    return bexto::BusId::None;
  };
  window.session().addPlot({idOf("sensors"), {"LT-20", "state", "state"}});
  window.session().addPlot({idOf("sensors"), {"LT-20", "level", "level"}});
  window.session().addPlot({idOf("adc"), {"AQ-416", "gate_2", "gate_2"}});
  auto& heads = window.timeline().heads();
  for (const char* bus : {"console", "sonar", "sonar", "log"}) {
    const auto& lanes = window.timeline().lanes();
    const auto found =
        std::find_if(lanes.begin(), lanes.end(), [&](const auto& lane) { return lane.name == QLatin1String(bus); });
    if (found != lanes.end())
      heads.setHidden(*found, true);
  }
  window.lower().show(window.devices());
  selectAt(window, 3209300us);
  window.focus().show({3160ms, 3250ms});
  window.focus().setCursor(3211ms);
  window.timeline().verticalScrollBar()->setValue(0);
  settle(600);
  const bool good = take(window, folder, "plots.png");
  window.focus().setCursor(std::nullopt);
  for (const bexto::Plot& plot : std::vector<bexto::Plot>(window.session().value().plots))
    window.session().removePlot(plot);
  heads.reset();
  window.lower().show(window.ledgers());
  return good;
}

/// Three lock cycles in one session, started by the read that fails, and their lines in a row.
bool takeSegments(const QDir& folder)
{
  using namespace std::chrono_literals;
  const QTemporaryDir place;
  const QString path = place.filePath(QStringLiteral("gate-2-stalls.bexto"));
  bexto::SessionFile file;
  for (const bexto::Bus& bus : demoBuses())
    bexto::addBus(file.session, bus);
  const std::array<const char*, 3> begins{"2031-03-17T06:12:08Z", "2031-03-17T06:31:40Z", "2031-03-17T07:02:15Z"};
  for (std::uint32_t i = 0; i < begins.size(); ++i) {
    auto capture = std::make_shared<bexto::Capture>(bexto::rig::simulateLockCycle(1187 + i).capture);
    file.segments.push_back({"lock cycle", begins.at(i), "text:timeout", true, std::move(capture)});
  }
  bexto::NoProgress none;
  if (!bexto::writeSession(path.toStdString(), file, {}, none))
    return false;
  Workspace workspace;
  MainWindow window(workspace);
  window.resize(1280, 800);
  window.show();
  window.openCapture(path);
  waitForWork(window);
  window.engine().listAllSegments(true);
  settle(3000);
  window.engine().showSegment(1);
  waitForWork(window);
  window.ledgers().filter().setText(QStringLiteral("text:timeout or error:unexpected-start"));
  settle(500);
  window.ledger().setFocus();
  if (const auto& rows = window.ledger().rows(); rows.shownCount() > 3)
    window.focus().goTo(rows.selectionOf(bexto::LedgerPlace{2, 0}));
  waitForWork(window);
  return take(window, folder, "segments.png");
}

/// The capture as one opens it for the first time.
bool takeUnknown(const QString& capture, const QDir& folder)
{
  Workspace workspace;
  MainWindow window(workspace);
  window.resize(1280, 800);
  window.show();
  window.openCapture(capture);
  waitForWork(window);
  return take(window, folder, "unknown.png");
}

/// The folder stands for the user's.
void liveIn(const QString& folder)
{
  for (const char* const place : {"XDG_STATE_HOME", "XDG_CACHE_HOME", "HOME"})
    qputenv(place, folder.toUtf8());
}

/// What the start page has to offer after a crash.
void leaveWorkUnsaved()
{
  const QString path = bexto::ui::UnsavedFolder().newFile();
  bexto::SessionFile file;
  file.session.source = "/bench/gate-2-stalls.vcd";
  {
    const auto recorder = bexto::SessionRecorder::create(path.toStdString());
    if (!recorder || !(*recorder)->set(file))
      fmt::print(stderr, "bexto-screenshots: there will be no unsaved work to offer\n");
  }
  QFile made(path);
  if (made.open(QIODevice::ReadWrite))
    made.setFileTime(QDateTime({2031, 3, 17}, {6, 12, 8}), QFileDevice::FileModificationTime);
}

/// Where work begins: files of before with what was in them, and what was left unsaved.
bool takeStart(const QDir& folder, const bexto::ui::Engine& engine)
{
  const QTemporaryDir place;
  const QString home = place.path();
  liveIn(home);
  QSettings().clear();
  leaveWorkUnsaved();
  const auto remember = [&home](const QString& name, QTime at, const bexto::ui::Glimpse& glimpse) {
    const QString path = home + QStringLiteral("/bench/") + name;
    QFile made(path);
    if (!made.open(QIODevice::ReadWrite))
      return;
    made.setFileTime(QDateTime({2031, 3, 17}, at), QFileDevice::FileModificationTime);
    bexto::ui::glimpses::keep(path, glimpse);
    bexto::ui::memory::addRecentFile(path);
  };
  QDir().mkpath(home + QStringLiteral("/bench"));
  bexto::ui::Glimpse some = bexto::ui::glimpseOf(engine);
  remember(QStringLiteral("lock-cycle.vcd"), {6, 12, 0}, some);
  some.rows = {some.rows.at(5)};
  some.buses = some.channels = 1;
  remember(QStringLiteral("drives-overnight.pcapng"), {7, 40, 0}, some);
  Workspace workspace;
  MainWindow window(workspace);
  window.resize(1280, 800);
  window.show();
  window.offerDemo([] { return bexto::SessionFile(); });
  return take(window, folder, "start.png");
}

}  // namespace

int main(int argc, char** argv)
{
  using namespace std::chrono_literals;
  QApplication app(argc, argv);
  // A picture shows the window as it is at first, whatever its user has set.
  const QTemporaryDir settings;
  QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, settings.path());
  QApplication::setOrganizationName(QStringLiteral("bexto"));
  if (argc != 3) {
    fmt::print(stderr, "usage: bexto-screenshots CAPTURE FOLDER\n");
    return 2;
  }
  const QDir folder(QString::fromLocal8Bit(argv[2]));
  bexto::ui::theme().apply(bexto::ui::ThemeMode::Light);
  liveIn(settings.path());
  Workspace workspace;
  MainWindow window(workspace);
  window.resize(1280, 800);
  window.show();
  for (const bexto::Bus& bus : demoBuses())
    window.session().addBus(bus);
  window.openCapture(QString::fromLocal8Bit(argv[1]));
  waitForWork(window);
  selectAt(window, 1209us);
  bool good = take(window, folder, "main-light.png");

  window.focus().show({1195us, 1275us});
  window.buses().toggleSettings(window.engine().bus(1).id);
  good = good && take(window, folder, "bus-settings.png");
  window.buses().toggleSettings(window.engine().bus(1).id);

  // The drive command that a glitch corrupts, with the error frame behind it.
  selectAt(window, 5183600us, 5, true);
  window.focus().show({5183530us, 5183680us});
  good = good && take(window, folder, "can-error.png");
  selectAt(window, 5183600us, 5, true);
  good = good && takePlots(window, folder);
  selectAt(window, 1209us);
  window.focus().show({1195us, 1275us});

  good = good && takeLists(window, folder) && takeDevices(window, folder) && takeChecks(window, folder);
  good = good && takeRulebook(window, folder);
  good = good && takeSegments(folder);
  good = good && takeBench(folder) && takeUnknown(QString::fromLocal8Bit(argv[1]), folder);
  selectAt(window, 1209us);
  window.focus().show({1195us, 1275us});
  window.ledger().setFocus();

  bexto::ui::theme().apply(bexto::ui::ThemeMode::Dark);
  good = good && take(window, folder, "main-dark.png");
  bexto::ui::theme().apply(bexto::ui::ThemeMode::Light);
  good = good && takeStart(folder, window.engine());
  return good ? 0 : 1;
}
