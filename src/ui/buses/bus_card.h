#pragma once

#include <QFrame>
#include <QTimer>

#include "ui/access/spoken.h"
#include "ui/focus/focus.h"
#include "ui/sheets/sheet_library.h"

class QToolButton;

namespace bexto::ui {

class BusEditor;

/// One bus in the left column: name, protocol, settings, measured rate beside the set one, load, frames and faults. A
/// click, Return or Space opens its settings inside the card.
class BusCard : public QFrame, public SpokenButton {
  Q_OBJECT
 public:
  BusCard(SessionModel& session, Engine& engine, SheetLibrary& library, Focus& focus, BusId bus,
          QWidget* parent = nullptr);

  BusId bus() const { return m_bus; }
  /// `frames`: they may be others, or the capture is longer.
  void refresh(bool frames = true);
  void setOpen(bool open);
  bool isOpen() const { return m_editor != nullptr; }
  BusEditor* editor() const { return m_editor; }
  /// The lines of the card as text, top to bottom: also its accessible description.
  QStringList lines() const;

  // SpokenButton
  void pressSpoken() override { Q_EMIT openWanted(); }
  bool isSpokenOpen() const override { return isOpen(); }

 Q_SIGNALS:
  void openWanted();
  void removeWanted();
  void sheetWanted(const QString& name);
  void rulesWanted();

 protected:
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

 private:
  void updateStop();
  struct Measured {
    QString text;
    bool off = false;  ///< more than a receiver tolerates
  };
  bool hasRecords() const;
  Measured measured() const;
  QString countLine() const;
  QString faultLine() const;

  SessionModel& m_session;
  Engine& m_engine;
  SheetLibrary& m_library;
  Focus& m_focus;
  BusId m_bus;
  BusEditor* m_editor = nullptr;
  QToolButton* m_stop;  ///< of a decode that takes long; of one that was stopped: begins it again
  QTimer m_long;
  std::vector<std::uint8_t> m_load;
};

}  // namespace bexto::ui
