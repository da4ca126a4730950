// Tested by tests/ui/bench_test.cpp.
#include "ui/bench/bench_panel.h"

#include <QComboBox>
#include <QCompleter>
#include <QDir>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QRegularExpression>
#include <QScopedValueRollback>
#include <QStackedWidget>
#include <QStorageInfo>
#include <QVBoxLayout>

#include "core/base/time_text.h"
#include "core/decode/protocol.h"
#include "ui/access/spoken.h"
#include "ui/bench/advice_list.h"
#include "ui/bench/channels_choice.h"
#include "ui/bench/send_row.h"
#include "ui/keeper/unsaved_folder.h"
#include "ui/text/elided_label.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

using Kind = StartCondition::Kind;

/// What the start is made of: the order of the choice.
enum StartChoice { kNow, kWires, kEvent };

StartChoice choiceOf(const StartCondition& start)
{
  return start.kind == Kind::Now ? kNow : start.kind == Kind::Event ? kEvent : kWires;
}

void markWrong(QWidget& widget, bool wrong)
{
  if (widget.property("wrong").toBool() == wrong)
    return;
  widget.setProperty("wrong", wrong);
  widget.setStyleSheet(widget.styleSheet());  // the sheet is looked up again
}

/// What has been typed, as a length of time that is not below 0.
std::optional<Picoseconds> typedTime(const QString& text)
{
  const auto time = parseTime(text.trimmed().toStdString());
  if (!time || *time < Picoseconds{0})
    return std::nullopt;
  return *time;
}

/// Without zeros behind the point: it stands in a field.
QString shortened(QString text)
{
  static const QRegularExpression kZeros(QStringLiteral("\\.?0+(?= )"));
  return text.contains(QLatin1Char('.')) ? text.remove(kZeros) : text;
}

QString timeText(Picoseconds t)
{
  return shortened(toQString(lengthText(t, 9)));
}

/// Bytes that are free where recordings are kept until they are saved.
qint64 freeWhereSessionsAre()
{
  QDir folder(UnsavedFolder().path());
  while (!folder.exists() && folder.path() != QDir(folder.path() + QStringLiteral("/..")).path())
    folder.setPath(QFileInfo(folder.path()).path());
  return QStorageInfo(folder).bytesAvailable();
}

QString shortRate(double rate)
{
  return rate > 0 ? shortened(toQString(frequencyText(rate, 9))) : QString();
}

}  // namespace

BenchPanel::BenchPanel(SessionModel& session, Engine& engine, QWidget* parent)
    : QWidget(parent),
      m_session(session),
      m_engine(engine),
      m_question(new SourceQuestion(this)),
      m_event(new Lookup(engine, this)),
      m_occurrences(new Occurrences(engine, this))
{
  setAutoFillBackground(true);
  setBackgroundRole(QPalette::Base);
  setAccessibleName(tr("Bench"));
  makeSetting();
  makeRunning();
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  m_send = new SendRow(session);
  connect(m_send, &SendRow::wanted, this, &BenchPanel::send);
  connect(m_send, &SendRow::ended, this, [this] { m_engine.source().sendNothing(); });
  column->addWidget(m_setting);
  column->addWidget(m_running);
  column->addWidget(m_send);
  auto* hairline = new QFrame;
  hairline->setFixedHeight(1);
  hairline->setAutoFillBackground(true);
  hairline->setBackgroundRole(QPalette::Mid);
  column->addWidget(hairline);
  connect(m_question, &SourceQuestion::answered, this, [this](const live::SourceFacts& facts) {
    m_facts = facts;
    m_noFacts.clear();
    showFacts();
  });
  connect(m_question, &SourceQuestion::failed, this, [this](const QString& message) {
    m_facts = {};
    m_noFacts = message;
    showFacts();
  });
  connect(&session, &SessionModel::planned, this, &BenchPanel::showPlan);
  connect(&engine, &Engine::changed, this, [this] {
    if (m_open && !m_engine.isDecoding())
      updateAdvice();
  });
  connect(&engine, &Engine::captureChanged, this, &BenchPanel::updateAdvice);
  connect(&session, &SessionModel::changed, this, &BenchPanel::updateState);
  connect(&engine.source(), &CaptureSource::stateChanged, this, &BenchPanel::updateState);
  connect(&engine.source(), &CaptureSource::stands, this, &BenchPanel::updateStatus);
  connect(m_event, &Lookup::resultChanged, this, &BenchPanel::showStartHelp);
  showPlan();
  updateState();
}

void BenchPanel::setOpen(bool open)
{
  if (open == m_open)
    return;
  m_open = open;
  updateState();
  if (open) {
    offerSources();
    if (!m_source->text().trimmed().isEmpty() && m_facts.inputs.empty())
      askSource();
    updateAdvice();
  }
  Q_EMIT openChanged(open);
}

/// What this computer has, to be completed to.
void BenchPanel::offerSources()
{
  QStringList here;
  for (const std::string& url : live::sourcesHere())
    here << toQString(url);
  auto* completer = new QCompleter(here, m_source);
  completer->setFilterMode(Qt::MatchContains);
  m_source->setCompleter(completer);
}

void BenchPanel::focusSource()
{
  m_source->setFocus();
  m_source->selectAll();
}

void BenchPanel::record()
{
  const CapturePlan& plan = m_session.value().plan;
  if (m_engine.source().isRecording())
    return;
  if (plan.source.empty()) {
    setOpen(true);
    focusSource();
    return;
  }
  std::vector<Bus> buses;
  for (const SessionBus& bus : m_session.value().buses)
    buses.push_back(bus.bus);
  Q_EMIT sourceChosen(toQString(plan.source));
  m_engine.source().record(plan, buses);
}

/// Buses on which something can be said: those that are set up, and those that the source has by itself.
std::vector<std::pair<BusId, Bus>> BenchPanel::sendableBuses() const
{
  std::vector<std::pair<BusId, Bus>> buses;
  std::vector<Bus> own;
  for (const SessionBus& bus : m_session.value().buses) {
    own.push_back(bus.bus);
    if (!bus.bus.protocol().facts().sendExample.empty())
      buses.emplace_back(bus.id, bus.bus);
  }
  if (m_facts.records.empty())
    return buses;
  for (const Bus& bus : live::busesOf(m_facts, m_session.value().plan, own))
    buses.emplace_back(BusId::None, bus);
  return buses;
}

/// What is not recorded is not sent either: what comes back is what it was sent for.
void BenchPanel::send(const live::Outgoing& what, Picoseconds every)
{
  if (!m_engine.source().isRecording())
    record();
  if (!m_engine.source().isRecording()) {
    m_send->end();  // it is not known from where
    return;
  }
  m_showSend->setChecked(true);
  m_engine.source().send(what, every);
}

void BenchPanel::stop()
{
  if (m_engine.source().isRecording())
    m_engine.source().end();
}

/// Fills the fields in: the plan is of another session, or somebody took an advice.
void BenchPanel::showPlan()
{
  const CapturePlan& plan = m_session.value().plan;
  {
    const QScopedValueRollback showing(m_showing, true);
    const auto setText = [](QLineEdit& edit, const QString& text) {
      if (!edit.hasFocus())
        edit.setText(text);
    };
    setText(*m_source, toQString(plan.source));
    if (parseFrequency(m_rate->currentText().toStdString()).value_or(0) != plan.rate)
      m_rate->setEditText(shortRate(plan.rate));
    if (typedTime(m_length->currentText()).value_or(Picoseconds{0}) != plan.length)
      m_length->setEditText(plan.length > Picoseconds{0} ? timeText(plan.length) : tr("until stopped"));
    m_start->setCurrentIndex(choiceOf(plan.start));
    if (choiceOf(plan.start) == kWires && !m_wires->hasFocus())
      m_wires->setText(toQString(textOf(plan.start)));
    if (plan.start.kind == Kind::Event && m_event->text() != toQString(plan.start.query))
      m_event->setText(toQString(plan.start.query));
    if (typedTime(m_before->text()) != plan.before)
      m_before->setText(timeText(plan.before));
    if (typedTime(m_after->text()) != plan.after)
      m_after->setText(timeText(plan.after));
    m_repeat->setCurrentIndex(static_cast<int>(plan.repeat));
  }
  showStartHelp();
  showFacts();
}

void BenchPanel::change(const std::function<void(CapturePlan&)>& with)
{
  CapturePlan plan = m_session.value().plan;
  with(plan);
  m_session.plan(plan);
}

/// What stands in the fields is the plan; what cannot be understood is marked, and leaves it as it was.
void BenchPanel::takePlan()
{
  if (m_showing)
    return;
  const auto rate = parseFrequency(m_rate->currentText().toStdString());
  const QString length = m_length->currentText().trimmed();
  const bool endless = length.isEmpty() || length == tr("until stopped");
  const auto time = typedTime(length);
  const auto before = typedTime(m_before->text());
  const auto after = typedTime(m_after->text());
  const auto wires = parseWireCondition(m_wires->text().trimmed().toStdString());
  const auto choice = static_cast<StartChoice>(m_start->currentIndex());
  markWrong(*m_rate, !rate && !m_rate->currentText().trimmed().isEmpty());
  markWrong(*m_length, !endless && !time);
  markWrong(*m_before, !before);
  markWrong(*m_after, !after || *after == Picoseconds{0});
  markWrong(*m_wires, choice == kWires && !wires && !m_wires->text().trimmed().isEmpty());
  {
    // The plan comes back as it was understood; what is typed stays.
    const QScopedValueRollback showing(m_showing, true);
    change([&](CapturePlan& plan) {
      plan.source = m_source->text().trimmed().toStdString();
      plan.rate = rate.value_or(m_rate->currentText().trimmed().isEmpty() ? 0 : plan.rate);
      plan.length = endless ? Picoseconds{0} : time.value_or(plan.length);
      plan.before = before.value_or(plan.before);
      plan.after = after && *after > Picoseconds{0} ? *after : plan.after;
      plan.repeat = static_cast<CapturePlan::Repeat>(m_repeat->currentIndex());
      if (choice == kNow) {
        plan.start = {};
      } else if (choice == kEvent) {
        plan.start = {};
        plan.start.kind = Kind::Event;
        plan.start.query = m_event->text().trimmed().toStdString();
      } else if (wires) {
        plan.start = *wires;
      } else if (choiceOf(plan.start) != kWires) {
        plan.start = {};
        plan.start.kind = Kind::Edge;  // of no channel yet
      }
    });
  }
  showStartHelp();
  updateAdvice();
}

/// What the start means, or what is wrong with it; and how often it would have come in what is shown.
void BenchPanel::showStartHelp()
{
  const auto choice = static_cast<StartChoice>(m_start->currentIndex());
  m_condition->setCurrentIndex(choice);
  m_condition->setVisible(choice != kNow);
  m_startHelp->setVisible(true);
  m_lengthField->setVisible(choice == kNow);
  m_around->setVisible(choice != kNow);
  QString text;
  bool wrong = false;
  if (choice == kWires && !m_wires->text().trimmed().isEmpty()) {
    const auto wires = parseWireCondition(m_wires->text().trimmed().toStdString());
    wrong = !wires;
    text = toQString(wires ? sentenceOf(*wires) : wires.error().mend);
  } else if (choice == kEvent && m_event->error() && !m_says->isUnfinished()) {
    wrong = true;
    text = toQString(m_event->error()->text());
  } else if (choice == kEvent && m_event->result() && !m_event->isIdle()) {
    text = countOf(m_event->result()->found(), {"{} of it in what is shown", "{} of them in what is shown"});
  } else if (choice == kEvent && m_session.value().buses.empty()) {
    text = tr("needs a bus: record once, then set it up");
  }
  m_startHelp->setText(text);
  setInk(*m_startHelp, wrong ? Ink::Fault : Ink::Muted);
}

void BenchPanel::askSource()
{
  m_factsOf = m_source->text().trimmed();
  m_facts = {};
  m_noFacts.clear();
  if (m_factsOf.isEmpty() || m_engine.source().isRecording())
    return;
  m_question->ask(m_factsOf.toStdString());
  showFacts();
}

void BenchPanel::showFacts()
{
  const CapturePlan& plan = m_session.value().plan;
  const std::size_t inputs = m_facts.inputs.size();
  QString text;
  if (!m_facts.records.empty())
    text = toQString(m_facts.name);
  else if (inputs > 0)
    text = tr("%1 · %2 · up to %3")
               .arg(toQString(m_facts.name), countOf(inputs, {"{} input", "{} inputs"}),
                    toQString(frequencyText(m_facts.fastest, 3)));
  else if (m_question->isAsking())
    text = tr("asking …");
  else
    text = m_noFacts;
  m_sourceSays->setText(text);
  m_sourceSays->setToolTip(text);
  setInk(*m_sourceSays, m_noFacts.isEmpty() ? Ink::Muted : Ink::Fault);
  m_channels->setText(plan.channels.empty() ? tr("all …")
                      : inputs > 0          ? tr("%1 of %2 …").arg(plan.channels.size()).arg(inputs)
                                            : tr("%1 …").arg(plan.channels.size()));
  m_channels->setEnabled(inputs > 0 || !plan.channels.empty());
  // Frames come as they come: nobody samples them.
  m_rate->setEnabled(m_facts.records.empty());
  m_send->setBuses(sendableBuses());
  updateAdvice();
}

void BenchPanel::chooseChannels()
{
  auto* const choice = new ChannelsChoice(m_facts.inputs, m_session.value().plan.channels, this);
  choice->setAttribute(Qt::WA_DeleteOnClose);
  connect(choice, &QDialog::accepted, this,
          [this, choice] { change([choice](CapturePlan& plan) { plan.channels = choice->chosen(); }); });
  choice->open();
}

std::vector<PlannedBus> BenchPanel::plannedBuses() const
{
  std::vector<PlannedBus> buses;
  for (int i = 0; i < m_engine.busCount(); ++i) {
    const BusView& view = m_engine.bus(i);
    PlannedBus planned{view.shown.valid() ? view.shown : view.wanted, 0};
    planned.bus.name = view.wanted.name;
    for (const StreamView& stream : view.streams)
      planned.measured = std::max(planned.measured, stream.measuredHertz);
    buses.push_back(std::move(planned));
  }
  return buses;
}

CaptureLimits BenchPanel::limits() const
{
  CaptureLimits limits;
  limits.slowest = m_facts.slowest;
  limits.fastest = m_facts.fastest;
  limits.fastestStream = m_facts.fastestStream;
  limits.memory = m_facts.memory;
  limits.inputs = m_facts.inputs.size();
  limits.frames = !m_facts.records.empty();
  limits.disk = static_cast<std::uint64_t>(std::max<qint64>(0, freeWhereSessionsAre()));
  if (m_engine.capture() && m_engine.capture()->end > Picoseconds{0}) {
    double transitions = 0;
    for (const Channel& channel : m_engine.capture()->channels)
      transitions += static_cast<double>(channel.track.size());
    limits.transitions = transitions / toSeconds(m_engine.capture()->end);
  }
  return limits;
}

void BenchPanel::updateAdvice()
{
  if (!m_open)
    return;
  m_advice = adviceFor(m_session.value().plan, limits(), plannedBuses());
  // A source of frames brings its buses with it.
  m_adviceList->show(m_advice, m_facts.records.empty() ? m_session.value().buses.size() : m_advice.size());
}

void BenchPanel::take(std::size_t line)
{
  if (line < m_advice.size() && m_advice[line].mend != CaptureAdvice::Mend::None)
    m_session.plan(CapturePlan(m_advice[line].better));
}

void BenchPanel::updateState()
{
  const bool running = m_engine.source().isRecording();
  m_setting->setVisible(m_open && !running);
  m_running->setVisible(running);
  if (!running)
    m_send->end();
  m_send->setBuses(sendableBuses());
  m_showSend->setVisible(!m_send->isEmpty());
  m_send->setVisible(!m_send->isEmpty() && (running ? m_showSend->isChecked() : m_open));
  setVisible(m_open || running);
  m_stop->setEnabled(m_engine.source().state() != CaptureSource::State::Ending);
  updateStatus();
}

QString BenchPanel::statusText() const
{
  const CaptureSource& source = m_engine.source();
  if (!source.isRecording())
    return {};
  const CapturePlan& plan = m_session.value().plan;
  const live::CaptureStatus status = source.status();
  QStringList parts;
  if (!status.source.empty())
    parts << toQString(status.source);
  if (status.rate > 0)
    parts << toQString(frequencyText(status.rate, 4));
  const bool begins = plan.start.kind != Kind::Now;
  const QString condition = toQString(plan.start.kind == Kind::Event ? plan.start.query : sentenceOf(plan.start));
  switch (status.phase) {
    case live::CaptureStatus::Phase::Connecting:
      parts << tr("connecting to %1").arg(toQString(plan.source));
      break;
    case live::CaptureStatus::Phase::Waiting:
      parts << (begins ? tr("waiting for: %1").arg(condition) : tr("waiting"));
      if (status.seen > Picoseconds{0})
        parts << tr("%1 looked through").arg(toQString(lengthText(status.seen, 3)));
      if (status.lines > 0)
        parts << countOf(status.lines, {"{} line", "{} lines"});
      break;
    case live::CaptureStatus::Phase::Recording:
      parts << (status.wanted > Picoseconds{0}
                    ? tr("recorded %1 of %2")
                          .arg(toQString(lengthText(status.recorded, 4)), toQString(lengthText(status.wanted, 4)))
                    : tr("recorded %1").arg(toQString(lengthText(status.recorded, 4))));
      break;
    case live::CaptureStatus::Phase::Fetching:
      parts << tr("handing over, %1 so far").arg(toQString(lengthText(status.recorded, 3)));
      break;
  }
  if (status.starts > 1 || (begins && status.starts > 0))
    parts << countOf(status.starts, {"{} recording", "{} recordings"});
  if (status.sent > 0)
    parts << tr("sent %1").arg(status.sent);
  if (!status.sendTrouble.empty())
    parts << QStringLiteral("△ ") + toQString(status.sendTrouble);
  if (!status.trouble.empty())
    parts << QStringLiteral("△ ") + toQString(status.trouble);
  const bool records = source.isLive();
  return (records ? QStringLiteral("● ") : QStringLiteral("○ ")) + parts.join(QStringLiteral("  ·  "));
}

void BenchPanel::updateStatus()
{
  m_status->setText(statusText());
}

}  // namespace bexto::ui
