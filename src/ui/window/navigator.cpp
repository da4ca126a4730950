#include "ui/window/navigator.h"

#include "core/base/number_text.h"
#include "core/base/time_text.h"
#include "core/view/related.h"
#include "ui/focus/measured_places.h"
#include "ui/ledger/ledger_area.h"
#include "ui/text/text.h"

namespace bexto::ui {

Navigator::Navigator(Engine& engine, Focus& focus, Verdicts& verdicts, LedgerArea& ledgers, QObject* parent)
    : QObject(parent), m_engine(engine), m_focus(focus), m_verdicts(verdicts), m_ledgers(ledgers)
{
  // What is being looked for was asked from a place that is left.
  connect(&focus, &Focus::selectionChanged, this, [this] {
    // While a capture grows the same selection is told again and again.
    if (m_focus.selection() != m_from)
      m_job.cancel();
  });
  connect(&ledgers.filter(), &Lookup::textChanged, this, [this] { m_job.cancel(); });
}

Navigator::~Navigator() = default;

void Navigator::select(const Selection& selection)
{
  if (!m_focus.exists(selection))
    return;
  m_focus.select(selection);
  m_focus.reveal(m_focus.selectedTime());
}

/// Of the findings that are no frame with a fault, which are passed anyway: a limit or an expectation that is not kept.
/// The next one, unless a frame with a fault comes first.
bool Navigator::goToFinding(bool forward)
{
  const auto& all = m_verdicts.findings();
  const bool drawn = m_focus.interval().has_value();
  const Picoseconds from = drawn                         ? m_focus.interval()->time.begin
                           : m_focus.selection().valid() ? m_focus.selection().at
                                                         : m_focus.axis().span().begin - Picoseconds{forward ? 1 : 0};
  const Verdicts::Place* best = nullptr;
  for (const Verdicts::Place& place : all) {
    const Finding& finding = m_verdicts.finding(place);
    const RuleSort sort = m_verdicts.ruleOf(place).sort;
    if (sort == RuleSort::Error || sort == RuleSort::Sheet)
      continue;
    // Of a limit that a thousand intervals break, the worst one: the list has the others.
    const auto& worst = m_verdicts.ruleOf(place).worst;
    if (sort == RuleSort::Measure && worst && worst->time != finding.time)
      continue;
    if (forward && finding.time.begin > from) {
      best = &place;
      break;
    }
    if (!forward && finding.time.begin < from)
      best = &place;
  }
  if (best == nullptr)
    return false;
  const auto fault = m_focus.nextFault(forward);
  const Picoseconds at = m_verdicts.finding(*best).time.begin;
  if (fault && (forward ? fault->at <= at : fault->at >= at))
    return false;
  if (!showFinding(m_engine, m_verdicts, m_focus, *best))
    return false;
  Q_EMIT findingShown(*best);
  return true;
}

void Navigator::goToFault(bool forward)
{
  if (!goToFinding(forward) && !m_focus.selectFault(forward))
    Q_EMIT said(forward ? tr("No fault after this place.") : tr("No fault before this place."));
}

void Navigator::goToAlike(bool byName, bool forward)
{
  const LedgerRows& rows = m_ledgers.active().rows();
  if (!m_focus.selection().valid() || !rows.holds(m_focus.selection())) {
    Q_EMIT said(tr("Pick a line first."));
    return;
  }
  const LedgerRow row = rows.rowOf(m_focus.selection());
  const LedgerSource& source = rows.merged().sources()[row.source];
  const StreamId stream = source.id;
  auto search = std::make_shared<AlikeSearch>(source, row.number, byName ? Alike::Name : Alike::Kind, forward);
  const auto arrive = [this, stream, search, forward] {
    const StreamView* const now = m_engine.find(stream);
    const auto found = search->found();
    if (!found || now == nullptr || *found >= now->transactions.size()) {
      Q_EMIT said(forward ? tr("No later line like this one.") : tr("No earlier line like this one."));
      return;
    }
    select(selectionOf(stream, now->transactions, *found));
  };
  // Mostly it is near: then the keyboard does not wait for a thread.
  constexpr std::uint64_t kNear = 20000;
  constexpr std::uint64_t kPart = 1U << 16U;
  m_job.cancel();
  if (search->run(kNear)) {
    arrive();
    return;
  }
  m_from = m_focus.selection();
  m_job.start([search, arrive](JobRun& run) {
    while (!search->run(kPart)) {
      if (run.stop().stop_requested())
        return;
    }
    run.post(arrive);
  });
}

void Navigator::goToPartner()
{
  if (!m_focus.selection().valid())
    return;
  // Asked of all that was decoded: a list of one bus's line has no other line to answer.
  const MergedRows all(m_engine.ledgerSources());
  for (std::size_t s = 0; s < all.sources().size(); ++s) {
    if (all.sources()[s].id != m_focus.selection().stream)
      continue;
    const LedgerRow row{s, all.sources()[s].transactions.transactionOf(m_focus.selection().frame)};
    const auto partner = partnerOf(all, row);
    if (!partner)
      break;
    const Transactions& t = all.sources()[partner->source].transactions;
    const Selection selection{all.sources()[partner->source].id, t.framesOf(partner->number).first,
                              t.beginOf(partner->number)};
    select(selection);
    if (!m_ledgers.active().rows().shows(selection))
      Q_EMIT said(tr("The filter hides that line; Shift+F lifts it."));
    return;
  }
  Q_EMIT said(tr("No request or answer is known for this line."));
}

void Navigator::goToKin()
{
  if (!m_focus.selection().valid())
    return;
  const StreamId here = m_focus.selection().stream;
  const Transactions& t = m_focus.selectedStream().transactions;
  const auto kin = t.meaning() ? t.meaning()->kinOf(t.framesOf(m_focus.selectedTransaction())) : std::nullopt;
  const StreamView* const there = kin ? m_engine.find(StreamId{here.bus, kin->stream}) : nullptr;
  if (there == nullptr || kin->frames.empty() || kin->frames.front() >= there->transactions.frames().size()) {
    Q_EMIT said(tr("This line is no part of a message, and no message that came in parts."));
    return;
  }
  const std::uint64_t frame = kin->frames.front();
  const Selection selection{{here.bus, kin->stream}, frame, there->transactions.frames().frame(frame).time.begin};
  select(selection);
  if (!m_ledgers.active().rows().shows(selection))
    Q_EMIT said(tr("The filter hides that line; Shift+F lifts it."));
}

void Navigator::showNewest()
{
  constexpr Picoseconds kLongest = std::chrono::milliseconds{200};
  const Picoseconds end = m_engine.whole().end;
  // Without wires there is something to see a few times a second.
  constexpr Picoseconds kOfFrames = std::chrono::seconds{5};
  const bool frames = m_engine.capture() && m_engine.capture()->isOnlyRecords();
  const Picoseconds length = frames ? kOfFrames : std::min(m_focus.axis().span().length(), kLongest);
  m_focus.setAxis(TimeAxis({end - length, end}, m_focus.axis().width()));
}

void Navigator::showStart()
{
  constexpr Picoseconds kBefore = std::chrono::milliseconds{1};
  constexpr Picoseconds kBehind = std::chrono::milliseconds{4};
  const Picoseconds at = *m_engine.capture()->trigger;
  m_focus.setAxis(TimeAxis({minus(at, kBefore), plus(at, kBehind)}, m_focus.axis().width()));
  m_ledgers.active().scrollToTime(at);
}

void Navigator::goToTime(Picoseconds t)
{
  m_focus.reveal({t, t});
  m_ledgers.active().scrollToTime(t);
}

std::vector<Command> Navigator::commandsFor(const QString& typed)
{
  std::vector<Command> commands;
  const QString text = typed.trimmed();
  if (text.isEmpty() || !m_engine.capture())
    return commands;
  const QString kind = tr("go to");
  QString compact = text;
  compact.remove(QLatin1Char(' '));
  if (const auto time = parseTime(compact.toStdString());
      time && *time >= Picoseconds{0} && *time <= m_engine.whole().end) {
    commands.push_back({tr("Time %1 s").arg(toQString(momentText(*time, 9))), kind, {}, [this, t = *time] {
                          m_focus.setCursor(t);
                          goToTime(t);
                        }});
  }
  const QString digits = compact.startsWith(QLatin1Char('#')) ? compact.mid(1) : compact;
  if (const auto number = parseInteger(digits.toStdString()); number && *number > 0) {
    const auto wanted = static_cast<std::uint64_t>(*number) - 1;
    if (wanted < m_ledgers.active().rows().shownCount())
      commands.push_back({tr("Line %1 of the list").arg(toQString(countText(wanted + 1))), kind, {}, [this, wanted] {
                            m_ledgers.active().pickRow(wanted);
                          }});
    for (int b = 0; b < m_engine.busCount(); ++b) {
      const BusView& view = m_engine.bus(b);
      for (std::size_t s = 0; s < view.streams.size(); ++s) {
        const FrameIndex& frames = view.streams[s].transactions.frames();
        if (wanted >= frames.size())
          continue;
        const bool several = view.streams.size() > 1 && !view.streams[s].line.empty();
        const QString line = several ? QLatin1Char(' ') + toQString(view.streams[s].line).toUpper() : QString();
        commands.push_back(
            {tr("Frame %1 of %2%3").arg(toQString(countText(wanted + 1)), toQString(view.shown.name), line),
             kind,
             {},
             [this, id = StreamId{view.id, static_cast<int>(s)}, wanted, at = frames.frame(wanted).time.begin] {
               select({id, wanted, at});
             }});
      }
    }
  }
  return commands;
}

}  // namespace bexto::ui
