#include "live_bench.h"

#include <fmt/core.h>

#include <QApplication>
#include <QElapsedTimer>
#include <QEvent>
#include <cstdlib>

#include "core/decode/bus_spec.h"
#include "rig/instrument/served_instrument.h"
#include "rig/lock_cycle.h"
#include "table.h"
#include "traffic.h"
#include "ui/bench/bench_panel.h"
#include "ui/window/main_window.h"

namespace bexto::bench {

namespace {

/// Each picture of a window begins with one such event.
class Pictures final : public QObject {
 public:
  explicit Pictures(QWidget& window) { window.installEventFilter(this); }
  bool eventFilter(QObject* /*watched*/, QEvent* event) override
  {
    count += event->type() == QEvent::UpdateRequest ? 1 : 0;
    if (count > 0 && event->type() == QEvent::UpdateRequest) {
      if (m_since.isValid())
        longest = std::max(longest, m_since.elapsed());
      m_since.start();
    }
    return false;
  }
  int count = 0;
  qint64 longest = 0;  ///< ms between two

 private:
  QElapsedTimer m_since;
};

/// Sixteen channels of buses that hardly rest at 50 MS/s, from the rig in the same process, seven buses decoded live,
/// for as many seconds as BEXTO_BENCH_LIVE_SECONDS says. The window is looked at as by somebody who moves in it.
void live(benchmark::State& state)
{
  const char* const asked = std::getenv("BEXTO_BENCH_LIVE_SECONDS");
  const int seconds = asked != nullptr ? std::max(1, std::atoi(asked)) : 10;
  const rig::ServedInstrument instrument(1.0, 0, rig::Traffic::Busy);
  ui::Workspace workspace;
  ui::MainWindow window(workspace);
  window.resize(1280, 800);
  window.show();
  for (const std::string& spec : rig::lockCycleBuses())
    window.session().addBus(*parseBusSpec(spec));
  CapturePlan plan;
  plan.source = instrument.url();
  plan.rate = 50e6;
  window.session().plan(plan);
  Pictures pictures(window);
  int count = 0;
  for (auto unused : state) {
    window.bench().record();
    QElapsedTimer clock;
    clock.start();
    while (clock.elapsed() < 20000 && !window.engine().isLive())
      QApplication::processEvents(QEventLoop::AllEvents, 5);
    clock.start();
    pictures.count = 0;
    pictures.longest = 0;
    qint64 asked60 = 0;
    while (clock.elapsed() < seconds * 1000) {
      QApplication::processEvents(QEventLoop::AllEvents, 2);
      // A pointer that moves wants sixty pictures a second; what has not changed is painted as well.
      if (clock.elapsed() >= asked60 * 1000 / 60) {
        ++asked60;
        window.update();
      }
    }
    count = pictures.count;
  }
  std::uint64_t transitions = 0;
  for (const Channel& channel : window.engine().capture()->channels)
    transitions += channel.track.size();
  const auto end = toSeconds(window.engine().whole().end);
  report(state, count, 0.0);
  state.SetLabel(
      fmt::format("<= 33 ms a picture: {:.1f} a second, the longest pause {} ms; {:.1f} M transitions/s, {} gaps",
                  static_cast<double>(count) / seconds, pictures.longest, static_cast<double>(transitions) / end / 1e6,
                  window.engine().capture()->gaps.size()));
  window.engine().source().end();
  QElapsedTimer clock;
  clock.start();
  while (clock.elapsed() < 30000 && (window.engine().source().isRecording() || window.engine().isDecoding()))
    QApplication::processEvents(QEventLoop::AllEvents, 10);
  workspace.keeper.discard();
}

/// Fifty million transitions each of I2C and of UART are measured by all processors, and the window is looked at
/// meanwhile as by somebody who moves in it.
void measuring(benchmark::State& state)
{
  constexpr std::uint64_t kTransitions = 50'000'000;
  const StreamInput i2c = i2cTraffic(kTransitions);
  const StreamInput uart = uartTraffic(kTransitions);
  auto capture = std::make_shared<Capture>();
  capture->channels = {
      {"scl", "scl", i2c.tracks[0].track}, {"sda", "sda", i2c.tracks[1].track}, {"rx", "rx", uart.tracks[0].track}};
  capture->end = std::max(i2c.until, uart.until);
  qint64 longest = 0;
  double seconds = 0.0;
  int count = 0;
  for (auto unused : state) {
    ui::Workspace workspace;
    ui::MainWindow window(workspace);
    window.resize(1280, 800);
    window.show();
    workspace.engine.setCapture(capture, QStringLiteral("large"));
    for (const Bus& bus : {i2cBus(), uartBus()})
      workspace.session.addBus(bus);
    while (window.engine().isDecoding() || !window.verdicts().isBusy())
      QApplication::processEvents(QEventLoop::AllEvents, 1);
    Pictures pictures(window);
    QElapsedTimer clock;
    clock.start();
    while (window.verdicts().isBusy()) {
      QApplication::processEvents(QEventLoop::AllEvents, 1);
      window.update();
    }
    seconds = static_cast<double>(clock.elapsed()) / 1000.0;
    count = pictures.count;
    longest = pictures.longest;
  }
  report(state, count, 0.0);
  state.SetLabel(fmt::format("<= 33 ms a picture: {} in {:.2f} s, the longest pause {} ms", count, seconds, longest));
}

}  // namespace

void registerLiveBenches()
{
  benchmark::RegisterBenchmark("window while 100 M transitions are measured", measuring)
      ->Iterations(1)
      ->UseRealTime()
      ->Unit(benchmark::kMillisecond);
  benchmark::RegisterBenchmark("window while 16 channels at 50 MS/s come", live)
      ->Iterations(1)
      ->UseRealTime()
      ->Unit(benchmark::kMillisecond);
}

}  // namespace bexto::bench
