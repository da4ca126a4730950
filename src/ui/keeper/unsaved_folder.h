#pragma once

#include <QDateTime>
#include <QString>
#include <vector>

namespace bexto::ui {

/// A session that nobody saved.
struct UnsavedWork {
  QString path;
  QString name;    ///< the session's title, or of what it was made from
  QDateTime when;  ///< it was last changed
};

/// The folder of unsaved work: bexto/unsaved in the state folder of the XDG base directory specification, 0.8. A file
/// that is locked belongs to a window that is open.
class UnsavedFolder {
 public:
  UnsavedFolder();

  const QString& path() const { return m_path; }
  /// A name that no file has. Makes the folder.
  QString newFile() const;
  /// What no window has open, the newest first.
  std::vector<UnsavedWork> left() const;
  /// Removes a file and what belongs to it.
  static void remove(const QString& file);
  /// Of what is left, the newest are kept: so that a hundred captures in a row do not fill the disk.
  void prune() const;

 private:
  QString m_path;
};

}  // namespace bexto::ui
