#include "ui/window/opener.h"

#include <QDir>
#include <QDropEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QMimeData>
#include <QStandardPaths>

#include "core/format/capture_format.h"
#include "ui/import/import_dialog.h"
#include "ui/text/text.h"
#include "ui/window/notice_bar.h"
#include "ui/window/window_memory.h"

namespace bexto::ui {

namespace {

/// As a file dialog wants them: "*.bexto *.vcd".
QString openSuffixes()
{
  QString list = QStringLiteral("*.bexto");
  for (const CaptureFormat& format : captureFormats()) {
    for (const std::string_view suffix : format.suffixes)
      list += QStringLiteral(" *") + QString::fromUtf8(suffix.data(), static_cast<qsizetype>(suffix.size()));
  }
  return list;
}

}  // namespace

Opener::Opener(CaptureSource& source, NoticeBar& notice, QWidget* window)
    : QObject(window),
      m_source(source),
      m_notice(notice),
      m_window(window),
      m_demoJob(new Job(Job::Urgency::Waited, this))
{
  connect(&source, &CaptureSource::asked, this, &Opener::ask);
  connect(m_demoJob, &Job::failed, &notice, &NoticeBar::showError);
}

void Opener::askForCapture(const QString& near)
{
  const QString path =
      QFileDialog::getOpenFileName(m_window, tr("Open a capture"), QFileInfo(near).path(),
                                   tr("Captures and sessions (%1);;All files (*)").arg(openSuffixes()));
  if (!path.isEmpty())
    open(path);
}

void Opener::askForSegment(const QString& near)
{
  const QString path =
      QFileDialog::getOpenFileName(m_window, tr("Add a capture to this session"), QFileInfo(near).path(),
                                   tr("Captures and sessions (%1);;All files (*)").arg(openSuffixes()));
  if (!path.isEmpty())
    m_source.add(path);
}

void Opener::askForGrowingCapture(const QString& near)
{
  const QString path =
      QFileDialog::getOpenFileName(m_window, tr("Follow a capture that is being written"), QFileInfo(near).path(),
                                   tr("Value change dumps (*.vcd);;All files (*)"));
  if (!path.isEmpty())
    m_source.follow(path);
}

void Opener::ask(const std::shared_ptr<const HowToRead>& question)
{
  auto* const dialog = new ImportDialog(*question, memory::lastHints(), m_window);
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  connect(dialog, &QDialog::accepted, this, [this, dialog, adds = question->adds, path = question->path] {
    const ReadHints hints = dialog->hints();
    memory::rememberHints(hints);
    adds ? m_source.add(path, hints) : m_source.open(path, hints);
  });
  dialog->open();
}

/// As a session among the files that may be made again, so that it opens like any other.
void Opener::openDemo()
{
  m_notice.showProgress(NoticeBar::Work::Opening, tr("Making the lock cycle"));
  m_demoJob->start([this, make = m_makeDemo](JobRun& run) {
    const QString folder = QStandardPaths::writableLocation(QStandardPaths::CacheLocation);
    const QString path = folder + QStringLiteral("/lock-cycle.bexto");
    QDir().mkpath(folder);
    const auto written = writeSession(path.toStdString(), make(), run.stop(), run);
    // When another window has it open, that one is looked at.
    const bool there = written || looksLikeSession(path.toStdString());
    run.post([this, path, there, message = written ? QString() : toQString(written.error().text())] {
      m_notice.endProgress(NoticeBar::Work::Opening);
      if (there)
        open(path);
      else
        m_notice.showError(message);
    });
  });
}

/// A copy, whatever was proposed: a file manager that was told of a move would remove the file.
bool Opener::takes(QDropEvent& event)
{
  const QList<QUrl> urls = event.mimeData()->urls();
  const bool takes = urls.size() == 1 && urls.front().isLocalFile();
  if (takes) {
    event.setDropAction(Qt::CopyAction);
    event.accept();
  }
  return takes;
}

void Opener::drop(QDropEvent& event)
{
  if (takes(event))
    open(event.mimeData()->urls().front().toLocalFile());
}

}  // namespace bexto::ui
