#pragma once

#include <QTemporaryDir>

namespace bexto::test {

/// As long as it lives, sheets and rulebooks of the user and of the system are those in this folder: none at first.
class OwnDataFolder {
 public:
  OwnDataFolder()
  {
    qputenv("XDG_DATA_HOME", m_folder.path().toUtf8());
    qputenv("XDG_DATA_DIRS", m_folder.path().toUtf8());
  }
  ~OwnDataFolder()
  {
    qunsetenv("XDG_DATA_HOME");
    qunsetenv("XDG_DATA_DIRS");
  }
  OwnDataFolder(const OwnDataFolder&) = delete;
  OwnDataFolder& operator=(const OwnDataFolder&) = delete;

  QString filePath(const QString& name) const { return m_folder.filePath(name); }

 private:
  QTemporaryDir m_folder;
};

}  // namespace bexto::test
