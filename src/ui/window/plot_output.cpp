#include "ui/window/plot_output.h"

#include <QBuffer>
#include <QFileDialog>
#include <QFileInfo>
#include <QImage>
#include <QPainter>
#include <algorithm>

#include "core/base/atomic_file.h"
#include "core/base/time_text.h"
#include "core/export/series_export.h"
#include "ui/timeline/plot_series.h"
#include "ui/timeline/timeline_painter.h"
#include "ui/timeline/timeline_view.h"
#include "ui/window/notice_bar.h"

namespace bexto::ui {

namespace {
constexpr int kFiner = 2;
constexpr int kCaptionHeight = 22;
}  // namespace

PlotOutput::PlotOutput(SessionModel& session, Engine& engine, Focus& focus, TimelineView& timeline, NoticeBar& notice,
                       QWidget* window)
    : QObject(window),
      m_session(session),
      m_engine(engine),
      m_focus(focus),
      m_timeline(timeline),
      m_notice(notice),
      m_window(window),
      m_job(std::make_unique<Job>())
{
  connect(&timeline, &TimelineView::plotValuesWanted, this, &PlotOutput::askForValues);
  connect(&timeline, &TimelineView::plotPictureWanted, this, &PlotOutput::askForPicture);
  connect(&notice, &NoticeBar::cancelWanted, this, [this](NoticeBar::Work work) {
    if (work == NoticeBar::Work::Export)
      m_cancel.request_stop();
  });
  connect(m_job.get(), &Job::progressed, &notice,
          [&notice](double fraction) { notice.setProgress(NoticeBar::Work::Export, fraction); });
  connect(m_job.get(), &Job::finished, &notice, [&notice] { notice.endProgress(NoticeBar::Work::Export); });
  connect(m_job.get(), &Job::failed, &notice, &NoticeBar::showError);
}

PlotOutput::~PlotOutput()
{
  m_cancel.request_stop();
}

bool PlotOutput::isWriting() const
{
  return m_job->isRunning();
}

QString PlotOutput::askForName(const QString& title, const QString& filter, const QString& name) const
{
  QFileDialog dialog(m_window, title, QFileInfo(m_engine.path()).path());
  dialog.setObjectName(QStringLiteral("plotDialog"));
  dialog.setAcceptMode(QFileDialog::AcceptSave);
  dialog.setNameFilters({filter});
  dialog.setDefaultSuffix(QFileInfo(name).suffix());
  dialog.selectFile(name);
  const bool good = dialog.exec() == QDialog::Accepted && !dialog.selectedFiles().isEmpty();
  return good ? dialog.selectedFiles().constFirst() : QString();
}

bool PlotOutput::mayWrite(const QString& path) const
{
  const bool same =
      QFileInfo::exists(path) && QFileInfo(path).canonicalFilePath() == QFileInfo(m_engine.path()).canonicalFilePath();
  if (same)
    m_notice.showError(tr("%1: this is the capture itself; choose another name").arg(path));
  return !same;
}

void PlotOutput::askForValues(const Plot& plot)
{
  const QString path =
      askForName(tr("Export the values of %1").arg(toQString(plot.of.value)), tr("Comma-separated values (*.csv)"),
                 toQString(plot.of.value) + QStringLiteral(".csv"));
  if (!path.isEmpty())
    writeValues(path, plot);
}

void PlotOutput::writeValues(const QString& path, const Plot& plot)
{
  if (isWriting()) {
    m_notice.showError(tr("%1: another export is still being written; cancel it first, or wait").arg(path));
    return;
  }
  const auto& views = m_timeline.plots().views();
  const auto found = std::find_if(views.begin(), views.end(), [&](const auto& v) { return v->plot.isSame(plot); });
  if (found == views.end() || !mayWrite(path))
    return;
  if ((*found)->field == nullptr || (*found)->making || (*found)->series.empty()) {
    m_notice.showError(
        tr("%1: nobody said %2 in this capture, so there is nothing to write").arg(path, toQString(plot.of.value)));
    return;
  }
  m_notice.clearText();
  m_notice.showProgress(NoticeBar::Work::Export, tr("Exporting to %1").arg(QFileInfo(path).fileName()));
  m_cancel = std::stop_source();
  m_job->start([this, path, view = *found, stop = m_cancel.get_token()](JobRun& run) {
    const auto written = exportSeries(view->series, view->plot.of.value, *view->field, path.toStdString(), stop, run);
    const bool cancelled = !written && written.error().code == ErrorCode::Cancelled;
    const QString count = countOf(view->series.size(), {"{} value", "{} values"});
    const QString text = written     ? tr("Exported %1 to %2").arg(count, path)
                         : cancelled ? tr("The export was cancelled; nothing was written.")
                                     : toQString(written.error().text());
    run.post([this, text, good = written || cancelled] { good ? m_notice.showNote(text) : m_notice.showError(text); });
  });
}

void PlotOutput::askForPicture()
{
  const QString path =
      askForName(tr("Export a picture of the plots"), tr("Picture (*.png)"), QStringLiteral("plots.png"));
  if (!path.isEmpty())
    writePicture(path);
}

QImage PlotOutput::picture() const
{
  std::vector<TimelineLane> lanes;
  int height = 0;
  for (const TimelineLane& lane : m_timeline.lanes()) {
    if (lane.kind != TimelineLane::Kind::Plot)
      continue;
    lanes.push_back(lane);
    lanes.back().top = height;
    height += lane.height;
  }
  if (lanes.empty())
    return {};
  const int width = px(kLaneHeader) + m_focus.axis().width();
  QImage image(QSize(width, px(kRulerHeight) + height + px(kCaptionHeight)) * kFiner, QImage::Format_RGB32);
  image.setDevicePixelRatio(kFiner);
  image.fill(theme().colours().ground);
  QPainter p(&image);
  p.setRenderHint(QPainter::Antialiasing);
  TimelinePainter painter(p, m_engine, m_session.markers(), m_focus, m_focus.axis());
  painter.hideCursor();
  const QRect area(0, px(kRulerHeight), width, height);
  painter.lanes(lanes, area, 0);
  painter.ruler(QRect(0, 0, width, px(kRulerHeight)));
  painter.overlay(area.adjusted(px(kLaneHeader), 0, 0, 0), 0);
  const TimeRange span = m_focus.axis().span();
  p.setPen(theme().colours().muted);
  p.setFont(theme().words(11));
  p.drawText(QRect(px(12), px(kRulerHeight) + height, width - px(24), px(kCaptionHeight)),
             Qt::AlignLeft | Qt::AlignVCenter,
             tr("%1 · %2 s to %3 s")
                 .arg(QFileInfo(m_engine.path()).fileName(), toQString(momentText(span.begin, 6)),
                      toQString(momentText(span.end, 6))));
  return image;
}

void PlotOutput::writePicture(const QString& path)
{
  const QImage image = picture();
  if (image.isNull() || !mayWrite(path))
    return;
  QByteArray bytes;
  QBuffer buffer(&bytes);
  buffer.open(QIODevice::WriteOnly);
  image.save(&buffer, "PNG");
  auto file = AtomicFile::create(path.toStdString());
  Result<void> written = file ? file->write({bytes.constData(), static_cast<std::size_t>(bytes.size())})
                              : Result<void>(tl::unexpected(file.error()));
  if (written)
    written = file->commit();
  written ? m_notice.showNote(tr("Exported a picture to %1").arg(path))
          : m_notice.showError(toQString(written.error().text()));
}

}  // namespace bexto::ui
