#pragma once

#include <QWidget>
#include <vector>

#include "ui/keeper/unsaved_folder.h"
#include "ui/window/glimpse.h"

class QPushButton;
class QVBoxLayout;

namespace bexto::ui {

/// Where work begins, while nothing is open: what to open, what was left unsaved, what was open before, and a demo for
/// who is new.
class StartPage : public QWidget {
  Q_OBJECT
 public:
  explicit StartPage(QWidget* parent = nullptr);

  /// From now on there is one.
  void offerDemo();
  /// What was opened before, the latest first.
  void showFiles(const QStringList& paths);
  void showUnsaved(const std::vector<UnsavedWork>& works);

 Q_SIGNALS:
  void openWanted();
  void demoWanted();
  void captureWanted();
  void fileWanted(const QString& path);
  void restoreWanted(const QString& path);
  void forgetWanted(const QString& path);

 private:
  /// A heading over rows, away while it has none.
  struct Section {
    QWidget* whole = nullptr;
    QVBoxLayout* rows = nullptr;
  };
  Section addSection(QVBoxLayout& column, const QString& title);
  static void clear(Section& section);
  static QWidget* addRow(Section& section, QWidget* picture, const QString& name, const QString& details);

  static QString whatWasIn(const Glimpse& glimpse);

  QPushButton* m_demo;
  Section m_unsaved;
  Section m_files;
};

}  // namespace bexto::ui
