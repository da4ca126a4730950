#pragma once

#include <QTimer>
#include <QWidget>
#include <map>

#include "ui/engine/engine.h"
#include "ui/sheets/sheet_library.h"

class QComboBox;
class QFormLayout;
class QLabel;
class QLineEdit;
class QToolButton;

namespace bexto::ui {

class DeviceRows;

/// The settings of one bus, inside its card, with the first decoded transactions below. Made from the protocol's
/// setting table, so it offers what makes sense and nothing else. What is typed is checked at once and asked for after
/// a pause.
class BusEditor : public QWidget {
  Q_OBJECT
 public:
  BusEditor(SessionModel& session, Engine& engine, SheetLibrary& library, BusId bus, QWidget* parent = nullptr);

  /// Shows the bus as the engine has it: error and first transactions. The fields keep what is being typed.
  void refresh();
  QString message() const;
  /// Takes what was typed without waiting for the pause; what makes no sense is forgotten.
  void finish();

  /// A pause this long after the last keystroke starts the decode.
  static constexpr int kPauseMilliseconds = 350;

 Q_SIGNALS:
  void removeWanted();
  void closeWanted();
  void sheetWanted(const QString& name);
  /// What the bus is judged by is to be seen.
  void rulesWanted();

 protected:
  void resizeEvent(QResizeEvent* event) override;

 private:
  void nameBooks();
  void addChannelFields(QFormLayout& form);
  void fillChannels();
  void addSettingFields(QFormLayout& form);
  void edited();
  void take(const Bus& bus);
  void apply();
  /// Settings that mean nothing beside the others are not offered.
  void showWhatApplies(const Bus& bus);
  void showMessage(const QString& text);
  /// Cuts its lines to the room that there is.
  void fitPreview();

  SessionModel& m_session;
  Engine& m_engine;
  BusId m_bus;
  Bus m_draft;
  QFormLayout* m_form = nullptr;
  QLineEdit* m_name = nullptr;
  std::map<std::string, QComboBox*> m_channels;
  std::map<std::string, QComboBox*> m_settings;
  QComboBox* m_format = nullptr;
  DeviceRows* m_devices = nullptr;
  QToolButton* m_books = nullptr;
  QLabel* m_message = nullptr;
  QLabel* m_preview = nullptr;
  QStringList m_said;  ///< the lines of the preview, whole
  QTimer m_pause;
  bool m_good = true;
};

}  // namespace bexto::ui
