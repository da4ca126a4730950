#pragma once

#include <QWidget>

#include "core/view/measure.h"
#include "ui/focus/focus.h"

class QComboBox;
class QLabel;
class QTreeWidget;
class QTreeWidgetItem;

namespace bexto::ui {

/// Markers and notes as a list, and what lies between two of them: time, frequency, what a wire did and what a bus
/// carried. Names and notes are edited in the list (F2, double-click); Delete removes; picking one goes there.
/// Ctrl+Left and Ctrl+Right move it to the next edge of the wire that is measured.
class MarkersPanel : public QWidget {
  Q_OBJECT
 public:
  MarkersPanel(SessionModel& session, Engine& engine, Focus& focus, QWidget* parent = nullptr);

  QTreeWidget& list() { return *m_list; }
  QComboBox& from() { return *m_from; }
  QComboBox& to() { return *m_to; }
  QComboBox& wire() { return *m_wire; }
  QComboBox& bus() { return *m_bus; }
  /// What is said of the stretch, line by line.
  QStringList lines() const;
  bool isMeasuring() const { return m_job->isRunning(); }
  /// The stretch that is measured: between the two chosen places, in the order of time.
  std::optional<TimeRange> stretch() const;
  /// Lets the user write a note in the list: on the selected transaction, or on a new marker in the view's middle.
  void startNote();

 private:
  void updateList();
  void updateChoices();
  void updateWires();
  void measure();
  void moveToEdge(bool forward);
  void edited(QTreeWidgetItem* item, int column);
  /// nullptr: none is chosen, or there is none. It lives as long as the capture.
  const Channel* chosenWire() const;
  std::optional<Picoseconds> placeOf(const QComboBox* choice) const;
  void say(const QStringList& lines);

  SessionModel& m_session;
  Engine& m_engine;
  Focus& m_focus;
  QTreeWidget* m_list;
  QLabel* m_hint;
  QWidget* m_measure;
  QComboBox* m_from;
  QComboBox* m_to;
  QComboBox* m_wire;
  QComboBox* m_bus;
  QLabel* m_said;
  QStringList m_lines;
  std::unique_ptr<Job> m_job;
  bool m_filling = false;
};

}  // namespace bexto::ui
