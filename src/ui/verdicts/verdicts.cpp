#include "ui/verdicts/verdicts.h"

#include <algorithm>

#include "core/export/check_writer.h"
#include "ui/text/text.h"

namespace bexto::ui {

namespace {

/// While a capture grows: a bus is judged again no sooner than this.
constexpr int kWhileLive = 2000;
constexpr int kJudgeAfter = 120;

}  // namespace

CheckInput checkInputOf(const BusView& view, Picoseconds end)
{
  CheckInput input;
  input.bus = view.shown;
  input.bus.books = view.wanted.books;
  input.end = end;
  for (const StreamView& stream : view.streams) {
    if (!stream.isOfWholes())
      input.streams.push_back({stream.line, stream.input, stream.transactions.frames()});
    input.talk.push_back({input.bus, stream.line, stream.transactions, nullptr});
  }
  return input;
}

Verdicts::Verdicts(SessionModel& session, Engine& engine, QObject* parent)
    : QObject(parent), m_session(session), m_engine(engine)
{
  m_soon.setSingleShot(true);
  connect(&m_soon, &QTimer::timeout, this, &Verdicts::start);
  connect(&engine, &Engine::changed, this, &Verdicts::follow);
  connect(&engine, &Engine::captureChanged, this, [this] {
    m_entries.clear();
    m_period.reset();
    m_periodOf.reset();
    collect();
    Q_EMIT changed(BusId::None);
  });
}

Verdicts::~Verdicts() = default;

const BusCheck* Verdicts::of(BusId bus) const
{
  const auto found = m_entries.find(bus);
  return found == m_entries.end() ? nullptr : found->second.check.get();
}

bool Verdicts::isRunning(BusId bus) const
{
  const auto found = m_entries.find(bus);
  return found != m_entries.end() && (found->second.stale || (found->second.job && found->second.job->isRunning()));
}

bool Verdicts::isBusy() const
{
  return std::any_of(m_entries.begin(), m_entries.end(), [this](const auto& entry) { return isRunning(entry.first); });
}

const Finding& Verdicts::finding(const Place& place) const
{
  return of(place.bus)->findings.at(place.number);
}

const RuleResult& Verdicts::ruleOf(const Place& place) const
{
  return of(place.bus)->rules.at(finding(place).rule);
}

void Verdicts::follow(const EngineChange& change)
{
  if (change.busList) {
    const std::size_t before = m_entries.size();
    std::erase_if(m_entries, [this](const auto& entry) { return m_engine.find(entry.first) == nullptr; });
    if (m_entries.size() != before) {
      collect();
      Q_EMIT changed(BusId::None);
    }
  }
  for (int i = 0; i < m_engine.busCount(); ++i) {
    const BusId bus = m_engine.bus(i).id;
    const BusChange* const told = change.of(bus);
    if (change.busList || change.wires || (told != nullptr && (told->hasNewFrames() || told->described)))
      m_entries[bus].stale = true;
  }
  if (!m_soon.isActive())
    m_soon.start(m_engine.isLive() ? kWhileLive : kJudgeAfter);
}

void Verdicts::start()
{
  bool waits = false;
  for (auto& [bus, entry] : m_entries) {
    const BusView* const view = m_engine.find(bus);
    if (!entry.stale || view == nullptr)
      continue;
    if (view->streams.empty() && !view->decoding) {  // its wires are not chosen yet
      entry.stale = false;
      continue;
    }
    // A decode that goes on is judged when it has come to its end; one that is live, now and then.
    const bool busy =
        (view->decoding && !m_engine.isLive()) || (m_engine.isLive() && entry.job && entry.job->isRunning());
    if (busy || view->streams.empty()) {
      waits = waits || busy;
      continue;
    }
    run(bus, entry);
  }
  if (waits)
    m_soon.start(m_engine.isLive() ? kWhileLive : kJudgeAfter);
}

void Verdicts::run(BusId bus, Entry& entry)
{
  entry.stale = false;
  if (!entry.job) {
    entry.job = std::make_unique<Job>(Job::Urgency::Background);
    // What it made was told while it still ran: that nobody measures any more is told by itself.
    connect(entry.job.get(), &Job::finished, this, [this, bus] {
      if (!isBusy())
        Q_EMIT changed(bus);
    });
  }
  const std::shared_ptr<const Capture> capture = m_engine.capture();
  if (!capture)
    return;
  // How fine the times are, is asked of a capture once, and again of one that grew.
  const std::optional<SamplePeriod> known = m_periodOf == capture ? m_period : std::nullopt;
  CheckInput input = checkInputOf(*m_engine.find(bus), capture->end);
  entry.job->start([this, bus, capture, known, input = std::move(input)](JobRun& run) mutable {
    input.period = known ? *known : samplePeriodOf(*capture);
    const SamplePeriod period = input.period;
    auto check = checkBus(input, run.stop(), [&run](double done) { run.report(done); });
    if (!check)
      return;
    run.post([this, bus, capture, period, made = std::make_shared<const BusCheck>(std::move(*check))] {
      m_period = period;
      m_periodOf = capture;
      m_entries[bus].check = made;
      collect();
      Q_EMIT changed(bus);
    });
  });
}

void Verdicts::collect()
{
  m_findings.clear();
  for (const auto& [bus, entry] : m_entries) {
    for (std::size_t i = 0; entry.check && i < entry.check->findings.size(); ++i)
      m_findings.push_back({bus, i});
  }
  std::stable_sort(m_findings.begin(), m_findings.end(),
                   [this](const Place& a, const Place& b) { return finding(a).time.begin < finding(b).time.begin; });
}

RuleInterval intervalOf(const RuleResult& rule, const MeasuredPlace& place)
{
  return {toQString(rule.rule), toQString(valueText(rule, place.value)), toQString(limitsText(rule)),
          place.judgement == Judgement::Fail};
}

}  // namespace bexto::ui
