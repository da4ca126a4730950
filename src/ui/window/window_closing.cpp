// What the window asks before it goes.
// Tested by tests/ui/keeper_test.cpp.
#include <QCloseEvent>
#include <QFileInfo>
#include <QMessageBox>
#include <QPushButton>

#include "ui/window/list_output.h"
#include "ui/window/main_window.h"
#include "ui/window/plot_output.h"

namespace bexto::ui {

void MainWindow::closeEvent(QCloseEvent* event)
{
  event->setAccepted(mayClose() && mayDropChanges());
}

/// What is being written is not dropped without a word.
bool MainWindow::mayClose()
{
  if (!m_output->isWriting() && !m_plotOutput->isWriting())
    return true;
  QMessageBox question(QMessageBox::NoIcon, tr("Bexto"), tr("An export is being written."), QMessageBox::NoButton,
                       this);
  question.setInformativeText(tr("Closing now drops it; the file stays as it was before."));
  QPushButton* const stay = question.addButton(tr("Go on writing"), QMessageBox::RejectRole);
  question.addButton(tr("Drop it and close"), QMessageBox::DestructiveRole);
  question.setDefaultButton(stay);
  question.setEscapeButton(stay);
  question.exec();
  return question.clickedButton() != stay || (!m_output->isWriting() && !m_plotOutput->isWriting());
}

/// Asks once what becomes of changes that nobody saved.
bool MainWindow::mayDropChanges()
{
  if (!m_keeper->isModified())
    return true;
  const QString name = QFileInfo(m_keeper->path().isEmpty() ? m_engine->path() : m_keeper->path()).fileName();
  QMessageBox question(QMessageBox::NoIcon, tr("Bexto"), tr("%1 is not saved.").arg(name.toHtmlEscaped()),
                       QMessageBox::NoButton, this);
  question.setInformativeText(tr("Buses, markers, notes and lanes as they are now would be gone."));
  QPushButton* const keep = question.addButton(tr("Save"), QMessageBox::AcceptRole);
  QPushButton* const drop = question.addButton(tr("Close without saving"), QMessageBox::DestructiveRole);
  QPushButton* const stay = question.addButton(tr("Go on working"), QMessageBox::RejectRole);
  question.setDefaultButton(keep);
  question.setEscapeButton(stay);
  question.exec();
  if (question.clickedButton() == drop) {
    m_keeper->discard();
    return true;
  }
  if (question.clickedButton() == keep) {
    m_closeWhenSaved = true;
    save();
    m_closeWhenSaved = m_keeper->isSaving();
  }
  return false;
}

}  // namespace bexto::ui
