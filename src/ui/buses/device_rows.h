#pragma once

#include <QWidget>

#include <map>
#include <memory>

#include "ui/sheets/sheet_library.h"

class QVBoxLayout;

namespace bexto::ui {

/// The devices of a bus inside its card: the sheets that it uses, what is wrong with their files, and those that would
/// fit what was said.
class DeviceRows : public QWidget {
  Q_OBJECT
 public:
  DeviceRows(SessionModel& session, Engine& engine, SheetLibrary& library, BusId bus, QWidget* parent = nullptr);

  /// Sheets or traffic may be others.
  void refresh();
  /// The sheets are others.
  void refreshNow() { rebuild(); }
  /// Each row as text.
  QStringList lines() const { return m_lines; }
  /// Takes a sheet from a file; what is wrong with it is said in the rows.
  void addFile(const QString& path);

 Q_SIGNALS:
  /// The sheet of that name is to be edited; empty: a new one.
  void editWanted(const QString& name);

 private:
  void rebuild();
  void lookForOffers();
  QString deviceOf(const SheetText& sheet);
  void use(const SheetText& sheet);
  void leave(const std::string& name);

  SessionModel& m_session;
  Engine& m_engine;
  SheetLibrary& m_library;
  BusId m_bus;
  QVBoxLayout* m_rows;
  QStringList m_lines;
  QString m_trouble;           ///< of a file that was to be added
  std::uint64_t m_looked = 0;  ///< frames when offers were looked for
  std::vector<SheetLibrary::Offer> m_offers;
  std::map<std::string, QString> m_devices;  ///< by the texts of sheets: what they call their device
  std::unique_ptr<Job> m_job;
};

}  // namespace bexto::ui
