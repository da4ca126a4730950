// Sessions in the window: kept, named, described; and those that were left unsaved.
// Tested by tests/ui/keeper_test.cpp.
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QLocale>
#include <QMenu>
#include <utility>

#include "ui/text/text.h"
#include "ui/window/main_window.h"
#include "ui/window/notice_bar.h"
#include "ui/window/session_dialog.h"
#include "ui/window/window_memory.h"

namespace bexto::ui {

void MainWindow::save()
{
  if (m_keeper->path().isEmpty() || !m_keeper->readOnly().isEmpty())
    askForName();
  else
    m_keeper->save();
}

void MainWindow::askForName()
{
  const QFileInfo now(m_keeper->path().isEmpty() ? m_engine->path() : m_keeper->path());
  QString path = QFileDialog::getSaveFileName(
      this, tr("Save the session"), now.path() + QLatin1Char('/') + now.completeBaseName() + QStringLiteral(".bexto"),
      tr("Sessions (*.bexto)"));
  if (path.isEmpty())
    return;
  // The dialog asked about the name that was typed.
  if (!path.endsWith(QStringLiteral(".bexto"))) {
    path += QStringLiteral(".bexto");
    if (QFileInfo::exists(path)) {
      m_notice->showError(tr("%1 is there already; choose it to replace it").arg(QFileInfo(path).fileName()));
      return;
    }
  }
  m_keeper->saveAs(path);
}

void MainWindow::askForAbout()
{
  About about = m_keeper->about();
  if (about.author.empty())
    about.author = memory::author().toStdString();
  QStringList facts{QDir::toNativeSeparators(m_keeper->path().isEmpty() ? m_engine->path() : m_keeper->path()),
                    countOf(m_engine->segments().size(), {"{} segment", "{} segments"}),
                    countOf(m_engine->capture()->channels.size(), {"{} channel", "{} channels"})};
  auto* const dialog = new SessionDialog(about, facts.join(QStringLiteral(" · ")), this);
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  connect(dialog, &QDialog::accepted, this, [this, dialog] {
    m_keeper->setAbout(dialog->about());
    memory::setAuthor(toQString(dialog->about().author));
  });
  dialog->open();
}

void MainWindow::connectKeeper()
{
  connect(m_keeper, &SessionKeeper::changed, this, [this] {
    const bool saving = m_keeper->isSaving();
    if (saving)
      m_notice->showProgress(NoticeBar::Work::Saving, tr("Saving"));
    else
      m_notice->endProgress(NoticeBar::Work::Saving);
    m_save->setEnabled(m_engine->capture() != nullptr && !saving);
    updateTitle();
  });
  connect(m_keeper, &SessionKeeper::progressed, this,
          [this](double fraction) { m_notice->setProgress(NoticeBar::Work::Saving, fraction); });
  connect(m_keeper, &SessionKeeper::saved, this, [this](const QString& path) {
    m_notice->showNote(tr("Saved in %1.").arg(QFileInfo(path).fileName()));
    memory::addRecentFile(path);
    updateRecent();
    if (std::exchange(m_closeWhenSaved, false))
      close();
  });
  connect(m_keeper, &SessionKeeper::failed, this, [this](const QString& message) {
    m_closeWhenSaved = false;
    m_notice->showError(message);
  });
  connect(&m_engine->source(), &CaptureSource::opened, this, [this] { memory::addRecentFile(m_engine->path()); });
  connect(&m_engine->source(), &CaptureSource::sessionOpened, this, [this] {
    if (!m_keeper->path().isEmpty())
      memory::addRecentFile(m_keeper->path());
    if (!m_keeper->readOnly().isEmpty())
      m_notice->showNote(m_keeper->readOnly());
    else if (m_keeper->isModified())
      m_notice->showNote(tr("This was left unsaved. Save it to keep it, or close it without saving."));
    takeBusesAskedFor();
  });
  connect(&m_engine->source(), &CaptureSource::stateChanged, this, [this] {
    updateRecent();
    updateTitle();
  });
}

/// Looked up when the menu opens: other windows come and go.
void MainWindow::updateLeft()
{
  m_left->clear();
  for (const UnsavedWork& work : m_keeper->left()) {
    const QString when = QLocale().toString(work.when, QLocale::ShortFormat);
    m_left->addAction(tr("%1, %2").arg(work.name, when), this, [this, path = work.path] { m_keeper->restore(path); });
  }
  if (m_left->isEmpty())
    m_left->addAction(tr("Nothing was left unsaved"))->setEnabled(false);
}

}  // namespace bexto::ui
