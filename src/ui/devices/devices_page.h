#pragma once

#include <memory>
#include <optional>
#include <vector>

#include "ui/devices/device_models.h"
#include "ui/focus/focus.h"
#include "ui/page/lower_page.h"

class QComboBox;
class QHBoxLayout;
class QLabel;
class QStackedWidget;
class QToolButton;
class QTreeView;

namespace bexto::ui {

/// Each device's registers and messages as last seen at the cursor, from the traffic alone, and every access to the one
/// that is picked. What is another than at the marker before is marked.
class DevicesPage : public LowerPage {
  Q_OBJECT
 public:
  DevicesPage(SessionModel& session, Engine& engine, Focus& focus, QWidget* parent = nullptr);

  QString title() const override { return tr("Devices"); }
  QString help() const override { return tr("What devices last said, at the cursor"); }
  QString key() const override { return QStringLiteral("devices"); }
  QWidget* controls() override { return m_controls; }
  QWidget& keyboard() override;

  QComboBox& choice() { return *m_choice; }
  QToolButton& plotButton() { return *m_plot; }
  /// The picked value gets a lane of the Timeline, or has one no longer. Nothing where none is picked.
  void togglePlot();
  QTreeView& registers() { return *m_registers; }
  QTreeView& accesses() { return *m_accesses; }
  QTreeView& memory() { return *m_memoryView; }
  const RegisterModel& rows() const { return *m_rows; }
  const AccessModel& history() const { return *m_history; }
  const MemoryModel& memoryRows() const { return *m_memory; }
  /// The moment that is shown.
  Picoseconds moment() const;
  QString status() const;

 Q_SIGNALS:
  /// Nobody said what the devices mean: the settings of a bus are wanted.
  void sheetsWanted();

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  struct Choice {
    BusId bus = BusId::None;
    std::size_t sheet = 0;
    std::string device;
    bool isMemory = false;  ///< and has no registers
    bool operator==(const Choice&) const = default;
  };
  void follow(const EngineChange& change);
  void updateChoices();
  const Choice* chosen() const;
  /// Histories of the chosen bus, in the background.
  void load();
  void refresh();
  void showAccesses();
  void followSelection();
  /// The value in the picked row; nothing when it is no number.
  std::optional<Plot> pickedPlot() const;
  void updatePlot();

  SessionModel& m_session;
  Engine& m_engine;
  Focus& m_focus;
  QWidget* m_controls;
  QComboBox* m_choice;
  QToolButton* m_plot;
  QLabel* m_status;
  QStackedWidget* m_stack;
  QTreeView* m_registers;
  QTreeView* m_memoryView;
  QTreeView* m_accesses;
  QStackedWidget* m_kinds;          ///< registers, or a memory
  QHBoxLayout* m_halves = nullptr;  ///< that, and the accesses
  RegisterModel* m_rows;
  MemoryModel* m_memory;
  AccessModel* m_history;
  std::vector<Choice> m_choices;
  std::vector<DeviceHistory> m_histories;  ///< of m_loaded, a stream each
  MemoryTrace m_trace;                     ///< of the chosen device, when it is a memory
  std::size_t m_traced = 0;                ///< its sheet
  BusId m_loaded = BusId::None;
  std::unique_ptr<Job> m_job;
  bool m_stale = true;
};

}  // namespace bexto::ui
