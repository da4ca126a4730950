// Tested by tests/live/capture_run_test.cpp.
#include "live/capture_run.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <optional>

#include "core/base/say.h"
#include "core/base/time_text.h"
#include "core/base/utc_text.h"
#include "core/query/event_watch.h"

namespace bexto::live {

namespace {

using namespace std::chrono_literals;
using Clock = std::chrono::steady_clock;

constexpr auto kPatience = 20ms;
constexpr auto kTellEvery = 80ms;   // who looks on
constexpr auto kWatchEvery = 40ms;  // whether a bus said what is waited for
/// What is kept of the time before an event beyond what is wanted: so long may a line be before it is known, and so
/// long have decoders to find their way when older samples are let go.
constexpr Picoseconds kMargin = 2s;

std::string inputText(std::size_t input)
{
  return say("input {}", input + 1);
}

/// What an event is asked for. Errors: BadArgument.
Result<Query> parsedStart(const CapturePlan& plan, const std::vector<Bus>& buses)
{
  auto parsed = Query::parse(plan.start.query, namesOf(buses));
  if (!parsed)
    return fail(ErrorCode::BadArgument, parsed.error().text(), say("start"));
  if (parsed->empty() || buses.empty())
    return fail(ErrorCode::BadArgument, say("a bus event needs a bus and something that it says"), say("start"),
                say("set up a bus, and write for example: nack"));
  return std::move(*parsed);
}

/// Now, less what was sampled since.
std::string startedAt(Picoseconds since)
{
  using std::chrono::milliseconds;  // picoseconds since 1970 are too many
  const auto now = std::chrono::duration_cast<milliseconds>(std::chrono::system_clock::now().time_since_epoch()) -
                   std::chrono::duration_cast<milliseconds>(since);
  return utcText(WidePicoseconds{now.count()} * (kPicosecondsPerSecond / 1000));
}

/// What of a source it is that is recorded: its samples, or its frames.
constexpr auto whatOf(const SampleRecording* /*unused*/)
{
  return Taken::What::Block;
}
constexpr auto whatOf(const RecordRecording* /*unused*/)
{
  return Taken::What::Records;
}
const SampleBlock& pieceOf(const Taken& taken, const SampleRecording* /*unused*/)
{
  return taken.block;
}
const ArrivedRecords& pieceOf(const Taken& taken, const RecordRecording* /*unused*/)
{
  return taken.records;
}

/// A capture under way. `Recording` is SampleRecording or RecordRecording; places in it are numbers of samples, or ps.
template <typename Recording>
class Run {
 public:
  Run(LiveSource& source, CapturePlan plan, SourceFacts facts, std::vector<Bus> buses, std::stop_token stop,
      CaptureListener& listener, Outbox* outbox)
      : m_source(source),
        m_plan(std::move(plan)),
        m_facts(std::move(facts)),
        m_buses(std::move(buses)),
        m_stop(std::move(stop)),
        m_listener(listener),
        m_outbox(outbox)
  {
  }

  Result<void> run()
  {
    if constexpr (!kSamples) {
      for (Bus& bus : busesOfRecords(*empty(0).capture(), m_buses))
        m_buses.push_back(std::move(bus));
    }
    const bool event = m_plan.start.kind == StartCondition::Kind::Event;
    Query query;
    if (event) {
      auto parsed = parsedStart(m_plan, m_buses);
      if (!parsed)
        return tl::unexpected(parsed.error());
      query = std::move(*parsed);
    }
    m_status.source = m_facts.name;
    m_status.rate = m_plan.rate;
    const bool streamed = streams(m_plan, m_facts);
    if (streamed && event)
      m_watch = std::make_unique<EventWatch>(m_buses, std::move(query));
    const Result<void> done = streamed ? stream() : single();
    endRecording();
    m_listener.stands(m_status);
    m_source.end();
    return done || !cancelled() ? done : Result<void>();
  }

 private:
  bool cancelled() const { return m_stop.stop_requested(); }

  static constexpr bool kSamples = std::is_same_v<Recording, SampleRecording>;

  /// Frames are known from the place `first` on, samples from the first that comes.
  Recording empty([[maybe_unused]] std::int64_t first) const
  {
    std::vector<typename Recording::Line> lines;
    for (const PlannedChannel& channel : m_plan.channels) {
      if constexpr (kSamples)
        lines.push_back({channel.input - 1U, channel.name});
      else
        lines.push_back({channel.input - 1U, channel.name, m_facts.records.at(channel.input - 1U)});
    }
    if constexpr (kSamples)
      return {m_facts.name, std::move(lines), m_facts.inputs.size(), m_plan.rate};
    else
      return {m_facts.name, std::move(lines), first};
  }

  std::int64_t placesOf(Picoseconds t) const
  {
    return kSamples ? static_cast<std::int64_t>(std::llround(toSeconds(t) * m_plan.rate)) : t.count();
  }
  Picoseconds timeAt(std::int64_t place) const
  {
    return Picoseconds{kSamples ? SampleClock(m_plan.rate).timeOf(place) : place};
  }

  /// What is due, and how long nothing will be.
  std::chrono::milliseconds sendDue()
  {
    if (m_outbox == nullptr)
      return kPatience;
    for (const Outgoing& what : m_outbox->due(Clock::now())) {
      if (auto sent = m_source.send(what, m_plan, m_stop); sent)
        ++m_status.sent;
      else
        m_status.sendTrouble = sent.error().text();
    }
    return m_outbox->rest(Clock::now(), kPatience);
  }

  // ---- Samples come as they are taken.

  Result<void> stream()
  {
    if (auto begun = m_source.begin(m_plan, true, m_stop); !begun)
      return begun;
    while (!cancelled() && !m_done) {
      auto taken = m_source.take(sendDue(), m_stop);
      if (!taken)
        return tl::unexpected(taken.error());
      if (taken->what == Taken::What::End)
        return {};
      const Recording* const kind = nullptr;
      if (taken->what == whatOf(kind)) {
        if (auto took = m_watch ? watch(pieceOf(*taken, kind)) : record(pieceOf(*taken, kind)); !took)
          return took;
        m_status.seen = Picoseconds{0};
        if (const Recording* const all = m_watch ? &*m_rolling : m_recording ? &*m_recording : nullptr)
          m_status.seen = timeAt(all->next());
      }
      tell();
    }
    return {};
  }

  /// From the first sample on, for as long as is wanted.
  template <typename Piece>
  Result<void> record(const Piece& block)
  {
    const std::int64_t length = m_plan.length > Picoseconds{0} ? placesOf(m_plan.length) : 0;
    if (!m_recording) {
      const std::int64_t first = kSamples ? block.begin() : 0;
      begin(empty(first), length > 0 ? first + length : kNever.count(), {}, {});
      m_status.wanted = m_plan.length;
    }
    for (;;) {
      if (auto took = m_recording->take(block, m_until); !took)
        return took;
      // What is of the one before.
      if (m_recording->first() < m_from && m_from < m_recording->next())
        *m_recording = m_recording->part(m_from, m_recording->next());
      if (block.end() < m_until)
        return {};
      // One after the other without a sample between.
      endRecording();
      m_done = m_plan.repeat == CapturePlan::Repeat::Once;
      if (m_done)
        return {};
      m_from = m_until;
      begin(empty(m_from), m_from + length, {}, {});
      if (block.end() <= m_until - length)
        return {};
    }
  }

  /// What is before and after each event.
  template <typename Piece>
  Result<void> watch(const Piece& block)
  {
    if (!m_rolling)
      m_rolling = empty(0);
    if (auto took = m_rolling->take(block); !took)
      return took;
    if (m_recording) {
      if (auto took = m_recording->take(block, m_until); !took)
        return took;
      if (m_recording->next() >= m_until)
        endStarted();
    }
    const auto now = Clock::now();
    if (m_done || now - m_watched < kWatchEvery)
      return {};
    m_watched = now;
    look();
    forget();
    return {};
  }

  void look()
  {
    const auto capture = m_rolling->capture();
    for (const EventWatch::Event& event : m_watch->look(*capture)) {
      const std::int64_t at = m_rolling->sampleAt(event.time.begin);
      const std::int64_t end = m_rolling->sampleAt(event.time.end);
      if (m_done || end < m_until)
        continue;  // in the recording of the one before
      // It may be older than what is left of before it; and its end may have been sampled already.
      const std::int64_t from = std::max(m_rolling->first(), at - placesOf(m_plan.before));
      const std::int64_t until = end + std::max<std::int64_t>(1, placesOf(m_plan.after));
      Recording recording = m_rolling->part(from, std::min(until, m_rolling->next()));
      recording.setTrigger(recording.timeOf(at));
      const bool says = m_plan.start.query.find(event.bus) != std::string::npos;
      begin(std::move(recording), until, says ? m_plan.start.query : m_plan.start.query + " · " + event.bus,
            capture->end - event.time.begin + m_plan.before);
      m_status.wanted = timeAt(until - from);
      if (m_recording->next() >= m_until)
        endStarted();
    }
    m_status.lines = m_watch->lines();
    m_status.trouble.clear();
    for (const Error& error : m_watch->errors()) {
      if (error.code != ErrorCode::NotFound && m_status.trouble.empty())  // a rate may show yet, a channel will not
        m_status.trouble = error.text();
    }
  }

  /// Samples that are too old for any event to want them.
  void forget()
  {
    const Picoseconds keep = m_plan.before + kMargin;
    if (m_rolling->length() < 2 * keep + kMargin)
      return;
    const std::int64_t cut = m_rolling->next() - placesOf(keep);
    m_watch->moveTo(m_rolling->timeOf(cut));
    m_rolling = m_rolling->part(cut, m_rolling->next());
  }

  // ---- The instrument waits and records by itself.

  Result<void> single()
  {
    if constexpr (!kSamples)
      return {};
    while (!cancelled() && !m_done) {
      if (auto begun = m_source.begin(m_plan, false, m_stop); !begun)
        return begun;
      bool ending = false;
      for (;;) {
        if (cancelled() && !std::exchange(ending, true))
          m_source.end();
        auto taken = m_source.take(ending ? kPatience : sendDue(), ending ? std::stop_token() : m_stop);
        if (!taken)
          return ending || cancelled() ? Result<void>() : tl::unexpected(taken.error());
        if (taken->what == Taken::What::End)
          break;
        if (taken->what == Taken::What::Block) {
          if (!m_recording) {
            begin(empty(0), kNever.count(),
                  m_plan.start.kind == StartCondition::Kind::Now ? std::string() : sentenceOf(m_plan.start), {});
            m_status.phase = CaptureStatus::Phase::Fetching;
          }
          const Recording* const kind = nullptr;
          if (auto took = m_recording->take(pieceOf(*taken, kind)); !took)
            return took;
          if (taken->trigger >= m_recording->first() && m_plan.start.kind != StartCondition::Kind::Now)
            m_recording->setTrigger(m_recording->timeOf(taken->trigger));
        } else if (!m_recording) {
          m_status.phase = CaptureStatus::Phase::Waiting;
        }
        tell();
      }
      endRecording();
      m_done = m_plan.repeat == CapturePlan::Repeat::Once;
    }
    return {};
  }

  // ---- What is handed on.

  void begin(Recording recording, std::int64_t until, std::string startedBy, std::optional<Picoseconds> since)
  {
    endRecording();
    m_recording = std::move(recording);
    m_until = until;
    m_status.phase = CaptureStatus::Phase::Recording;
    m_startedBy = std::move(startedBy);
    m_startedAt = startedAt(since.value_or(Picoseconds{0}));
    ++m_status.starts;
  }

  void publish()
  {
    for (SessionRecorder::ChunkOnDisk& kept : m_listener.onDisk())
      if constexpr (kSamples)
        m_recording->replaceChunk(kept.channel, kept.number, std::move(kept.chunk));
      else
        m_recording->replaceChunk(kept.channel, kept.number, std::move(kept.records));
    auto capture = m_recording->capture();
    m_status.recorded = capture->end;
    if (std::exchange(m_handedOver, true)) {
      m_listener.grew(capture);
      return;
    }
    Segment segment;
    segment.name = m_facts.name;
    segment.startedAt = m_startedAt;
    segment.startedBy = m_startedBy;
    segment.whole = false;
    segment.capture = std::move(capture);
    m_listener.began(segment);
  }

  /// A recording that began with an event is whole.
  void endStarted()
  {
    endRecording();
    m_done = m_plan.repeat == CapturePlan::Repeat::Once;
  }

  void endRecording()
  {
    if (!m_recording)
      return;
    if (!m_recording->isEmpty()) {
      publish();
      m_listener.ended();
    }
    m_recording.reset();
    m_handedOver = false;
    m_status.phase = CaptureStatus::Phase::Waiting;
  }

  void tell()
  {
    const auto now = Clock::now();
    if (now - m_told < kTellEvery)
      return;
    m_told = now;
    if (m_recording && !m_recording->isEmpty())
      publish();
    else if (m_status.phase == CaptureStatus::Phase::Connecting)
      m_status.phase = CaptureStatus::Phase::Waiting;
    m_listener.stands(m_status);
  }

  LiveSource& m_source;
  CapturePlan m_plan;
  SourceFacts m_facts;
  std::vector<Bus> m_buses;
  std::stop_token m_stop;
  CaptureListener& m_listener;
  Outbox* m_outbox;
  CaptureStatus m_status;
  std::unique_ptr<EventWatch> m_watch;
  std::optional<Recording> m_rolling;    ///< what is watched
  std::optional<Recording> m_recording;  ///< what is kept
  std::int64_t m_until = 0;              ///< the first place that it has no more
  std::int64_t m_from = 0;               ///< of one that follows another: the first that it has
  std::string m_startedBy;
  std::string m_startedAt;
  bool m_handedOver = false;  ///< began() was said
  bool m_done = false;
  Clock::time_point m_told;
  Clock::time_point m_watched;
};

}  // namespace

bool streams(const CapturePlan& plan, const SourceFacts& facts)
{
  return (!facts.records.empty() || plan.rate <= facts.fastestStream) &&
         (plan.start.kind == StartCondition::Kind::Now || plan.start.kind == StartCondition::Kind::Event);
}

Result<CapturePlan> fitted(const CapturePlan& plan, const SourceFacts& facts)
{
  CapturePlan fit = plan;
  if (fit.channels.empty()) {
    for (std::size_t i = 0; i < facts.inputs.size(); ++i)
      fit.channels.push_back({static_cast<std::uint32_t>(i + 1), {}});
  }
  for (PlannedChannel& channel : fit.channels) {
    // A name alone is that of an input, as the source calls it.
    if (channel.input == 0) {
      const auto found = std::find(facts.inputs.begin(), facts.inputs.end(), channel.name);
      if (found == facts.inputs.end())
        return fail(ErrorCode::BadArgument, say("the source has no input called '{}'", channel.name), {},
                    say("say which one it is, by its number: 3={}", channel.name));
      channel.input = static_cast<std::uint32_t>(found - facts.inputs.begin()) + 1;
    }
    if (channel.input > facts.inputs.size())
      return fail(ErrorCode::BadArgument, say("the source has no input {}", channel.input), {},
                  say("it has {}, counted from 1", facts.inputs.size()));
    if (channel.name.empty())
      channel.name = facts.inputs[channel.input - 1];
    if (channel.name.empty())
      channel.name = inputText(channel.input - 1);
  }
  if (!facts.records.empty()) {
    fit.rate = 0;
    if (fit.start.kind != StartCondition::Kind::Now && fit.start.kind != StartCondition::Kind::Event)
      return fail(ErrorCode::BadArgument, say("{} has no wires to wait for", facts.name), say("start"),
                  say("begin at once, or when a bus says something"));
    return fit;
  }
  if (fit.rate == 0)
    fit.rate = std::min(facts.fastestStream > 0 ? facts.fastestStream : facts.fastest, kUsualRate);
  if (fit.rate < facts.slowest || fit.rate > facts.fastest)
    return fail(ErrorCode::BadArgument, say("{} does not sample at {}", facts.name, frequencyText(fit.rate)), {},
                say("it can from {} to {}", frequencyText(facts.slowest), frequencyText(facts.fastest)));
  if (fit.start.kind == StartCondition::Kind::Event && !streams(fit, facts))
    return fail(ErrorCode::BadArgument,
                say("{} does not hand over samples at {} while it takes them, and a bus event needs that", facts.name,
                    frequencyText(fit.rate)),
                {}, say("sample at {} or less", frequencyText(facts.fastestStream)));
  const auto known = [&](const std::string& name) {
    return std::any_of(fit.channels.begin(), fit.channels.end(),
                       [&](const PlannedChannel& channel) { return channel.name == name; });
  };
  std::vector<std::string> names;
  if (fit.start.kind == StartCondition::Kind::Edge || fit.start.kind == StartCondition::Kind::Level ||
      fit.start.kind == StartCondition::Kind::Width)
    names.push_back(fit.start.channel);
  for (const StartCondition::Level& level : fit.start.levels)
    names.push_back(level.channel);
  for (const std::string& name : names) {
    if (!known(name))
      return fail(ErrorCode::BadArgument, say("there is no channel '{}' to start with", name), {},
                  say("name one that is captured"));
  }
  return fit;
}

Result<void> runCapture(LiveSource& source, const CapturePlan& plan, const std::vector<Bus>& buses,
                        const std::stop_token& stop, CaptureListener& listener, Outbox* outbox)
{
  listener.stands({});
  auto facts = source.open(stop);
  if (!facts)
    return stop.stop_requested() ? Result<void>() : tl::unexpected(facts.error());
  auto fit = fitted(plan, *facts);
  if (!fit)
    return tl::unexpected(fit.error());
  if (facts->records.empty())
    return Run<SampleRecording>(source, std::move(*fit), std::move(*facts), buses, stop, listener, outbox).run();
  return Run<RecordRecording>(source, std::move(*fit), std::move(*facts), buses, stop, listener, outbox).run();
}

}  // namespace bexto::live
