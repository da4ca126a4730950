// Tested by tests/ui/keeper_test.cpp.
#include "ui/keeper/unsaved_folder.h"

#include <QCoreApplication>
#include <QDir>
#include <QFile>
#include <QFileInfo>

#include "core/base/file_lock.h"
#include "core/store/session_store.h"
#include "ui/text/text.h"

namespace bexto::ui {

namespace {

constexpr std::size_t kMostLeft = 10;

QString stateFolder()
{
  const QString given = qEnvironmentVariable("XDG_STATE_HOME");
  // A path that is not absolute is to be ignored.
  return QDir::isAbsolutePath(given) ? given : QDir::homePath() + QStringLiteral("/.local/state");
}

}  // namespace

UnsavedFolder::UnsavedFolder() : m_path(stateFolder() + QStringLiteral("/bexto/unsaved")) {}

QString UnsavedFolder::newFile() const
{
  QDir().mkpath(m_path);
  QFile::setPermissions(m_path, QFile::ReadOwner | QFile::WriteOwner | QFile::ExeOwner);
  const QString stem = QStringLiteral("%1/%2-%3")
                           .arg(m_path, QDateTime::currentDateTimeUtc().toString(QStringLiteral("yyyyMMdd-HHmmss-zzz")))
                           .arg(QCoreApplication::applicationPid());
  for (int i = 1;; ++i) {
    QString path = QStringLiteral("%1-%2.bexto").arg(stem).arg(i);
    if (!QFileInfo::exists(path))
      return path;
  }
}

std::vector<UnsavedWork> UnsavedFolder::left() const
{
  std::vector<UnsavedWork> left;
  const QFileInfoList files = QDir(m_path).entryInfoList({QStringLiteral("*.bexto")}, QDir::Files, QDir::Time);
  for (const QFileInfo& file : files) {
    const std::string path = file.filePath().toStdString();
    if (!FileLock::take(path))
      continue;
    const auto opened = SessionStore::open(path);
    if (!opened)
      continue;
    const SessionFile& content = opened->file;
    const QString from = toQString(content.continues.empty() ? content.session.source : content.continues);
    left.push_back({file.filePath(),
                    content.about.title.empty() ? QFileInfo(from).fileName() : toQString(content.about.title),
                    file.lastModified()});
  }
  return left;
}

void UnsavedFolder::remove(const QString& file)
{
  for (const char* const part : {"", "-wal", "-shm", "-journal"})
    QFile::remove(file + QLatin1String(part));
}

void UnsavedFolder::prune() const
{
  std::size_t kept = 0;
  const QFileInfoList files = QDir(m_path).entryInfoList({QStringLiteral("*.bexto")}, QDir::Files, QDir::Time);
  for (const QFileInfo& file : files) {
    if (FileLock::take(file.filePath().toStdString()) && ++kept > kMostLeft)
      remove(file.filePath());
  }
}

}  // namespace bexto::ui
