// Tested by tests/core/check_test.cpp.
#include "core/check/check.h"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/say.h"
#include "core/check/cause.h"
#include "core/check/measure_stream.h"
#include "core/check/rulebook_file.h"
#include "core/check/sheet_check.h"
#include "core/check/talk_check.h"
#include "core/decode/protocol.h"

namespace bexto {

namespace {

const char* unitWord(MeasureUnit unit)
{
  switch (unit) {
    case MeasureUnit::Time:
      return "ps";
    case MeasureUnit::Frequency:
      return "Hz";
    case MeasureUnit::Percent:
      return "%";
    case MeasureUnit::Count:
      break;
  }
  return "count";
}

class BusChecker {
 public:
  BusChecker(const CheckInput& input, const std::stop_token& stop, const std::function<void(double)>& progress)
      : m_input(input), m_stop(stop), m_progress(progress), m_protocol(input.bus.protocol())
  {
  }

  Result<BusCheck> run()
  {
    findBooks();
    const std::size_t count = std::max<std::size_t>(m_books.size(), 1);
    for (std::size_t i = 0; i < count; ++i) {
      const Rulebook* const book = i < m_books.size() ? m_books[i].get() : nullptr;
      if (auto done = measure(book, i == 0); !done)
        return tl::unexpected(done.error());
      countErrors(book, i == 0);
      if (book == nullptr)
        continue;
      for (const TalkRule& rule : book->talk) {
        if (auto done = talk(*book, rule); !done)
          return tl::unexpected(done.error());
      }
    }
    askSheets();
    return findings();
  }

 private:
  bool stopped() const { return m_stop.stop_requested(); }
  static tl::unexpected<Error> cancelled() { return fail(ErrorCode::Cancelled, "cancelled"); }

  void findBooks()
  {
    std::vector<SheetText> texts = m_input.bus.books.list();
    if (texts.empty() && !m_input.streams.empty()) {
      const CheckStream& first = m_input.streams.front();
      const std::string usual = m_protocol.usualBook(m_input.bus, first.input, first.frames);
      if (const std::string* const text = shippedBook(usual))
        texts.push_back({usual, *text});
    }
    for (const SheetText& text : texts) {
      const RulebookRead read = readRulebook(text.text);
      if (read.book && read.book->protocol == m_protocol.name()) {
        m_books.push_back(read.book);
        m_check.books.push_back(read.book->name);
      } else {
        m_check.notes.push_back(read.book ? say("{} is for another kind of bus", text.name)
                                          : say("{} cannot be read: {}", text.name, read.problems.front().text()));
      }
    }
  }

  RuleResult ruleOf(const Rulebook* book, const std::string& name, RuleSort sort, MeasureUnit unit) const
  {
    RuleResult rule;
    rule.rule = name;
    rule.sort = sort;
    rule.measured = unit;
    rule.unit = unitWord(unit);
    if (book == nullptr)
      return rule;
    rule.book = book->name;
    if (const LimitRule* const limit = book->limitOf(name)) {
      rule.limits = limitsOn(m_input.bus, *limit);
      rule.clause = limit->clause;
      rule.differs = limit->differs();
    }
    return rule;
  }

  /// All measurements by the first book; of another one those that it limits.
  Result<void> measure(const Rulebook* book, bool isFirst)
  {
    const auto& specs = m_protocol.facts().measures;
    std::vector<RuleResult> rules;
    for (const MeasureSpec& spec : specs) {
      RuleResult rule = ruleOf(book, spec.symbol, RuleSort::Measure, spec.unit);
      rule.meaning = say(spec.meaning);
      rule.role = spec.role;
      rules.push_back(std::move(rule));
    }
    if (!isFirst && std::none_of(rules.begin(), rules.end(), [](const RuleResult& r) { return r.limits.any(); }))
      return {};
    std::vector<WantedMeasure> wanted;
    wanted.reserve(rules.size());
    for (const RuleResult& rule : rules)
      wanted.push_back({rule.measured, rule.limits});
    std::vector<Tally> all;
    for (std::size_t s = 0; s < m_input.streams.size(); ++s) {
      const CheckStream& stream = m_input.streams[s];
      const FrameRange range{stream.frames.firstFrom(m_input.span.begin), stream.frames.firstFrom(m_input.span.end)};
      auto measured = measureStream(m_input.bus, stream.input, stream.frames, range, wanted, m_input.period.picoseconds,
                                    m_stop, m_progress);
      if (!measured)
        return tl::unexpected(measured.error());
      for (std::size_t i = 0; i < rules.size(); ++i) {
        for (const MeasuredPlace& place : measured->tallies[i].worst())
          m_streamOf.push_back({m_check.rules.size() + i, place.time, s});
      }
      takeGroups(*measured, stream, rules);
      if (all.empty())
        all = std::move(measured->tallies);
      else
        for (std::size_t i = 0; i < all.size(); ++i)
          all[i].merge(measured->tallies[i]);
    }
    for (std::size_t i = 0; i < rules.size(); ++i) {
      if (!isFirst && !rules[i].limits.any())
        continue;
      if (!all.empty())
        takeTally(all[i], rules[i]);
      m_check.rules.push_back(std::move(rules[i]));
      m_specs.push_back(&specs[i]);
    }
    return {};
  }

  /// By device and driver; of a bus with several lines by line.
  void takeGroups(const StreamMeasures& measured, const CheckStream& stream, std::vector<RuleResult>& rules) const
  {
    for (std::size_t i = 0; i < rules.size(); ++i) {
      const auto& groups = measured.tallies[i].groups();
      for (std::size_t g = 0; g < groups.size(); ++g) {
        std::string name = g < measured.groups.size() ? measured.groups[g] : std::string();
        if (m_input.streams.size() > 1 && name.empty())
          name = stream.line;
        if (groups[g].count > 0 && !name.empty())
          rules[i].groups.push_back({std::move(name), groups[g]});
      }
    }
  }

  /// Whether only the capture's begin or end cut the frame.
  bool isCutByCapture(const Frame& frame) const
  {
    return frame.errors == m_protocol.cutError() && frame.errors != 0 &&
           (frame.time.end >= m_input.end || frame.time.begin <= Picoseconds{0});
  }

  void countErrors(const Rulebook* book, bool isFirst)
  {
    std::uint64_t frames = 0;
    TimeRange first{kNever, kNever};
    const auto& errors = m_protocol.facts().errors;
    std::vector<std::vector<std::pair<std::size_t, std::uint64_t>>> wrong(errors.size());
    for (std::size_t s = 0; s < m_input.streams.size(); ++s) {
      for (const auto& chunk : m_input.streams[s].frames.chunks()) {
        for (std::size_t i = 0; i < chunk->size(); ++i) {
          if (!m_input.span.contains(Picoseconds{chunk->begin[i]}))
            continue;
          ++frames;
          if (Picoseconds{chunk->begin[i]} < first.begin)
            first = chunk->frame(i).time;
          if (chunk->errors[i] == 0)
            continue;
          if (isCutByCapture(chunk->frame(i))) {
            --frames;
            continue;
          }
          if (isFirst && (chunk->errors[i] & ~m_protocol.harmless()) == 0)
            remark(s, chunk->first + i, chunk->frame(i));
          for (std::size_t e = 0; e < errors.size(); ++e) {
            if ((chunk->errors[i] & errors[e].bit) != 0)
              wrong[e].emplace_back(s, chunk->first + i);
          }
        }
      }
    }
    for (std::size_t e = 0; e < errors.size(); ++e) {
      if ((errors[e].bit & m_protocol.harmless()) != 0)
        continue;
      RuleResult rule = ruleOf(book, errors[e].word, RuleSort::Error, MeasureUnit::Count);
      if (!isFirst && !rule.limits.any())
        continue;
      rule.meaning = meaningOf(errors[e]);
      Tally tally(MeasureUnit::Count, rule.limits, 0.0);
      if (frames > wrong[e].size())
        tally.addMany(0.0, frames - wrong[e].size(), first);
      std::stable_sort(wrong[e].begin(), wrong[e].end(),
                       [&](const auto& a, const auto& b) { return beginOf(a) < beginOf(b); });
      for (const auto& [stream, number] : wrong[e]) {
        const TimeRange time = m_input.streams[stream].frames.frame(number).time;
        tally.add(1, time.begin.count(), time.end.count());
      }
      tally.settle();
      takeTally(tally, rule);
      const bool fails = rule.verdict == Verdict::Fail;
      m_check.rules.push_back(std::move(rule));
      m_specs.push_back(nullptr);
      if (!fails)
        continue;
      wrong[e].resize(std::min(wrong[e].size(), Tally::kPlaces));
      for (const auto& [stream, number] : wrong[e])
        m_wrong.push_back({m_check.rules.size() - 1, stream, number});
    }
  }

  /// Of an error that has no phrase, what is said of a frame that has it.
  std::string meaningOf(const ErrorSpec& error) const
  {
    if (!error.phrase.empty())
      return say(error.phrase);
    Frame wrong;
    wrong.errors = error.bit;
    return m_protocol.faultText(m_input.bus, wrong);
  }

  void remark(std::size_t stream, std::uint64_t number, const Frame& frame)
  {
    ++m_check.remarkCount;
    // Of the first stream all places may be later than those of the second: each brings as many as there may be.
    if (stream != m_remarkStream)
      m_remarksOfStream = 0;
    m_remarkStream = stream;
    if (++m_remarksOfStream <= Tally::kPlaces)
      m_check.remarks.push_back({m_protocol.faultText(m_input.bus, frame), frame.time, stream, number});
  }

  Picoseconds beginOf(const std::pair<std::size_t, std::uint64_t>& at) const
  {
    return m_input.streams[at.first].frames.frame(at.second).time.begin;
  }

  Result<void> talk(const Rulebook& book, const TalkRule& rule)
  {
    auto result = checkTalk(m_input, rule, m_stop);
    if (!result) {
      if (result.error().code == ErrorCode::Cancelled)
        return tl::unexpected(result.error());
      m_check.notes.push_back(say("rule '{}' of {} cannot be asked: {}", rule.name, book.name, result.error().text()));
      RuleResult unasked;
      unasked.rule = rule.name;
      unasked.book = book.name;
      unasked.sort = RuleSort::Talk;
      unasked.unit = "count";
      unasked.limits = rule.limits;
      m_check.rules.push_back(std::move(unasked));
      m_specs.push_back(nullptr);
      return {};
    }
    result->rule.book = book.name;
    result->rule.meaning = rule.name;
    m_check.rules.push_back(std::move(result->rule));
    m_specs.push_back(nullptr);
    for (const TalkPlace& place : result->places)
      m_talk.push_back({m_check.rules.size() - 1, place});
    return {};
  }

  /// What each device's sheet excludes.
  void askSheets()
  {
    for (TalkResult& result : checkSheets(m_input)) {
      m_check.rules.push_back(std::move(result.rule));
      m_specs.push_back(nullptr);
      for (TalkPlace& place : result.places)
        m_talk.emplace_back(m_check.rules.size() - 1, std::move(place));
    }
  }

  // ---- From what failed to findings.

  Result<BusCheck> findings()
  {
    CauseFinder causes(m_input, tooClose());
    for (const Wrong& wrong : m_wrong) {
      if (stopped())
        return cancelled();
      m_check.findings.push_back(errorFinding(wrong, causes));
    }
    for (const auto& [rule, place] : m_talk) {
      if (stopped())
        return cancelled();
      m_check.findings.push_back(talkFinding(rule, place, causes));
    }
    for (std::size_t i = 0; i < m_check.rules.size(); ++i) {
      if (m_specs[i] == nullptr)
        continue;
      for (const MeasuredPlace& place : m_check.rules[i].places) {
        if (place.judgement == Judgement::Fail)
          m_check.findings.push_back(limitFinding(i, place, causes));
      }
    }
    std::stable_sort(m_check.findings.begin(), m_check.findings.end(),
                     [](const Finding& a, const Finding& b) { return a.time.begin < b.time.begin; });
    std::stable_sort(m_check.remarks.begin(), m_check.remarks.end(),
                     [](const Remark& a, const Remark& b) { return a.time.begin < b.time.begin; });
    m_check.remarks.resize(std::min(m_check.remarks.size(), Tally::kPlaces));
    return std::move(m_check);
  }

  /// Failures of set-up and hold of data.
  std::vector<CauseFinder::TooClose> tooClose() const
  {
    std::vector<CauseFinder::TooClose> list;
    for (const RuleResult& rule : m_check.rules) {
      const bool setup = rule.rule.starts_with("tSU;");
      if (rule.sort != RuleSort::Measure || (!setup && !rule.rule.starts_with("tHD;")) || rule.rule.ends_with("STA") ||
          rule.rule.ends_with("STO"))
        continue;
      for (const MeasuredPlace& place : rule.places) {
        if (place.judgement == Judgement::Fail)
          list.push_back({setup ? Cause::Kind::Setup : Cause::Kind::Hold, rule.rule, place, rule.limits});
      }
    }
    return list;
  }

  struct Wrong {
    std::size_t rule;
    std::size_t stream;
    std::uint64_t number;
  };

  Finding errorFinding(const Wrong& wrong, CauseFinder& causes) const
  {
    const CheckStream& stream = m_input.streams[wrong.stream];
    const Frame frame = stream.frames.frame(wrong.number);
    Finding finding;
    finding.rule = wrong.rule;
    finding.what = m_protocol.faultText(m_input.bus, frame);
    finding.stream = wrong.stream;
    finding.frame = wrong.number;
    finding.frameBegin = frame.time.begin;
    finding.time = wrongPart(stream, wrong.number, frame);
    finding.cause = causes.ofFrame(wrong.stream, wrong.number);
    return finding;
  }

  /// The bit that is wrong, or the field; the whole frame where its anatomy does not say.
  TimeRange wrongPart(const CheckStream& stream, std::uint64_t number, const Frame& frame) const
  {
    if (stream.input.records)
      return frame.time;
    const Anatomy anatomy = anatomyOf(m_input.bus, stream.input, stream.frames, number);
    for (const Bit& bit : anatomy.bits) {
      if (bit.wrong)
        return bit.cell;
    }
    for (const Field& field : anatomy.fields) {
      if (field.wrong)
        return field.time;
    }
    return frame.time;
  }

  Finding talkFinding(std::size_t rule, const TalkPlace& place, CauseFinder& causes) const
  {
    Finding finding;
    finding.rule = rule;
    finding.what = place.what;
    finding.time = place.place.time;
    finding.measured = place.place;
    finding.limit = limitBroken(m_check.rules[rule], place.place);
    const Transactions& lines = m_input.talk[place.source].transactions;
    // Lines of messages in parts have frames of their own, which are none of a wire.
    const bool isOfWires = place.source < m_input.streams.size();
    finding.stream = place.source;
    const FrameRange range = lines.framesOf(place.line);
    finding.frame = range.first;
    finding.frameBegin = lines.frames().frame(range.first).time.begin;
    // What changed did so since the time before.
    TimeRange span = lines.timeOf(place.line);
    if (place.isChange)
      span = place.place.time;
    if (m_check.rules[rule].rule == "answer" && m_check.rules[rule].sort == RuleSort::Sheet)
      span.end = plus(span.end, kAnswerMayTake);
    finding.cause = causes.ofSpan(span, isOfWires ? place.source : m_input.streams.size(), range.first);
    return finding;
  }

  Finding limitFinding(std::size_t number, const MeasuredPlace& place, const CauseFinder& causes) const
  {
    const RuleResult& rule = m_check.rules[number];
    const MeasureSpec& spec = *m_specs[number];
    Finding finding;
    finding.rule = number;
    finding.gravity = Gravity::Limit;
    finding.time = place.time;
    finding.measured = place;
    finding.limit = limitBroken(rule, place);
    finding.what = say("{} is {}, and {} is the {}", rule.rule, quantityText(place.value, rule.measured, 5),
                       quantityText(*finding.limit, rule.measured, 5),
                       rule.limits.min && *finding.limit == *rule.limits.min ? say("least") : say("most"));
    const auto from = std::find_if(m_streamOf.begin(), m_streamOf.end(),
                                   [&](const StreamOf& s) { return s.rule == number && s.time == place.time; });
    finding.stream = from == m_streamOf.end() ? 0 : from->stream;
    // Between frames, it is the last one of the bus that begins before it.
    for (std::size_t s = 0; s < m_input.streams.size(); ++s) {
      const FrameIndex& frames = m_input.streams[s].frames;
      if (!spec.between && s != finding.stream)
        continue;
      const std::uint64_t last = frames.lastUpTo(place.time.begin);
      if (last >= frames.size())
        continue;
      const Picoseconds begin = frames.frame(last).time.begin;
      if (!finding.frame || begin > finding.frameBegin) {
        finding.frame = last;
        finding.frameBegin = begin;
        finding.stream = s;
      }
    }
    if (finding.frame && !spec.between)
      finding.cause = causes.ofInterval(finding.stream, *finding.frame, place.time);
    return finding;
  }

  /// The limit that is nearer, or further behind.
  static std::optional<double> limitBroken(const RuleResult& rule, const MeasuredPlace& place)
  {
    if (!rule.limits.min || !rule.limits.max)
      return rule.limits.min ? rule.limits.min : rule.limits.max;
    return place.value - *rule.limits.min < *rule.limits.max - place.value ? rule.limits.min : rule.limits.max;
  }

  /// An answer that came broken is looked for so long behind its request.
  static constexpr Picoseconds kAnswerMayTake = std::chrono::milliseconds{20};

  struct StreamOf {
    std::size_t rule;
    TimeRange time;
    std::size_t stream;
  };

  const CheckInput& m_input;
  const std::stop_token& m_stop;
  const std::function<void(double)>& m_progress;
  const Protocol& m_protocol;
  std::vector<std::shared_ptr<const Rulebook>> m_books;
  BusCheck m_check;
  std::vector<const MeasureSpec*> m_specs;  ///< of each rule; nullptr: it measures nothing
  std::vector<StreamOf> m_streamOf;
  std::vector<Wrong> m_wrong;
  std::size_t m_remarkStream = 0;
  std::size_t m_remarksOfStream = 0;
  std::vector<std::pair<std::size_t, TalkPlace>> m_talk;
};

}  // namespace

const char* verdictWord(Verdict verdict)
{
  switch (verdict) {
    case Verdict::Pass:
      return "pass";
    case Verdict::Fail:
      return "fail";
    case Verdict::Undecided:
      return "undecided";
    case Verdict::Measured:
      return "measured";
    case Verdict::NoEvidence:
      break;
  }
  return "no-evidence";
}

Limits limitsOn(const Bus& bus, const LimitRule& rule)
{
  if (!rule.inBits)
    return rule.limits;
  const double rate = bus.protocol().setRate(bus);
  Limits limits;
  if (rate > 0.0 && rule.limits.min)
    limits.min = *rule.limits.min * 1e12 / rate;
  if (rate > 0.0 && rule.limits.max)
    limits.max = *rule.limits.max * 1e12 / rate;
  return limits;
}

void takeTally(const Tally& tally, RuleResult& rule)
{
  rule.spread = tally.all();
  rule.failed = tally.failed();
  rule.undecided = tally.undecided();
  rule.places = tally.worst();
  rule.histogram = std::make_shared<const Histogram>(tally.histogram());
  if (rule.spread.count == 0) {
    rule.verdict = Verdict::NoEvidence;
    return;
  }
  if (!rule.places.empty())
    rule.resolution = rule.places.front().resolution;
  if (!rule.limits.any()) {
    rule.verdict = Verdict::Measured;
    return;
  }
  rule.worst = rule.places.front();
  rule.verdict = rule.failed > 0 ? Verdict::Fail : rule.undecided > 0 ? Verdict::Undecided : Verdict::Pass;
  if (rule.verdict != Verdict::Undecided)
    return;
  // The one that is nearest to its limit, but not on it, asks for the finest samples.
  double share = 1.0;
  for (const MeasuredPlace& place : rule.places) {
    const double resolution = rule.measured == MeasureUnit::Frequency ? tally.period() : place.resolution;
    if (place.judgement == Judgement::Undecided && place.room != 0.0 && resolution > 0.0)
      share = std::min(share, std::abs(place.room) / resolution);
  }
  if (tally.period() > 0.0 && share < 1.0)
    rule.neededRate = 1e12 / (tally.period() * share);
}

std::vector<RuleResult> measureFrames(const Bus& bus, const CheckStream& stream, FrameRange range,
                                      const BusCheck& check, const SamplePeriod& period)
{
  constexpr std::uint64_t kMost = 4096;
  const std::unique_ptr<Meter> meter = stream.input.records ? nullptr : bus.protocol().meter(bus);
  std::vector<RuleResult> rules;
  std::vector<Tally> tallies;
  for (const MeasureSpec& spec : bus.protocol().facts().measures) {
    const auto judged = std::find_if(check.rules.begin(), check.rules.end(), [&](const RuleResult& rule) {
      return rule.sort == RuleSort::Measure && rule.rule == spec.symbol;
    });
    RuleResult rule;
    rule.rule = spec.symbol;
    rule.role = spec.role;
    rule.measured = spec.unit;
    rule.unit = unitWord(spec.unit);
    rule.meaning = say(spec.meaning);
    if (judged != check.rules.end()) {
      rule.limits = judged->limits;
      rule.book = judged->book;
      rule.clause = judged->clause;
    }
    tallies.emplace_back(spec.unit, rule.limits, period.picoseconds);
    rules.push_back(std::move(rule));
  }
  range.end = std::min(range.end, range.first + kMost);
  if (meter && range.end <= stream.frames.size())
    meter->measure(stream.input, stream.frames, range, tallies);
  std::vector<RuleResult> measured;
  for (std::size_t i = 0; i < rules.size(); ++i) {
    tallies[i].settle();
    if (tallies[i].all().count == 0)
      continue;
    takeTally(tallies[i], rules[i]);
    measured.push_back(std::move(rules[i]));
  }
  return measured;
}

Result<BusCheck> checkBus(const CheckInput& input, const std::stop_token& stop,
                          const std::function<void(double done)>& progress)
{
  return BusChecker(input, stop, progress).run();
}

}  // namespace bexto
