#include <fmt/core.h>

#include <QApplication>
#include <QElapsedTimer>
#include <QImage>
#include <QLineEdit>
#include <QPainter>
#include <QScrollBar>
#include <QTemporaryDir>
#include <fstream>

#include "core/decode/bus_spec.h"
#include "core/format/vcd_writer.h"
#include "live_bench.h"
#include "table.h"
#include "traffic.h"
#include "ui/ledger/ledger_area.h"
#include "ui/overview/overview_strip.h"
#include "ui/theme/theme.h"
#include "ui/timeline/timeline_painter.h"
#include "ui/timeline/timeline_view.h"
#include "ui/window/main_window.h"

namespace bexto::bench {

namespace {

using namespace std::chrono_literals;

constexpr std::size_t kLanes = 16;
constexpr std::uint64_t kTransitionsALane = 10000000;

std::shared_ptr<const Capture> wideCapture()
{
  static const auto kCapture = [] {
    auto capture = std::make_shared<Capture>();
    for (std::size_t i = 0; i < kLanes; ++i) {
      const std::string name = fmt::format("wire{}", i);
      capture->channels.push_back({name, name, burstyWire(kTransitionsALane, i + 1)});
      capture->end =
          std::max(capture->end, capture->channels.back().track.at(kTransitionsALane - 1) + Picoseconds{1000});
    }
    return std::shared_ptr<const Capture>(std::move(capture));
  }();
  return kCapture;
}

/// Paints the lanes as the Timeline does, panning a little between frames. The argument is how many times closer than
/// the whole capture.
void paintLanes(benchmark::State& state)
{
  ui::Workspace workspace;
  ui::Engine& engine = workspace.engine;
  ui::Focus& focus = workspace.focus;
  engine.setCapture(wideCapture(), QStringLiteral("wide"));
  const std::vector<ui::TimelineLane> lanes = ui::timelineLanes(engine);
  QImage image(1280, 800, QImage::Format_RGB32);
  const double zoom = static_cast<double>(state.range(0));
  TimeAxis axis = TimeAxis(engine.whole(), 1280 - ui::kLaneHeader).zoomed(zoom, 400.0, engine.whole());
  double pan = 37.0;
  for (auto unused : state) {
    axis = axis.panned(pan, engine.whole());
    pan = -pan;
    QPainter painter(&image);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(image.rect(), ui::theme().colours().ground);
    ui::TimelinePainter lanesPainter(painter, engine, workspace.session.markers(), focus, axis);
    lanesPainter.lanes(lanes, QRect(0, ui::kRulerHeight, 1280, 800 - ui::kRulerHeight), 0);
    lanesPainter.ruler(QRect(0, 0, 1280, ui::kRulerHeight));
  }
  report(state, 1.0, 0.0);
  state.SetLabel("<= 8 ms a frame (aim: 4)");
}

/// The wires of the bus are in the order of the tracks.
using Traffic = std::pair<Bus, StreamInput>;

/// A bus lane full of labels beside its wires.
void paintBusLane(benchmark::State& state, const Traffic& traffic)
{
  ui::Workspace workspace;
  ui::Engine& engine = workspace.engine;
  ui::Focus& focus = workspace.focus;
  const auto& [bus, input] = traffic;
  auto capture = std::make_shared<Capture>();
  for (std::size_t i = 0; i < bus.wires.size(); ++i)
    capture->channels.push_back({bus.wires[i].channel, bus.wires[i].channel, input.tracks[i].track});
  capture->end = input.until;
  engine.setCapture(std::move(capture), QStringLiteral("bus"));
  workspace.session.addBus(bus);
  while (engine.isDecoding())
    QApplication::processEvents(QEventLoop::AllEvents, 5);
  const std::vector<ui::TimelineLane> lanes = ui::timelineLanes(engine);
  QImage image(1280, 800, QImage::Format_RGB32);
  const Picoseconds begin = input.until / 2;
  const TimeAxis axis({begin, begin + Picoseconds{state.range(0) * 1000000}}, 1280 - ui::kLaneHeader);
  for (auto unused : state) {
    QPainter painter(&image);
    painter.setRenderHint(QPainter::Antialiasing);
    ui::TimelinePainter(painter, engine, {}, focus, axis).lanes(lanes, QRect(0, 0, 1280, 800), 0);
  }
  report(state, 1.0, 0.0);
  state.SetLabel("<= 8 ms a frame");
}

void paintLedger(benchmark::State& state)
{
  ui::Workspace workspace;
  ui::MainWindow window(workspace);
  window.resize(1280, 800);
  window.show();
  const StreamInput input = i2cTraffic(40000000);
  auto capture = std::make_shared<Capture>();
  capture->channels = {{"scl", "scl", input.tracks[0].track}, {"sda", "sda", input.tracks[1].track}};
  capture->end = input.until;
  window.engine().setCapture(std::move(capture), QStringLiteral("list"));
  window.session().addBus(i2cBus());
  while (window.engine().isDecoding())
    QApplication::processEvents(QEventLoop::AllEvents, 5);
  QScrollBar* bar = window.ledger().verticalScrollBar();
  QImage image(window.ledger().size(), QImage::Format_RGB32);
  int at = 0;
  for (auto unused : state) {
    at = (at + 7919) % std::max(1, bar->maximum());
    bar->setValue(at);
    window.ledger().viewport()->render(&image);
  }
  report(state, 1.0, 0.0);
  state.SetLabel(fmt::format("<= 8 ms, {} lines", bar->maximum()));
}

/// The longest time that the window did not answer while a file of that many megabytes was loaded.
void stallWhileLoading(benchmark::State& state)
{
  const QTemporaryDir folder;
  const QString path = folder.filePath(QStringLiteral("large.vcd"));
  {
    const std::string text = vcdText(i2cTraffic(4000000));
    std::ofstream out(path.toStdString());
    // One text after the other would turn the time back: the body is written again with later times.
    const StreamInput input = i2cTraffic(
        static_cast<std::uint64_t>(4e6 * static_cast<double>(state.range(0)) * 1e6 / static_cast<double>(text.size())));
    out << vcdText(input);
  }
  double longest = 0.0;
  double whole = 0.0;
  for (auto unused : state) {
    ui::Workspace workspace;
    ui::MainWindow window(workspace);
    window.resize(1280, 800);
    window.show();
    window.session().addBus(i2cBus());
    QApplication::processEvents();
    QElapsedTimer clock;
    clock.start();
    window.openCapture(path);
    qint64 before = clock.nsecsElapsed();
    while (window.engine().isOpening() || window.engine().isDecoding()) {
      QApplication::processEvents(QEventLoop::AllEvents, 1);
      const qint64 now = clock.nsecsElapsed();
      longest = std::max(longest, static_cast<double>(now - before) * 1e-6);
      before = now;
    }
    whole = static_cast<double>(clock.elapsed()) / 1000.0;
  }
  report(state, 1.0, static_cast<double>(QFileInfo(path).size()));
  state.SetLabel(
      fmt::format("longest stall {:.0f} ms, target <= 50 ms; loaded and decoded in {:.1f} s", longest, whole));
}

/// A window on a hundred buses and three thousand wires, all of which move.
struct LargeWindow {
  LargeWindow()
  {
    constexpr std::size_t kBuses = 100;
    constexpr std::size_t kWires = 3000;
    const StreamInput talk = uartTraffic(20000);
    auto capture = std::make_shared<Capture>();
    for (std::size_t i = 0; i < kWires; ++i) {
      const std::string name = fmt::format("wire{}", i);
      capture->channels.push_back({name, name, talk.tracks[0].track});
    }
    capture->end = talk.until;
    workspace.engine.setCapture(std::move(capture), QStringLiteral("large"));
    window.resize(1280, 800);
    window.show();
    for (std::size_t i = 0; i < kBuses; ++i)
      workspace.session.addBus(*parseBusSpec(fmt::format("bus{}=uart,tx=wire{},baud=115200", i, i)));
    settle();
  }
  void settle()
  {
    while (workspace.engine.isDecoding())
      QApplication::processEvents(QEventLoop::AllEvents, 5);
    QApplication::processEvents();
  }

  ui::Workspace workspace;
  ui::MainWindow window{workspace};
};

/// What everybody in the window does when one bus of a hundred has more frames.
void extendOneBus(benchmark::State& state)
{
  LargeWindow large;
  const ui::BusView& bus = large.workspace.engine.bus(50);
  ui::EngineChange change;
  change.buses = {{bus.id, ui::BusChange::Frames::Extended, {bus.frameCount() - 1}, false, false}};
  for (auto unused : state)
    Q_EMIT large.workspace.engine.changed(change);
  report(state, 1.0, 0.0);
  state.SetLabel("<= 1 ms");
}

/// From a name that somebody typed to the last view that shows it, without painting.
void renameOneBus(benchmark::State& state)
{
  LargeWindow large;
  Bus bus = large.workspace.engine.bus(50).wanted;
  int i = 0;
  for (auto unused : state) {
    bus.name = fmt::format("name{}", ++i);
    large.workspace.session.changeBus(large.workspace.engine.bus(50).id, bus);
  }
  report(state, 1.0, 0.0);
  state.SetLabel("<= 1 ms");
}

void paintOverview(benchmark::State& state)
{
  LargeWindow large;
  QImage image(large.window.overview().size(), QImage::Format_RGB32);
  for (auto unused : state)
    large.window.overview().render(&image);
  report(state, 1.0, 0.0);
  state.SetLabel("<= 4 ms");
}

/// A filtered list of ten million frames to which more come: from the news to the last view that knows what it shows.
/// Painting has rows of its own.
void extendFiltered(benchmark::State& state)
{
  constexpr std::uint64_t kTransitions = 56000000;
  const StreamInput talk = uartTraffic(kTransitions);
  auto capture = std::make_shared<Capture>();
  capture->channels = {{"talk", "talk", talk.tracks[0].track}};
  capture->end = talk.until;
  ui::Workspace workspace;
  ui::MainWindow window(workspace);
  window.resize(1280, 800);
  window.show();
  workspace.engine.setCapture(std::move(capture), QStringLiteral("talk"));
  workspace.session.addBus(*parseBusSpec("talk=uart,tx=talk,baud=115200"));
  ui::Lookup& filter = window.ledgers().filter();
  const auto settle = [&] {
    while (workspace.engine.isDecoding() || filter.isScanning())
      QApplication::processEvents(QEventLoop::AllEvents, 1);
  };
  settle();
  filter.setText(QStringLiteral("byte0:41 or data:\"00 FF\""));
  settle();
  const ui::BusView& bus = workspace.engine.bus(0);
  ui::EngineChange change;
  change.buses = {{bus.id, ui::BusChange::Frames::Extended, {bus.frameCount() - 1000}, false, false}};
  window.setUpdatesEnabled(false);
  for (auto unused : state) {
    Q_EMIT workspace.engine.changed(change);
    settle();
  }
  report(state, 1.0, 0.0);
  state.SetLabel(fmt::format("<= 5 ms, {} frames, {} of {} lines shown", bus.frameCount(), filter.result()->found(),
                             bus.transactionCount()));
}

/// Three thousand channels of a hundred million transitions together, a fifth of them bits of numbers.
std::shared_ptr<const Capture> simulation()
{
  static const auto kCapture = [] {
    constexpr std::size_t kChannels = 3000;
    constexpr std::size_t kNumbers = 75;
    constexpr std::size_t kBits = 8;
    auto capture = std::make_shared<Capture>();
    for (std::size_t i = 0; i < kChannels; ++i) {
      const bool isBit = i < kNumbers * kBits;
      capture->channels.push_back({isBit ? fmt::format("top.core.reg{}[{}]", i / kBits, kBits - 1 - i % kBits)
                                         : fmt::format("top.block{}.net{}", i / 100, i),
                                   {},
                                   burstyWire(100000000 / kChannels, i + 1)});
      if (isBit && i % kBits == 0)
        capture->vectors.push_back({fmt::format("top.core.reg{}[7:0]", i / kBits), {}, i, kBits});
      capture->end = std::max(capture->end, capture->channels.back().track.previousBefore(kNever) + 1us);
    }
    nameChannels(*capture);
    return std::shared_ptr<const Capture>(std::move(capture));
  }();
  return kCapture;
}

/// From the end of loading to the first picture.
void firstView(benchmark::State& state)
{
  const auto capture = simulation();
  ui::Workspace workspace;
  ui::MainWindow window(workspace);
  window.resize(1280, 800);
  window.show();
  QApplication::processEvents();
  for (auto unused : state) {
    workspace.engine.setCapture(capture, QStringLiteral("simulation"));
    QApplication::processEvents();
    benchmark::DoNotOptimize(window.grab().width());
  }
  report(state, 1.0, 0.0);
  state.SetLabel("<= 1000 ms");
}

/// A key in the line in which channels are looked for, with the picture that follows.
void findChannel(benchmark::State& state)
{
  ui::Workspace workspace;
  ui::MainWindow window(workspace);
  window.resize(1280, 800);
  window.show();
  workspace.engine.setCapture(simulation(), QStringLiteral("simulation"));
  auto* line = window.timeline().findChild<QLineEdit*>(QStringLiteral("laneFinder"));
  QApplication::processEvents();
  const std::array<QString, 4> typed{QStringLiteral("r"), QStringLiteral("re"), QStringLiteral("reg"), QString()};
  std::size_t i = 0;
  for (auto unused : state) {
    line->setText(typed.at(i++ % typed.size()));
    benchmark::DoNotOptimize(window.timeline().grab().width());
  }
  report(state, 1.0, 0.0);
  state.SetLabel("<= 16 ms");
}

void startWindow(benchmark::State& state)
{
  for (auto unused : state) {
    ui::Workspace workspace;
    ui::MainWindow window(workspace);
    window.resize(1280, 800);
    window.show();
    benchmark::DoNotOptimize(window.grab().width());
  }
  report(state, 1.0, 0.0);
  state.SetLabel("<= 400 ms with the process's own start");
}

void registerAll()
{
  constexpr auto kUnit = benchmark::kMillisecond;
  registerLiveBenches();
  benchmark::RegisterBenchmark("window built and painted", startWindow)->Unit(kUnit);
  for (const std::int64_t zoom : {1, 10, 100, 1000, 10000, 100000, 1000000, 10000000})
    benchmark::RegisterBenchmark("16 lanes of 10 M transitions, zoom", paintLanes)->Arg(zoom)->Unit(kUnit);
  const auto lane = [](const char* name, Traffic (*traffic)(), std::initializer_list<std::int64_t> microseconds) {
    for (const std::int64_t span : microseconds)
      benchmark::RegisterBenchmark(name, [traffic](benchmark::State& s) { paintBusLane(s, traffic()); })
          ->Arg(span)
          ->Unit(kUnit);
  };
  constexpr std::uint64_t kSome = 2000000;
  lane("I2C lane and its wires, us in view",
       [] {
         return Traffic{i2cBus(), i2cTraffic(kSome)};
       },
       {100, 1000, 10000, 1000000});
  lane("UART lane and its wire, us in view",
       [] {
         return Traffic{uartBus(), uartTraffic(kSome)};
       },
       {1000, 10000, 100000, 10000000});
  lane("SPI lane and its wires, us in view", [] { return Traffic{spiBus(), spiTraffic(kSome)}; }, {5, 50, 500, 100000});
  lane("CAN FD lane and its wire, us in view",
       [] {
         return Traffic{canBus(), canTraffic(kSome, true)};
       },
       {30, 300, 3000, 1000000});
  benchmark::RegisterBenchmark("Ledger: jump and paint", paintLedger)->Unit(kUnit);
  benchmark::RegisterBenchmark("100 buses, 3000 wires: one has more frames", extendOneBus)->Unit(kUnit);
  benchmark::RegisterBenchmark("100 buses, 3000 wires: one is renamed", renameOneBus)->Unit(kUnit);
  benchmark::RegisterBenchmark("100 buses, 3000 wires: Overview painted", paintOverview)->Unit(kUnit);
  benchmark::RegisterBenchmark("3000 channels of 100 M transitions: first view", firstView)->Unit(kUnit);
  benchmark::RegisterBenchmark("3000 channels: a key in their search", findChannel)->Unit(kUnit);
  benchmark::RegisterBenchmark("live filter: some more of 10 M frames", extendFiltered)->Unit(kUnit);
  benchmark::RegisterBenchmark("load a VCD file in the window, MB", stallWhileLoading)
      ->Arg(500)
      ->Iterations(1)
      ->Unit(kUnit);
}

}  // namespace

}  // namespace bexto::bench

int main(int argc, char** argv)
{
  QApplication app(argc, argv);
  bexto::ui::theme().apply(bexto::ui::ThemeMode::Light);
  bexto::bench::registerAll();
  return bexto::bench::runTable(argc, argv, "window, software renderer at 1280x800");
}
