#pragma once

#include <QWidget>
#include <utility>
#include <vector>

#include "live/outbox.h"
#include "ui/session/session_model.h"

class QComboBox;
class QHBoxLayout;
class QLineEdit;
class QPushButton;
class QVBoxLayout;

namespace bexto::ui {

class ElidedLabel;

/// Send: what to say on a bus, once or every so often; and what was said before, a click each.
class SendRow : public QWidget {
  Q_OBJECT
 public:
  explicit SendRow(SessionModel& session, QWidget* parent = nullptr);

  /// On which something can be said.
  void setBuses(const std::vector<std::pair<BusId, Bus>>& buses);
  bool isEmpty() const { return m_buses.empty(); }
  /// Nothing is sent every so often any more.
  void end();

 Q_SIGNALS:
  /// `every` is 0 for once.
  void wanted(const bexto::live::Outgoing& what, bexto::Picoseconds every);
  /// What is sent every so often is to end.
  void ended();

 private:
  void makeLine(QVBoxLayout& column);
  void send();
  void sendKept(const SendLine& line);
  void give(std::size_t bus, const QString& text, Picoseconds every);
  void showHelp();
  void showKept();
  std::size_t busOf(const SendLine& line) const;

  SessionModel& m_session;
  std::vector<std::pair<BusId, Bus>> m_buses;
  QComboBox* m_bus = nullptr;
  QLineEdit* m_line = nullptr;
  QComboBox* m_every = nullptr;
  QPushButton* m_send = nullptr;
  ElidedLabel* m_help = nullptr;
  QWidget* m_keptRow = nullptr;
  QHBoxLayout* m_kept = nullptr;
  bool m_repeats = false;
};

}  // namespace bexto::ui
