// What the window does with where captures come from: the Bench, which it remembers and repeats, and files.
#include <QFileInfo>

#include "core/store/plan_json.h"
#include "ui/bench/bench_panel.h"
#include "ui/ledger/ledger_area.h"
#include "ui/text/text.h"
#include "ui/window/main_window.h"
#include "ui/window/navigator.h"
#include "ui/window/notice_bar.h"
#include "ui/window/window_memory.h"

namespace bexto::ui {

void MainWindow::connectSource()
{
  using State = CaptureSource::State;
  CaptureSource& source = m_engine->source();
  connect(&source, &CaptureSource::stateChanged, this, [this, &source](State before) {
    if (source.isOpening() && !source.isRecording())
      m_notice->showProgress(NoticeBar::Work::Opening, tr("Opening %1").arg(QFileInfo(source.path()).fileName()));
    else
      m_notice->endProgress(NoticeBar::Work::Opening);
    // A capture that broke off can go on; the address may have to be another.
    if (source.state() == State::Failed) {
      m_notice->showError(source.message());
      if (source.wasRecording())
        m_notice->offer(tr("Connect again"));
    }
    const bool was = before == State::Live || before == State::Ending;
    if (was != source.isLive()) {
      m_ledgers->setLive(m_engine->isLive());
      if (m_engine->isLive())
        showGrowth();
    }
    updateStatus();
  });
  connect(&source, &CaptureSource::progressed, this,
          [this](double fraction) { m_notice->setProgress(NoticeBar::Work::Opening, fraction); });
  connect(&source, &CaptureSource::cancelled, this, [this] { m_notice->showNote(tr("Opening was cancelled.")); });
}

void MainWindow::connectBench()
{
  if (m_session->value().plan.source.empty())
    m_session->plan(planOfText(memory::lastPlan().toStdString()));
  connect(m_bench, &BenchPanel::sourceChosen, this,
          [this] { memory::rememberPlan(toQString(planText(m_session->value().plan))); });
  connect(m_ledgers, &LedgerArea::startWanted, this, [this](const QString& term) {
    CapturePlan plan = m_session->value().plan;
    plan.start = {};
    plan.start.kind = StartCondition::Kind::Event;
    plan.start.query = term.toStdString();
    m_session->plan(plan);
    m_bench->setOpen(true);
  });
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
