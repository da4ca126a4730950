#include "ui/query/lookup.h"

#include <QElapsedTimer>
#include <algorithm>
#include <utility>

#include "core/query/scan.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

/// When what was found so far is worth showing: the first screenful at once, then a few times a second.
class Pace {
 public:
  Pace() { m_since.start(); }
  bool due(std::uint64_t found)
  {
    constexpr std::uint64_t kScreenful = 64;
    constexpr qint64 kFirst = 8;
    constexpr qint64 kNext = 60;
    const bool first = !m_shown && (found >= kScreenful || m_since.elapsed() >= kFirst);
    if (!first && m_since.elapsed() < kNext)
      return false;
    m_shown = true;
    m_since.restart();
    return true;
  }

 private:
  QElapsedTimer m_since;
  bool m_shown = false;
};

std::shared_ptr<LookupResult> resultOf(std::vector<LedgerSource> sources, const std::vector<LineSet>& found, bool whole)
{
  auto result = std::make_shared<LookupResult>();
  result->sources = std::move(sources);
  for (std::size_t i = 0; i < found.size(); ++i)
    result->sources[i].shown = std::make_shared<const LineSet>(found[i]);
  result->whole = whole;
  return result;
}

}  // namespace

std::uint64_t LookupResult::found() const
{
  std::uint64_t count = 0;
  for (const LedgerSource& source : sources)
    count += source.size();
  return count;
}

Lookup::Lookup(Engine& engine, QObject* parent) : QObject(parent), m_engine(engine), m_job(std::make_unique<Job>())
{
  connect(&engine, &Engine::captureChanged, this, [this] {
    forget();
    ask();
  });
  // Names that a query may speak of came or went.
  connect(&engine, &Engine::changed, this, [this](const EngineChange& change) {
    if (change.busList)
      forget();
    if (change.busList || (m_error && change.isDescribed()))
      understand();
    const bool otherwise = std::any_of(change.buses.begin(), change.buses.end(), [](const BusChange& c) {
      return c.described || c.frames == BusChange::Frames::Replaced;
    });
    if (change.busList || otherwise || change.elsewhere)
      ask();
    else if (change.hasNewFrames())
      askOn();
  });
  connect(m_job.get(), &Job::finished, this, [this] {
    if (std::exchange(m_behind, false))
      startScan();
    Q_EMIT resultChanged();
  });
}

QueryNames Lookup::names() const
{
  std::vector<Bus> buses;
  buses.reserve(static_cast<std::size_t>(m_engine.busCount()));
  for (int i = 0; i < m_engine.busCount(); ++i)
    buses.push_back(m_engine.bus(i).wanted);
  return namesOf(buses);
}

void Lookup::setText(const QString& text)
{
  if (text == m_text)
    return;
  m_text = text;
  understand();
  ask();
  Q_EMIT askedOtherwise();
}

LineFilter Lookup::asked() const
{
  LineFilter filter{m_text.toStdString(), {}};
  const QStringList all = terms();
  for (int i = 0; i < all.size(); ++i) {
    if (isOff(i))
      filter.off.push_back(all[i].toStdString());
  }
  return filter;
}

void Lookup::take(const LineFilter& filter)
{
  m_text = toQString(filter.text);
  understand();
  const QStringList all = terms();
  for (int i = 0; i < all.size(); ++i)
    m_off[static_cast<std::size_t>(i)] =
        std::find(filter.off.begin(), filter.off.end(), all[i].toStdString()) != filter.off.end();
  ask();
  Q_EMIT textChanged();
}

void Lookup::understand()
{
  auto query = Query::parse(m_text.toStdString(), names());
  if (!query) {
    m_error = query.error();
    Q_EMIT textChanged();
    return;
  }
  QStringList off;
  const QStringList before = terms();
  for (int i = 0; i < before.size(); ++i) {
    if (isOff(i))
      off << before[i];
  }
  m_error.reset();
  m_query = std::move(*query);
  m_understood = m_text;
  m_off.clear();
  for (const QString& term : terms())
    m_off.push_back(off.contains(term));
  Q_EMIT textChanged();
}

QString Lookup::explanation() const
{
  return toQString(m_asked.explanation());
}

QStringList Lookup::terms() const
{
  QStringList terms;
  const QByteArray text = m_understood.toUtf8();
  for (const TextSpan at : m_query.topTerms())
    terms << QString::fromUtf8(text.mid(static_cast<qsizetype>(at.begin), static_cast<qsizetype>(at.end - at.begin)));
  return terms;
}

void Lookup::setOff(int term, bool off)
{
  m_off.at(static_cast<std::size_t>(term)) = off;
  ask();
  Q_EMIT textChanged();
  Q_EMIT askedOtherwise();
}

void Lookup::setAllOff(bool off)
{
  std::fill(m_off.begin(), m_off.end(), off);
  ask();
  Q_EMIT textChanged();
  Q_EMIT askedOtherwise();
}

void Lookup::forget()
{
  m_result.reset();
  m_settled = false;
}

void Lookup::ask()
{
  if (m_error && m_asked.empty())
    return;
  if (!m_error)
    m_asked = m_query.without(m_off);
  LineFilter question{m_understood.toStdString(), asked().off};
  m_settled = m_settled && question == m_question;
  m_question = std::move(question);
  m_behind = false;
  if (m_asked.empty()) {
    const bool had = m_result != nullptr || m_job->isRunning();
    m_job->cancel();
    forget();
    if (had)
      Q_EMIT resultChanged();
    return;
  }
  m_scan = std::make_shared<GrowingScan>(m_asked);
  startScan();
  Q_EMIT resultChanged();
}

void Lookup::askOn()
{
  if (m_asked.empty() || !m_scan)
    return;
  // A scan that is thrown away whenever more comes would never end.
  m_behind = m_job->isRunning();
  if (!m_behind)
    startScan();
}

void Lookup::startScan()
{
  // What was found stays as it is until all is found again; only a new question shows its first lines at once.
  const bool quiet = m_settled;
  m_job->start([this, scan = m_scan, sources = m_engine.listedSources(), quiet](JobRun& run) {
    std::vector<ScanSource> scanned;
    scanned.reserve(sources.size());
    for (const LedgerSource& s : sources)
      scanned.push_back({s.bus, s.line, s.transactions, s.sent});
    const auto show = [&](const std::vector<LineSet>& found, bool whole) {
      run.post([this, result = resultOf(sources, found, whole)] {
        m_result = result;
        m_settled = result->whole;
        Q_EMIT resultChanged();
      });
    };
    Pace pace;
    const auto found = scan->run(scanned, run.stop(), [&](const std::vector<LineSet>& sofar, double done) {
      if (quiet || done >= 1.0)
        return;
      std::uint64_t count = 0;
      for (const LineSet& set : sofar)
        count += set.size();
      if (pace.due(count))
        show(sofar, false);
    });
    if (found)
      show(*found, true);
  });
}

}  // namespace bexto::ui
