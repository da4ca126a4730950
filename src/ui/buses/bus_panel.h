#pragma once

#include <QWidget>
#include <vector>

#include "ui/focus/focus.h"
#include "ui/sheets/sheet_library.h"

class QLabel;
class QScrollArea;
class QToolButton;
class QVBoxLayout;

namespace bexto::ui {

class BusCard;

/// The left column: the bus cards, and the button that adds one. One card at a time has its settings open.
class BusPanel : public QWidget {
  Q_OBJECT
 public:
  BusPanel(SessionModel& session, Engine& engine, SheetLibrary& library, Focus& focus, QWidget* parent = nullptr);

  const std::vector<BusCard*>& cards() const { return m_cards; }
  /// Opens the list of protocols below the button that adds a bus.
  void askForProtocol();
  /// Adds a bus with likely channels and opens its settings.
  void addBus(const Protocol& protocol);
  void toggleSettings(BusId bus);

 Q_SIGNALS:
  /// A sheet of that bus is to be edited; an empty name: a new one.
  void sheetWanted(bexto::BusId bus, const QString& name);
  /// What that bus is judged by is to be seen.
  void rulesWanted(bexto::BusId bus);

 private:
  void rebuild();
  BusCard* makeCard(BusId bus);
  void follow(const EngineChange& change);

  SessionModel& m_session;
  Engine& m_engine;
  SheetLibrary& m_library;
  Focus& m_focus;
  QScrollArea* m_scroll = nullptr;
  QVBoxLayout* m_column = nullptr;
  QToolButton* m_add = nullptr;
  QLabel* m_empty = nullptr;
  std::vector<BusCard*> m_cards;
  BusId m_openBus = BusId::None;
};

}  // namespace bexto::ui
