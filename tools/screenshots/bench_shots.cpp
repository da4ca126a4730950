#include "bench_shots.h"

#include <fmt/core.h>

#include <QApplication>
#include <QElapsedTimer>
#include <QEventLoop>
#include <QThread>
#include <atomic>
#include <memory>

#include "core/decode/bus_spec.h"
#include "rig/instrument/server.h"
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

/// In a thread of its own, as another program would be.
class Instrument {
 public:
  Instrument()
  {
    m_thread.reset(QThread::create([this] {
      bexto::rig::InstrumentServer server(1187, bexto::rig::Traffic::Lock, 1.0);
      QEventLoop loop;
      m_loop = &loop;
      m_port = server.listen(0) ? server.port() : -1;
      loop.exec();
    }));
    m_thread->start();
    while (m_port == 0)
      QThread::msleep(1);
  }
  ~Instrument()
  {
    QMetaObject::invokeMethod(m_loop, &QEventLoop::quit, Qt::QueuedConnection);
    m_thread->wait();
  }
  Instrument(const Instrument&) = delete;
  Instrument& operator=(const Instrument&) = delete;
  std::string url() const { return fmt::format("scpi://127.0.0.1:{}", m_port.load()); }

 private:
  std::unique_ptr<QThread> m_thread;
  std::atomic<int> m_port = 0;
  std::atomic<QEventLoop*> m_loop = nullptr;
};

void waitForEnd(MainWindow& window)
{
  wait(20000, [&] { return !window.engine().source().isRecording(); });
  wait(20000, [&] { return !window.engine().isDecoding(); });
  settle(400);
}

}  // namespace

bool takeBench(const QDir& folder)
{
  const Instrument instrument;
  bexto::ui::Workspace workspace;
  MainWindow window(workspace);
  window.resize(1280, 800);
  window.show();
  for (const std::string& spec : bexto::rig::lockCycleBuses())
    window.session().addBus(*bexto::parseBusSpec(spec));
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

  plan.rate = 50e6;
  window.session().plan(plan);
  window.bench().setOpen(false);
  window.bench().record();
  wait(20000, [&] { return window.engine().segments().size() >= 5; });
  settle(300);
  good = good && window.grab().save(folder.filePath(QStringLiteral("collected.png")));
  window.engine().source().end();
  waitForEnd(window);
  workspace.keeper.discard();
  return good;
}
