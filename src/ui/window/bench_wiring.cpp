// What the window does with the Bench: remembers it, repeats it.
#include "core/store/plan_json.h"
#include "ui/bench/bench_panel.h"
#include "ui/ledger/ledger_area.h"
#include "ui/text/text.h"
#include "ui/window/main_window.h"
#include "ui/window/navigator.h"
#include "ui/window/notice_bar.h"
#include "ui/window/window_memory.h"

namespace bexto::ui {

void MainWindow::connectBench()
{
  if (m_session->value().plan.source.empty())
    m_session->plan(planOfText(memory::lastPlan().toStdString()));
  connect(m_bench, &BenchPanel::sourceChosen, this,
          [this] { memory::rememberPlan(toQString(planText(m_session->value().plan))); });
  connect(m_notice, &NoticeBar::actionWanted, m_bench, &BenchPanel::record);
  connect(&m_engine->source(), &CaptureSource::stateChanged, this, [this] {
    if (!m_engine->source().isRecording() && std::exchange(m_againWhenStopped, false))
      QMetaObject::invokeMethod(m_bench, &BenchPanel::record, Qt::QueuedConnection);
  });
}

/// A capture began to grow: its end is looked at, or what started it.
void MainWindow::showGrowth()
{
  // Of a file that somebody else writes, its newest is what is waited for.
  m_showsStart = m_engine->source().isRecording() && m_engine->capture()->trigger.has_value();
  if (m_showsStart) {
    m_ledgers->setFollowing(false);
    m_navigator->showStart();
  } else {
    m_focus->keepSpan();
    m_navigator->showNewest();
  }
}

/// As it is set up now. What is under way ends first; what it recorded is kept.
void MainWindow::captureAgain()
{
  if (m_engine->source().isRecording()) {
    m_againWhenStopped = true;
    m_engine->source().end();
  } else {
    m_bench->record();
  }
}

}  // namespace bexto::ui
