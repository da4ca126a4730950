#include "ui/window/window_memory.h"

#include <QFileInfo>
#include <QMainWindow>
#include <QSettings>
#include <QSplitter>

#include "core/signal/chunk_cache.h"
#include "ui/theme/theme.h"

namespace bexto::ui::memory {

namespace {

constexpr qsizetype kMostRecent = 10;

QString splitterKey(qsizetype i)
{
  return QStringLiteral("window/splitter%1").arg(i);
}

}  // namespace

void save(const QMainWindow& window, const QList<const QSplitter*>& splitters)
{
  QSettings settings;
  settings.setValue(QStringLiteral("window/geometry"), window.saveGeometry());
  for (qsizetype i = 0; i < splitters.size(); ++i)
    settings.setValue(splitterKey(i), splitters[i]->saveState());
}

void restore(QMainWindow& window, const QList<QSplitter*>& splitters)
{
  const QSettings settings;
  if (const QByteArray geometry = settings.value(QStringLiteral("window/geometry")).toByteArray(); !geometry.isEmpty())
    window.restoreGeometry(geometry);
  for (qsizetype i = 0; i < splitters.size(); ++i) {
    if (const QByteArray state = settings.value(splitterKey(i)).toByteArray(); !state.isEmpty())
      splitters[i]->restoreState(state);
  }
}

QStringList recentFiles()
{
  QStringList there;
  for (const QString& path : QSettings().value(QStringLiteral("recent")).toStringList()) {
    if (QFileInfo::exists(path))
      there << path;
  }
  return there;
}

void addRecentFile(const QString& path)
{
  if (!QFileInfo::exists(path))
    return;
  const QString absolute = QFileInfo(path).absoluteFilePath();
  QStringList recent = QSettings().value(QStringLiteral("recent")).toStringList();
  recent.removeAll(absolute);
  recent.prepend(absolute);
  QSettings().setValue(QStringLiteral("recent"), recent.mid(0, kMostRecent));
}

ReadHints lastHints()
{
  const QSettings settings;
  ReadHints hints;
  hints.rate = settings.value(QStringLiteral("import/rate")).toDouble();
  hints.channels = settings.value(QStringLiteral("import/channels")).toUInt();
  return hints;
}

void rememberHints(const ReadHints& hints)
{
  QSettings settings;
  if (hints.rate > 0)
    settings.setValue(QStringLiteral("import/rate"), hints.rate);
  if (hints.channels > 0)
    settings.setValue(QStringLiteral("import/channels"), static_cast<unsigned>(hints.channels));
}

namespace {
constexpr std::size_t kMegabyte = std::size_t{1} << 20U;
}

int cacheMegabytes()
{
  return static_cast<int>(ChunkCache::shared().limit() / kMegabyte);
}

void setCacheMegabytes(int megabytes)
{
  ChunkCache::shared().setLimit(static_cast<std::size_t>(megabytes) * kMegabyte);
  QSettings().setValue(QStringLiteral("cacheMegabytes"), megabytes);
}

void restoreCache()
{
  constexpr int kLeast = 16;
  const int megabytes = QSettings().value(QStringLiteral("cacheMegabytes")).toInt();
  if (megabytes >= kLeast)
    ChunkCache::shared().setLimit(static_cast<std::size_t>(megabytes) * kMegabyte);
}

QString lastPlan()
{
  return QSettings().value(QStringLiteral("bench")).toString();
}

void rememberPlan(const QString& plan)
{
  QSettings().setValue(QStringLiteral("bench"), plan);
}

QString author()
{
  return QSettings().value(QStringLiteral("author")).toString();
}

void setAuthor(const QString& author)
{
  if (!author.isEmpty())
    QSettings().setValue(QStringLiteral("author"), author);
}

void restoreLook()
{
  const QSettings settings;
  theme().setHighContrast(settings.value(QStringLiteral("contrast")).toBool());
  theme().setTextSize(settings.value(QStringLiteral("textSize")).toInt());
  theme().apply(themeMode());
}

void setHighContrast(bool wanted)
{
  QSettings().setValue(QStringLiteral("contrast"), wanted);
}

void setTextSize(int percent)
{
  QSettings().setValue(QStringLiteral("textSize"), percent);
}

ThemeMode themeMode()
{
  const QString kept = QSettings().value(QStringLiteral("theme")).toString();
  return kept == QStringLiteral("light")  ? ThemeMode::Light
         : kept == QStringLiteral("dark") ? ThemeMode::Dark
                                          : ThemeMode::System;
}

void setThemeMode(ThemeMode mode)
{
  QSettings().setValue(QStringLiteral("theme"), mode == ThemeMode::Light  ? QStringLiteral("light")
                                                : mode == ThemeMode::Dark ? QStringLiteral("dark")
                                                                          : QStringLiteral("system"));
}

}  // namespace bexto::ui::memory
