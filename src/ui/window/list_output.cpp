#include "ui/window/list_output.h"

#include <QEventLoop>
#include <QFileDialog>
#include <QFileInfo>
#include <QPrintDialog>
#include <QPrintPreviewDialog>
#include <QPrinter>
#include <QProgressDialog>
#include <atomic>
#include <optional>

#include "core/base/atomic_file.h"
#include "core/export/ledger_export.h"
#include "ui/ledger/ledger_area.h"
#include "ui/ledger/ledger_header.h"
#include "ui/window/notice_bar.h"

namespace bexto::ui {

ListOutput::ListOutput(Engine& engine, LedgerArea& ledgers, NoticeBar& notice, QWidget* window)
    : QObject(window),
      m_engine(engine),
      m_ledgers(ledgers),
      m_notice(notice),
      m_window(window),
      m_job(std::make_unique<Job>())
{
  connect(m_job.get(), &Job::progressed, &notice,
          [&notice](double fraction) { notice.setProgress(NoticeBar::Work::Export, fraction); });
  connect(m_job.get(), &Job::finished, &notice, [&notice] { notice.endProgress(NoticeBar::Work::Export); });
  connect(m_job.get(), &Job::failed, &notice, &NoticeBar::showError);
}

ListOutput::~ListOutput()
{
  m_cancel.request_stop();
}

bool ListOutput::isWriting() const
{
  return m_job->isRunning();
}

void ListOutput::cancel()
{
  // What became of the file is said by the run: it may just have been done.
  m_cancel.request_stop();
}

LedgerList ListOutput::listOf(What what) const
{
  LedgerView& view = m_ledgers.active();
  LedgerList list{view.rows().lines(), view.header().columns(), view.zeroTime().value_or(Picoseconds{0})};
  if (what == What::All) {
    std::vector<LedgerSource> sources = list.lines.rows().sources();
    for (LedgerSource& source : sources)
      source.shown.reset();
    list.lines.setRows(MergedRows(std::move(sources)));
  }
  return list;
}

void ListOutput::askForExport(What what)
{
  if (!m_engine.capture())
    return;
  const QFileInfo file(m_engine.path());
  QFileDialog dialog(m_window, what == What::Shown ? tr("Export the list as shown") : tr("Export the whole list"),
                     file.path());
  dialog.setObjectName(QStringLiteral("exportDialog"));
  dialog.setAcceptMode(QFileDialog::AcceptSave);
  dialog.setNameFilters({tr("Comma-separated values (*.csv)"), tr("Text in columns (*.txt)"),
                         tr("JSON lines (*.jsonl)"), tr("Workbook (*.xlsx)")});
  // A name without suffix is of the kind that was chosen. The dialog adds it, so that it asks before it replaces a file
  // of that name.
  const auto takeSuffix = [&dialog](const QString& filter) {
    const qsizetype dot = filter.lastIndexOf(QStringLiteral("(*."));
    dialog.setDefaultSuffix(filter.mid(dot + 3).chopped(1));
  };
  takeSuffix(dialog.nameFilters().constFirst());
  connect(&dialog, &QFileDialog::filterSelected, &dialog, takeSuffix);
  dialog.selectFile(file.completeBaseName() + QStringLiteral(".csv"));
  if (dialog.exec() == QDialog::Accepted && !dialog.selectedFiles().isEmpty())
    write(dialog.selectedFiles().constFirst(), what);
}

void ListOutput::write(const QString& path, What what)
{
  if (isWriting()) {
    m_notice.showError(tr("%1: another export is still being written; cancel it first, or wait").arg(path));
    return;
  }
  if (QFileInfo(path).canonicalFilePath() == QFileInfo(m_engine.path()).canonicalFilePath() &&
      QFileInfo::exists(path)) {
    m_notice.showError(tr("%1: this is the capture itself; choose another name").arg(path));
    return;
  }
  const auto format = listFormatOf(path.toLower().toStdString());
  if (!format) {
    m_notice.showError(tr("%1: no kind of list has this suffix; use .csv, .txt, .jsonl or .xlsx").arg(path));
    return;
  }
  m_notice.clearText();
  m_notice.showProgress(NoticeBar::Work::Export, tr("Exporting to %1").arg(QFileInfo(path).fileName()));
  m_cancel = std::stop_source();
  m_job->start([this, path, format = *format, list = listOf(what), stop = m_cancel.get_token()](JobRun& run) {
    const auto written = exportLedger(list, path.toStdString(), format, stop, run);
    const QString count = countOf(list.lines.rows().size(), kTransactions);
    const bool cancelled = !written && written.error().code == ErrorCode::Cancelled;
    const QString text = written     ? tr("Exported %1 to %2").arg(count, path)
                         : cancelled ? tr("The export was cancelled; nothing was written.")
                                     : toQString(written.error().text());
    run.post([this, text, good = written || cancelled] { good ? m_notice.showNote(text) : m_notice.showError(text); });
  });
}

ListPages ListOutput::pages() const
{
  return {listOf(What::Shown), QFileInfo(m_engine.path()).fileName()};
}

void ListOutput::print()
{
  if (m_ledgers.active().rows().lines().empty())
    return;
  const auto printer = std::make_shared<QPrinter>(QPrinter::HighResolution);
  QPrintDialog dialog(printer.get(), m_window);
  if (dialog.exec() == QDialog::Accepted)
    printOn(printer);
}

void ListOutput::printOn(const std::shared_ptr<QPrinter>& printer)
{
  if (isWriting()) {
    m_notice.showError(tr("Another export is still being written; cancel it first, or wait"));
    return;
  }
  m_notice.clearText();
  m_notice.showProgress(NoticeBar::Work::Export, tr("Printing the list …"));
  m_cancel = std::stop_source();
  m_job->start([this, printer, pages = pages(), stop = m_cancel.get_token()](JobRun& run) {
    const auto say = [&](const QString& text, bool good) {
      run.post([this, text, good] { good ? m_notice.showNote(text) : m_notice.showError(text); });
    };
    // A file of pages appears whole or not at all, like every other.
    std::optional<AtomicFile> file;
    const std::string path = printer->outputFileName().toStdString();
    if (!path.empty()) {
      auto created = AtomicFile::create(path);
      if (!created)
        return say(toQString(created.error().text()), false);
      file.emplace(std::move(*created));
      if (!file->temporaryPath().empty())
        printer->setOutputFileName(toQString(file->temporaryPath()));
    }
    const ListPages::End end = pages.paintOn(*printer, [&](int /*page*/, double done) {
      run.report(done);
      return !stop.stop_requested();
    });
    if (end == ListPages::End::GivenUp)
      return say(tr("Printing was cancelled."), true);
    if (file) {
      if (auto written = file->commit(); !written)
        return say(toQString(written.error().text()), false);
    }
    if (end == ListPages::End::TooMany)
      return say(tr("Only the first %1 pages were printed; a filter makes the list shorter").arg(ListPages::kMostPages),
                 false);
    say(path.empty() ? tr("The list was given to the printer.") : tr("Printed to %1").arg(toQString(path)), true);
  });
}

void ListOutput::preview()
{
  if (m_ledgers.active().rows().lines().empty())
    return;
  QPrinter printer(QPrinter::ScreenResolution);
  QPrintPreviewDialog dialog(&printer, m_window);
  dialog.setObjectName(QStringLiteral("preview"));
  connect(&dialog, &QPrintPreviewDialog::paintRequested, this, [this, &dialog](QPrinter* paper) {
    // The dialog wants its pages when this returns. They are painted elsewhere, and meanwhile the window lives: how far
    // they are is said, and who has seen enough gets those that there are.
    QProgressDialog progress(tr("Making the pages …"), tr("Enough"), 0, 100, &dialog);
    progress.setWindowModality(Qt::ApplicationModal);
    std::atomic<bool> enough = false;
    connect(&progress, &QProgressDialog::canceled, &progress, [&enough] { enough = true; });
    ListPages::End end = ListPages::End::Whole;
    QEventLoop wait;
    Job job;
    connect(&job, &Job::progressed, &progress,
            [&progress](double done) { progress.setValue(static_cast<int>(done * 99.0)); });
    connect(&job, &Job::finished, &wait, &QEventLoop::quit);
    connect(&job, &Job::failed, &m_notice, &NoticeBar::showError);
    job.start([&end, &enough, paper, pages = pages()](JobRun& run) {
      end = pages.paintOn(*paper, [&](int /*page*/, double done) {
        run.report(done);
        return !enough;
      });
    });
    wait.exec();
    if (end == ListPages::End::TooMany)
      m_notice.showError(
          tr("Only the first %1 pages are shown; a filter makes the list shorter").arg(ListPages::kMostPages));
  });
  dialog.exec();
}

}  // namespace bexto::ui
