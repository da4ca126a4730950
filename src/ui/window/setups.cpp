// Tested by tests/ui/setups_test.cpp.
#include "ui/window/setups.h"

#include <QFileDialog>
#include <QFileInfo>

#include "ui/import/channels_dialog.h"
#include "ui/text/text.h"
#include "ui/window/notice_bar.h"

namespace bexto::ui {

Setups::Setups(SessionModel& session, Engine& engine, NoticeBar& notice, QWidget* window)
    : QObject(window), m_session(session), m_engine(engine), m_notice(notice), m_window(window)
{
}

QString Setups::folder() const
{
  return QFileInfo(m_engine.path()).path();
}

void Setups::askToKeep()
{
  if (m_session.value().buses.empty()) {
    m_notice.showNote(tr("There are no buses to be kept yet."));
    return;
  }
  const QString suffix = QStringLiteral(".setup.json");
  QString path =
      QFileDialog::getSaveFileName(m_window, tr("Keep the buses as a set-up"),
                                   folder() + QLatin1Char('/') + QFileInfo(m_engine.path()).completeBaseName() + suffix,
                                   tr("Set-ups (*.setup.json)"));
  if (path.isEmpty())
    return;
  if (!path.endsWith(QStringLiteral(".json")))
    path += suffix;
  keep(path);
}

void Setups::keep(const QString& path)
{
  const auto written = writeSetup(path.toStdString(), setupOf(m_session.value()));
  if (written)
    m_notice.showNote(tr("Kept in %1.").arg(QFileInfo(path).fileName()));
  else
    m_notice.showError(toQString(written.error().text()));
}

void Setups::askToPutOn()
{
  const QString path =
      QFileDialog::getOpenFileName(m_window, tr("Put a set-up on"), folder(), tr("Set-ups (*.json);;All files (*)"));
  if (!path.isEmpty())
    putOn(path);
}

void Setups::putOn(const QString& path)
{
  auto setup = readSetup(path.toStdString());
  if (!setup) {
    m_notice.showError(toQString(setup.error().text()));
    return;
  }
  const QString name = QFileInfo(path).fileName();
  auto paths = fittingChannels(*setup, *m_engine.capture());
  std::vector<std::string> missing;
  for (const std::string& channel : channelsOf(*setup)) {
    if (!paths.contains(channel))
      missing.push_back(channel);
  }
  if (missing.empty()) {
    apply(*setup, paths, name);
    return;
  }
  auto* const dialog = new ChannelsDialog(missing, *m_engine.capture(), m_window);
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  connect(dialog, &QDialog::accepted, this, [this, dialog, setup = std::move(*setup), paths, name]() mutable {
    paths.merge(dialog->chosen());
    apply(setup, paths, name);
  });
  dialog->open();
}

void Setups::apply(const Setup& setup, const std::map<std::string, std::string>& paths, const QString& name)
{
  m_session.edit(tr("put on %1").arg(name), [&](Session& session) { bexto::putOn(session, setup, paths); });
  m_notice.showNote(countOf(setup.buses.size(), {"{} bus is set up.", "{} buses are set up."}));
}

}  // namespace bexto::ui
