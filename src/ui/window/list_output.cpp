#include "ui/window/list_output.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QPainter>
#include <QPrintDialog>
#include <QPrintPreviewDialog>
#include <QPrinter>
#include <QProgressDialog>

#include "core/base/number_text.h"
#include "core/decode/sentence.h"
#include "core/export/ledger_export.h"
#include "ui/ledger/ledger_area.h"
#include "ui/ledger/ledger_header.h"
#include "ui/theme/theme.h"
#include "ui/window/notice_bar.h"

namespace bexto::ui {

namespace {

/// Paper is white, and the widths of a screen do not suit it: columns get shares of the page by what they hold.
int shareOf(LedgerColumn column)
{
  switch (column) {
    case LedgerColumn::Transaction:
      return 48;
    case LedgerColumn::Payload:
    case LedgerColumn::Text:
      return 24;
    case LedgerColumn::Time:
      return 15;
    case LedgerColumn::SincePrevious:
    case LedgerColumn::Duration:
      return 13;
    case LedgerColumn::Number:
    case LedgerColumn::Size:
      return 6;
    case LedgerColumn::Bus:
    case LedgerColumn::Address:
    case LedgerColumn::Kind:
    case LedgerColumn::Faults:
      break;
  }
  return 10;
}

}  // namespace

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

bool ListOutput::paintOn(QPrinter& printer, const std::function<bool(int page)>& goOn) const
{
  const LedgerList list = listOf(What::Shown);
  const MergedRows& rows = list.lines.rows();
  QPainter p(&printer);
  QFont words = theme().words();
  words.setPointSizeF(7.5);
  QFont data = theme().data();
  data.setPointSizeF(7.5);
  p.setFont(data);
  const QRect page = printer.pageLayout()
                         .paintRectPixels(printer.resolution())
                         .translated(-printer.pageLayout().paintRectPixels(printer.resolution()).topLeft());
  const int line = p.fontMetrics().height() * 13 / 10;
  const int linesAPage = std::max(1, (page.height() - 3 * line) / line);
  int shares = 0;
  for (const LedgerColumn column : list.columns)
    shares += shareOf(column);
  int printed = 0;
  int pages = 0;
  std::optional<Picoseconds> before;
  const auto head = [&] {
    ++pages;
    p.setFont(words);
    p.setPen(Qt::black);
    p.drawText(QRect(0, 0, page.width(), line), Qt::AlignLeft | Qt::AlignVCenter,
               QFileInfo(m_engine.path()).fileName());
    p.drawText(QRect(0, 0, page.width(), line), Qt::AlignRight | Qt::AlignVCenter, QString::number(pages));
    int x = 0;
    for (const LedgerColumn column : list.columns) {
      const int width = page.width() * shareOf(column) / shares;
      p.drawText(QRect(x, line * 3 / 2, width - 4, line), Qt::AlignLeft | Qt::AlignVCenter,
                 toQString(say(specOf(column).label)));
      x += width;
    }
    p.drawLine(0, line * 5 / 2, page.width(), line * 5 / 2);
  };
  const auto place = [&] {
    if (printed > 0 && printed % linesAPage == 0) {
      if (goOn && !goOn(pages)) {
        printer.abort();
        return false;
      }
      if (pages == kMostPages || !printer.newPage())
        return false;
      head();
    }
    return true;
  };
  head();
  constexpr std::size_t kBatch = 512;
  for (std::uint64_t first = 0; first < rows.size(); first += kBatch) {
    std::uint64_t number = first;
    for (const LedgerRow& row : rows.rows(first, kBatch)) {
      if (!place())
        return false;
      const LedgerSource& source = rows.sources()[row.source];
      const LedgerCellContext context{&source, row.number, number++, before, list.zero};
      int x = 0;
      int y = 3 * line + printed % linesAPage * line;
      p.setFont(data);
      for (const LedgerColumn column : list.columns) {
        const int width = page.width() * shareOf(column) / shares;
        QString text = toQString(cellOf(column, context, 64).text);
        if (column == LedgerColumn::Transaction && source.transactions.isFaulty(row.number))
          text = QStringLiteral("▲ ") + text;
        p.drawText(QRect(x, y, width - 4, line), Qt::AlignLeft | Qt::AlignVCenter,
                   p.fontMetrics().elidedText(text, Qt::ElideRight, width - 4));
        x += width;
      }
      ++printed;
      before = rows.beginOf(row);
      const bool fields = list.lines.form() != LedgerForm::Bytes;
      const std::uint64_t under = fields ? list.lines.detailCount(row) : 0;
      for (std::uint64_t d = 0; d < under; ++d) {
        if (!place())
          return false;
        y = 3 * line + printed % linesAPage * line;
        const Detail detail = detailAt(source.bus, source.transactions, row.number, d);
        p.drawText(QRect(page.width() / 4, y, page.width() * 3 / 4, line), Qt::AlignLeft | Qt::AlignVCenter,
                   toQString(detail.name + "  " + detail.value + "  " + detail.meaning));
        ++printed;
      }
    }
  }
  return true;
}

void ListOutput::print()
{
  if (m_ledgers.active().rows().lines().empty())
    return;
  QPrinter printer(QPrinter::HighResolution);
  QPrintDialog dialog(&printer, m_window);
  if (dialog.exec() != QDialog::Accepted)
    return;
  // A page takes milliseconds: of many, it is said how far they are, and they can be given up.
  QProgressDialog progress(tr("Printing the list …"), tr("Cancel"), 0, kMostPages, m_window);
  progress.setObjectName(QStringLiteral("printing"));
  progress.setWindowModality(Qt::WindowModal);
  const bool whole = paintOn(printer, [&progress](int page) {
    progress.setValue(page);
    return !progress.wasCanceled();
  });
  const bool given = progress.wasCanceled();
  progress.reset();
  if (given)
    m_notice.showNote(tr("Printing was cancelled."));
  else if (!whole)
    m_notice.showError(tr("Only the first %1 pages were printed; a filter makes the list shorter").arg(kMostPages));
}

void ListOutput::preview()
{
  if (m_ledgers.active().rows().lines().empty())
    return;
  QPrinter printer(QPrinter::ScreenResolution);
  QPrintPreviewDialog dialog(&printer, m_window);
  dialog.setObjectName(QStringLiteral("preview"));
  connect(&dialog, &QPrintPreviewDialog::paintRequested, this, [this](QPrinter* paper) {
    if (!paintOn(*paper))
      m_notice.showError(tr("Only the first %1 pages are shown; a filter makes the list shorter").arg(kMostPages));
  });
  dialog.exec();
}

}  // namespace bexto::ui
