#pragma once

#include <QWidget>
#include <functional>

#include "core/session/capture_advice.h"
#include "ui/engine/engine.h"
#include "ui/engine/recording.h"
#include "ui/query/query_edit.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QStackedWidget;

namespace bexto::ui {

class AdviceList;
class SendRow;

/// Where captures come from: source, channels, rate, how long, what starts it and what becomes of it; and what is to be
/// said about that before it begins. While something is captured it is one line: how that stands, and Stop.
class BenchPanel : public QWidget {
  Q_OBJECT
 public:
  BenchPanel(SessionModel& session, Engine& engine, QWidget* parent = nullptr);

  /// Whether it is unfolded. While something is captured its line is there all the same.
  bool isOpen() const { return m_open; }
  void setOpen(bool open);
  /// Captures as it is set up; without a source it unfolds and waits for one.
  void record();
  void stop();
  /// Where the keyboard goes when it unfolds.
  void focusSource();

  /// What is said about the plan, as it stands there.
  const std::vector<CaptureAdvice>& advice() const { return m_advice; }
  /// Takes the better plan that a line offers.
  void take(std::size_t line);
  /// The line while something is captured.
  QString statusText() const;
  /// As the source says itself; without inputs: it was not asked, or did not answer.
  const live::SourceFacts& facts() const { return m_facts; }

 Q_SIGNALS:
  void openChanged(bool open);
  /// Somebody chose another source: to be proposed the next time.
  void sourceChosen(const QString& url);

 private:
  void makeSetting();
  void makeRunning();
  QWidget* makeSourceRow();
  QWidget* makePlanRow();
  QWidget* makeStartRow();
  void showPlan();
  void takePlan();
  void change(const std::function<void(CapturePlan&)>& with);
  void askSource();
  void offerSources();
  void showFacts();
  void chooseChannels();
  void updateAdvice();
  void updateState();
  void updateStatus();
  void showStartHelp();
  std::vector<std::pair<BusId, Bus>> sendableBuses() const;
  void send(const live::Outgoing& what, Picoseconds every);
  std::vector<PlannedBus> plannedBuses() const;
  CaptureLimits limits() const;

  SessionModel& m_session;
  Engine& m_engine;
  SourceQuestion* m_question;
  live::SourceFacts m_facts;
  QString m_factsOf;  ///< the source that they are of
  QString m_noFacts;  ///< why there are none
  Lookup* m_event;    ///< what a bus is to say, asked of what is shown
  Occurrences* m_occurrences;
  std::vector<CaptureAdvice> m_advice;
  bool m_open = false;
  bool m_showing = false;  ///< fields are being filled in, by nobody's hand

  QWidget* m_setting = nullptr;
  QWidget* m_running = nullptr;
  QLineEdit* m_source = nullptr;
  QLabel* m_sourceSays = nullptr;
  QPushButton* m_channels = nullptr;
  QComboBox* m_rate = nullptr;
  QComboBox* m_length = nullptr;
  QComboBox* m_start = nullptr;
  QStackedWidget* m_condition = nullptr;
  QLineEdit* m_wires = nullptr;
  QueryEdit* m_says = nullptr;
  QWidget* m_around = nullptr;
  QWidget* m_lengthField = nullptr;
  QLineEdit* m_before = nullptr;
  QLineEdit* m_after = nullptr;
  QComboBox* m_repeat = nullptr;
  QLabel* m_startHelp = nullptr;
  AdviceList* m_adviceList = nullptr;
  SendRow* m_send = nullptr;
  QPushButton* m_showSend = nullptr;
  QPushButton* m_record = nullptr;
  QLabel* m_status = nullptr;
  QPushButton* m_stop = nullptr;
};

}  // namespace bexto::ui
