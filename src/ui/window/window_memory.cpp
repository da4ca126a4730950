#include "ui/window/window_memory.h"

#include <QFileInfo>
#include <QMainWindow>
#include <QSettings>
#include <QSplitter>

#include "ui/theme/theme.h"
#include "ui/timeline/lane_arrangement.h"

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

void saveLanes(const LaneArrangement& lanes)
{
  QSettings settings;
  settings.remove(QStringLiteral("lanes"));
  const auto list = [](const std::set<std::string>& keys) {
    QStringList out;
    for (const std::string& key : keys)
      out << toQString(key);
    return out;
  };
  settings.setValue(QStringLiteral("lanes/hidden"), list(lanes.hidden()));
  settings.setValue(QStringLiteral("lanes/folded"), list(lanes.folded()));
  QStringList order;
  for (const std::string& key : lanes.order())
    order << toQString(key);
  settings.setValue(QStringLiteral("lanes/order"), order);
  QVariantMap heights;
  for (const auto& [key, height] : lanes.heights())
    heights.insert(toQString(key), height);
  settings.setValue(QStringLiteral("lanes/heights"), heights);
  QVariantMap names;
  for (const auto& [channel, name] : lanes.names())
    names.insert(toQString(channel), name);
  settings.setValue(QStringLiteral("lanes/names"), names);
}

LaneArrangement lanes()
{
  constexpr int kLeast = 16;
  constexpr int kMost = 2000;
  const QSettings settings;
  LaneArrangement lanes;
  for (const QString& key : settings.value(QStringLiteral("lanes/hidden")).toStringList())
    lanes.setHidden(key.toStdString(), true);
  for (const QString& key : settings.value(QStringLiteral("lanes/folded")).toStringList())
    lanes.setFolded(key.toStdString(), true);
  std::vector<std::string> order;
  for (const QString& key : settings.value(QStringLiteral("lanes/order")).toStringList())
    order.push_back(key.toStdString());
  lanes.setOrder(order);
  const QVariantMap heights = settings.value(QStringLiteral("lanes/heights")).toMap();
  for (auto it = heights.begin(); it != heights.end(); ++it)
    lanes.setHeight(it.key().toStdString(), std::clamp(it.value().toInt(), kLeast, kMost));
  const QVariantMap names = settings.value(QStringLiteral("lanes/names")).toMap();
  for (auto it = names.begin(); it != names.end(); ++it)
    lanes.setName(it.key().toStdString(), it.value().toString());
  return lanes;
}

}  // namespace bexto::ui::memory
