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

/// Now, less what was sampled since.
std::string startedAt(Picoseconds since)
{
  using std::chrono::milliseconds;  // picoseconds since 1970 are too many
  const auto now = std::chrono::duration_cast<milliseconds>(std::chrono::system_clock::now().time_since_epoch()) -
                   std::chrono::duration_cast<milliseconds>(since);
  return utcText(WidePicoseconds{now.count()} * (kPicosecondsPerSecond / 1000));
}

class Run {
 public:
  Run(LiveSource& source, CapturePlan plan, std::vector<Bus> buses, std::stop_token stop, CaptureListener& listener)
      : m_source(source),
        m_plan(std::move(plan)),
        m_buses(std::move(buses)),
        m_stop(std::move(stop)),
        m_listener(listener)
  {
  }

  Result<void> run()
  {
    Query query;
    if (m_plan.start.kind == StartCondition::Kind::Event) {
      std::vector<std::string> names;
      for (const Bus& bus : m_buses)
        names.push_back(bus.name);
      auto parsed = Query::parse(m_plan.start.query, names);
      if (!parsed)
        return fail(ErrorCode::BadArgument, parsed.error().text(), say("start"));
      if (parsed->empty() || m_buses.empty())
        return fail(ErrorCode::BadArgument, say("a bus event needs a bus and something that it says"), say("start"),
                    say("set up a bus, and write for example: nack"));
      query = std::move(*parsed);
    }
    m_listener.stands(m_status);
    auto facts = m_source.open(m_stop);
    if (!facts)
      return cancelled() ? Result<void>() : tl::unexpected(facts.error());
    auto plan = fitted(m_plan, *facts);
    if (!plan)
      return tl::unexpected(plan.error());
    m_plan = std::move(*plan);
    m_facts = std::move(*facts);
    m_status.source = m_facts.name;
    m_status.rate = m_plan.rate;
    const bool streamed = streams(m_plan, m_facts);
    if (streamed && m_plan.start.kind == StartCondition::Kind::Event)
      m_watch = std::make_unique<EventWatch>(m_buses, std::move(query));
    const Result<void> done = streamed ? stream() : single();
    endRecording();
    m_listener.stands(m_status);
    m_source.end();
    return done || !cancelled() ? done : Result<void>();
  }

 private:
  bool cancelled() const { return m_stop.stop_requested(); }

  SampleRecording empty() const
  {
    std::vector<SampleRecording::Line> lines;
    for (const PlannedChannel& channel : m_plan.channels)
      lines.push_back({channel.input - 1U, channel.name});
    return {m_facts.name, std::move(lines), m_facts.inputs.size(), m_plan.rate};
  }

  std::int64_t samplesOf(Picoseconds t) const
  {
    return static_cast<std::int64_t>(std::llround(toSeconds(t) * m_plan.rate));
  }

  // ---- Samples come as they are taken.

  Result<void> stream()
  {
    if (auto begun = m_source.begin(m_plan, true, m_stop); !begun)
      return begun;
    while (!cancelled() && !m_done) {
      auto taken = m_source.take(kPatience, m_stop);
      if (!taken)
        return tl::unexpected(taken.error());
      if (taken->what == Taken::What::End)
        return {};
      if (taken->what == Taken::What::Block) {
        if (auto took = m_watch ? watch(taken->block) : record(taken->block); !took)
          return took;
        m_status.seen = Picoseconds{0};
        if (const SampleRecording* const all = m_watch ? &*m_rolling : m_recording ? &*m_recording : nullptr)
          m_status.seen = Picoseconds{SampleClock(m_plan.rate).timeOf(all->next())};
      }
      tell();
    }
    return {};
  }

  /// From the first sample on, for as long as is wanted.
  Result<void> record(const SampleBlock& block)
  {
    const std::int64_t length = m_plan.length > Picoseconds{0} ? samplesOf(m_plan.length) : 0;
    if (!m_recording) {
      begin(empty(), length > 0 ? block.first + length : kNever.count(), {}, {});
      m_status.wanted = m_plan.length;
    }
    for (;;) {
      if (auto took = m_recording->take(block, m_until); !took)
        return took;
      if (block.first + block.count < m_until)
        return {};
      // One after the other without a sample between.
      endRecording();
      m_done = m_plan.repeat == CapturePlan::Repeat::Once;
      if (m_done)
        return {};
      begin(empty(), m_until + length, {}, {});
      if (block.first + block.count <= m_until - length)
        return {};
    }
  }

  /// What is before and after each event.
  Result<void> watch(const SampleBlock& block)
  {
    if (!m_rolling)
      m_rolling = empty();
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
      const std::int64_t at = m_rolling->sampleAt(event.begin);
      if (m_done || at < m_until)
        continue;  // in the recording of the one before
      // It may be older than what is left of before it; and its end may have been sampled already.
      const std::int64_t from = std::max(m_rolling->first(), at - samplesOf(m_plan.before));
      const std::int64_t until = at + std::max<std::int64_t>(1, samplesOf(m_plan.after));
      SampleRecording recording = m_rolling->part(from, std::min(until, m_rolling->next()));
      recording.setTrigger(recording.timeOf(at));
      const bool says = m_plan.start.query.find(event.bus) != std::string::npos;
      begin(std::move(recording), until, says ? m_plan.start.query : m_plan.start.query + " · " + event.bus,
            capture->end - event.begin + m_plan.before);
      m_status.wanted = m_plan.before + m_plan.after;
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
    const std::int64_t cut = m_rolling->next() - samplesOf(keep);
    m_watch->moveTo(m_rolling->timeOf(cut));
    m_rolling = m_rolling->part(cut, m_rolling->next());
  }

  // ---- The instrument waits and records by itself.

  Result<void> single()
  {
    while (!cancelled() && !m_done) {
      if (auto begun = m_source.begin(m_plan, false, m_stop); !begun)
        return begun;
      bool ending = false;
      for (;;) {
        if (cancelled() && !std::exchange(ending, true))
          m_source.end();
        auto taken = m_source.take(kPatience, ending ? std::stop_token() : m_stop);
        if (!taken)
          return ending || cancelled() ? Result<void>() : tl::unexpected(taken.error());
        if (taken->what == Taken::What::End)
          break;
        if (taken->what == Taken::What::Block) {
          if (!m_recording) {
            begin(empty(), kNever.count(),
                  m_plan.start.kind == StartCondition::Kind::Now ? std::string() : sentenceOf(m_plan.start), {});
            m_status.phase = CaptureStatus::Phase::Fetching;
          }
          if (auto took = m_recording->take(taken->block); !took)
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

  void begin(SampleRecording recording, std::int64_t until, std::string startedBy, std::optional<Picoseconds> since)
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
      m_recording->replaceChunk(kept.channel, kept.number, std::move(kept.chunk));
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
  std::vector<Bus> m_buses;
  std::stop_token m_stop;
  CaptureListener& m_listener;
  SourceFacts m_facts;
  CaptureStatus m_status;
  std::unique_ptr<EventWatch> m_watch;
  std::optional<SampleRecording> m_rolling;    ///< what is watched
  std::optional<SampleRecording> m_recording;  ///< what is kept
  std::int64_t m_until = 0;                    ///< the first sample that it has no more
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
  return plan.rate <= facts.fastestStream &&
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
                        const std::stop_token& stop, CaptureListener& listener)
{
  return Run(source, plan, buses, stop, listener).run();
}

}  // namespace bexto::live
