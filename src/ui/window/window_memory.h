#pragma once

#include <QString>
#include <QStringList>

#include "core/format/read_hints.h"

class QMainWindow;
class QSplitter;

namespace bexto::ui {

enum class ThemeMode;

/// What the window remembers from one start to the next, in the user's settings file (QSettings, by the XDG paths).
/// The Ledger's columns and the filters used before are remembered by the parts that they belong to.
namespace memory {

void save(const QMainWindow& window, const QList<const QSplitter*>& splitters);
/// What was never saved stays as it is.
void restore(QMainWindow& window, const QList<QSplitter*>& splitters);

/// The latest first; files that are gone are left out.
QStringList recentFiles();
void addRecentFile(const QString& path);

/// What was said of the last file that did not say it itself: rate and channels.
ReadHints lastHints();
void rememberHints(const ReadHints& hints);

/// How much of session files is held in memory.
int cacheMegabytes();
/// From now on.
void setCacheMegabytes(int megabytes);
/// As it was set.
void restoreCache();

/// What was captured last at the Bench, as planText() has it; empty: nothing yet.
QString lastPlan();
void rememberPlan(const QString& plan);

/// Who wrote about a session last.
QString author();
void setAuthor(const QString& author);

/// Gives the theme what was chosen: mode, contrast, size of text.
void restoreLook();
ThemeMode themeMode();
void setThemeMode(ThemeMode mode);
void setHighContrast(bool wanted);
void setTextSize(int percent);

}  // namespace memory

}  // namespace bexto::ui
