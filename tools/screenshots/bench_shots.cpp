#include "bench_shots.h"

#include <fmt/core.h>

#include <QApplication>
#include <QElapsedTimer>
#include <QEventLoop>
#include <QLineEdit>
#include <QPushButton>

#include "demo_buses.h"
#include "rig/instrument/served_instrument.h"
#include "ui/bench/bench_panel.h"
#include "ui/ledger/ledger_area.h"
#include "ui/window/main_window.h"

namespace {

using namespace std::chrono_literals;
using bexto::ui::MainWindow;

template <typename Condition>
void wait(int milliseconds, const Condition& until)
{
  QElapsedTimer clock;
  clock.start();
  while (clock.elapsed() < milliseconds && !until())
    QApplication::processEvents(QEventLoop::AllEvents, 10);
}

void settle(int milliseconds)
{
  wait(milliseconds, [] { return false; });
}

void waitForEnd(MainWindow& window)
{
  wait(20000, [&] { return !window.engine().source().isRecording(); });
  wait(20000, [&] { return !window.engine().isDecoding(); });
  settle(400);
}

}  // namespace

bool takeBench(const QDir& folder)
{
  const bexto::rig::ServedInstrument instrument(1.0);
  bexto::ui::Workspace workspace;
  MainWindow window(workspace);
  window.resize(1280, 800);
  window.show();
  for (const bexto::Bus& bus : demoBuses())
    window.session().addBus(bus);
  bexto::CapturePlan plan;
  plan.source = instrument.url();
  plan.rate = 20e6;
  window.session().plan(plan);
  window.bench().setOpen(true);
  window.bench().record();
  wait(20000, [&] { return window.engine().isLive() && window.engine().whole().end > 4s; });
  settle(200);
  bool good = window.grab().save(folder.filePath(QStringLiteral("live.png")));
  window.engine().source().end();
  waitForEnd(window);

  plan.rate = 10e6;
  plan.start.kind = bexto::StartCondition::Kind::Event;
  plan.start.query = "address:5D read";
  plan.repeat = bexto::CapturePlan::Repeat::Collect;
  window.session().plan(plan);
  settle(600);
  good = good && window.grab().save(folder.filePath(QStringLiteral("bench.png")));
  workspace.keeper.discard();
  return good;
}
