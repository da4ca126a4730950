// Expectations are asked in the language of filters: each filter gives moments, and what is expected is about how these
// follow one another.
//
// Tested by tests/core/talk_check_test.cpp.
#include "core/check/talk_check.h"

#include <fmt/core.h>

#include <algorithm>
#include <limits>
#include <tuple>

#include "core/base/say.h"
#include "core/base/time_text.h"
#include "core/decode/protocol.h"

namespace bexto {

namespace {

/// A line that a filter asks for.
struct Moment {
  TimeRange time;
  std::size_t source = 0;
  std::uint64_t line = 0;
};

class TalkChecker {
 public:
  TalkChecker(const CheckInput& input, const TalkRule& rule, const std::stop_token& stop)
      : m_input(input), m_rule(rule), m_stop(stop), m_tally(unitOf(rule), rule.limits, input.period.picoseconds)
  {
  }

  Result<TalkResult> run()
  {
    Result<void> done;
    switch (m_rule.kind) {
      case TalkRule::Kind::Never:
        done = never();
        break;
      case TalkRule::Kind::Every:
        done = every();
        break;
      case TalkRule::Kind::Answer:
        done = answer();
        break;
      case TalkRule::Kind::Order:
        done = order();
        break;
      case TalkRule::Kind::Value:
      case TalkRule::Kind::Step:
        done = values();
        break;
    }
    if (!done)
      return tl::unexpected(done.error());
    return result();
  }

 private:
  static MeasureUnit unitOf(const TalkRule& rule)
  {
    return rule.kind == TalkRule::Kind::Every || rule.kind == TalkRule::Kind::Answer ? MeasureUnit::Time
                                                                                     : MeasureUnit::Count;
  }

  /// What the filter asks for, by time.
  Result<std::vector<Moment>> momentsOf(const std::string& filter)
  {
    const auto query = Query::parse(filter, namesOf({m_input.bus}));
    if (!query)
      return fail(ErrorCode::BadArgument, query.error().message, say("line {}, '{}'", m_rule.line, filter));
    const auto found = scanLines(*query, m_input.talk, m_stop);
    if (!found)
      return tl::unexpected(found.error());
    std::vector<Moment> moments;
    for (std::size_t source = 0; source < found->size(); ++source) {
      const Transactions& lines = m_input.talk[source].transactions;
      const LineSet& set = (*found)[source];
      for (std::uint64_t i = 0; i < set.size(); ++i) {
        if (m_input.span.contains(lines.beginOf(set.at(i))))
          moments.push_back({lines.timeOf(set.at(i)), source, set.at(i)});
      }
    }
    std::stable_sort(moments.begin(), moments.end(),
                     [](const Moment& a, const Moment& b) { return a.time.begin < b.time.begin; });
    return moments;
  }

  /// A value that was had, and where. Its judgement is the tally's.
  void add(double value, TimeRange time, const Moment& at, std::string what)
  {
    const double low = m_rule.limits.min.value_or(-std::numeric_limits<double>::infinity());
    const double high = m_rule.limits.max.value_or(std::numeric_limits<double>::infinity());
    const double resolution = unitOf(m_rule) == MeasureUnit::Time ? m_input.period.picoseconds : 0.0;
    const double room = std::min(value - low, high - value);
    m_tally.addExactly(value, resolution, time.begin.count(), time.end.count());
    if (judge(room, resolution) != Judgement::Fail)
      return;
    MeasuredPlace place;
    place.value = value;
    place.room = room;
    place.resolution = resolution;
    place.judgement = Judgement::Fail;
    place.time = time;
    m_places.push_back({place, at.source, at.line, std::move(what), m_rule.kind == TalkRule::Kind::Step});
    // The worst stay.
    if (m_places.size() > 2 * Tally::kPlaces)
      keepWorst();
  }

  void keepWorst()
  {
    std::stable_sort(m_places.begin(), m_places.end(),
                     [](const TalkPlace& a, const TalkPlace& b) { return a.place.room < b.place.room; });
    m_places.resize(std::min(m_places.size(), Tally::kPlaces));
  }

  Result<void> never()
  {
    const auto moments = momentsOf(m_rule.of);
    if (!moments)
      return tl::unexpected(moments.error());
    std::uint64_t all = 0;
    TimeRange first{kNever, kNever};
    for (const ScanSource& source : m_input.talk) {
      all += source.transactions.size();
      if (source.transactions.size() > 0 && source.transactions.beginOf(0) < first.begin)
        first = source.transactions.timeOf(0);
    }
    m_tally.addMany(0.0, all - std::min<std::uint64_t>(all, moments->size()), first);
    for (const Moment& moment : *moments)
      add(1.0, moment.time, moment, m_rule.name);
    return {};
  }

  Result<void> every()
  {
    const auto moments = momentsOf(m_rule.of);
    if (!moments)
      return tl::unexpected(moments.error());
    for (std::size_t i = 1; i < moments->size(); ++i) {
      const Moment& now = (*moments)[i];
      const TimeRange between{(*moments)[i - 1].time.begin, now.time.begin};
      add(static_cast<double>(between.length().count()), between, now,
          say("{}: the next came after {}", m_rule.name, lengthText(between.length())));
    }
    // One that stays away for good has no next one to be late.
    if (!moments->empty()) {
      const TimeRange rest{moments->back().time.begin, m_input.end};
      if (static_cast<double>(rest.length().count()) > *m_rule.limits.max)
        add(static_cast<double>(rest.length().count()), rest, moments->back(), say("{}: no more came", m_rule.name));
    }
    return {};
  }

  Result<void> answer()
  {
    const auto asked = momentsOf(m_rule.of);
    const auto answers = asked ? momentsOf(m_rule.to) : asked;
    if (!answers)
      return tl::unexpected(answers.error());
    std::size_t next = 0;
    for (std::size_t i = 0; i < asked->size(); ++i) {
      const Moment& request = (*asked)[i];
      const bool isLast = i + 1 == asked->size();
      const Picoseconds until = isLast ? m_input.end : (*asked)[i + 1].time.begin;
      while (next < answers->size() && (*answers)[next].time.begin < request.time.end)
        ++next;
      const bool came = next < answers->size() &&
                        ((*answers)[next].time.begin < until || (isLast && (*answers)[next].time.begin <= until));
      if (came) {
        const TimeRange wait{request.time.end, (*answers)[next].time.begin};
        add(static_cast<double>(wait.length().count()), wait, request,
            say("{}: the answer took {}", m_rule.name, lengthText(wait.length())));
        continue;
      }
      const TimeRange wait{request.time.end, until};
      const double length = static_cast<double>(wait.length().count());
      // At the capture's end it may still have come in time.
      if (isLast && length <= *m_rule.limits.max)
        continue;
      add(std::max(length, *m_rule.limits.max + std::max(1.0, m_input.period.picoseconds)), wait, request,
          say("{}: no answer", m_rule.name));
    }
    return {};
  }

  Result<void> order()
  {
    const auto begins = momentsOf(m_rule.of);
    const auto expected = begins ? momentsOf(m_rule.to) : begins;
    const auto tooSoon = expected ? momentsOf(m_rule.before) : expected;
    if (!tooSoon)
      return tl::unexpected(tooSoon.error());
    std::size_t e = 0;
    std::size_t s = 0;
    for (const Moment& begin : *begins) {
      const auto skip = [&](const std::vector<Moment>& list, std::size_t& at) {
        while (at < list.size() && list[at].time.begin <= begin.time.begin)
          ++at;
        return at < list.size() ? list[at].time.begin : kNever;
      };
      const Picoseconds came = skip(*expected, e);
      const Picoseconds early = skip(*tooSoon, s);
      if (came == kNever && early == kNever)
        continue;  // the capture ended first
      if (came <= early)
        add(0.0, begin.time, begin, {});
      else
        add(1.0, {begin.time.begin, early}, (*tooSoon)[s], say("{}: this came first", m_rule.name));
    }
    return {};
  }

  /// The line's value of that name; nothing when it has none.
  static std::optional<double> valueIn(const std::vector<Told>& told, const std::string& name, std::string& unit)
  {
    for (const Told& one : told) {
      for (const ToldValue& value : one.values) {
        if (value.name == name && value.number) {
          unit = value.unit;
          return value.number;
        }
      }
    }
    return std::nullopt;
  }

  Result<void> values()
  {
    std::vector<Moment> moments;
    // Lines that say any of the values, by time.
    for (const TalkRule::Part& part : m_rule.sum) {
      const auto found = momentsOf(fmt::format("{}>=-1e300", part.value));
      if (!found)
        return fail(found.error().code, say("no device of this bus has a value '{}'", part.value),
                    say("line {}", m_rule.line));
      moments.insert(moments.end(), found->begin(), found->end());
    }
    std::vector<Moment> wanted;
    if (!m_rule.of.empty()) {
      auto found = momentsOf(m_rule.of);
      if (!found)
        return tl::unexpected(found.error());
      wanted = std::move(*found);
    }
    const auto key = [](const Moment& m) { return std::tuple(m.time.begin, m.source, m.line); };
    const auto earlier = [&](const Moment& a, const Moment& b) { return key(a) < key(b); };
    std::sort(moments.begin(), moments.end(), earlier);
    std::sort(wanted.begin(), wanted.end(), earlier);
    moments.erase(
        std::unique(moments.begin(), moments.end(), [&](const Moment& a, const Moment& b) { return key(a) == key(b); }),
        moments.end());

    std::vector<std::optional<double>> last(m_rule.sum.size());
    std::optional<double> before;
    Moment beforeAt;
    for (const Moment& moment : moments) {
      if (m_stop.stop_requested())
        return fail(ErrorCode::Cancelled, "cancelled");
      const ScanSource& source = m_input.talk[moment.source];
      const FrameRange range = source.transactions.framesOf(moment.line);
      // What a failed check may have changed says nothing.
      if (source.transactions.errorsOf(moment.line) != 0 || !source.transactions.meaning())
        continue;
      const auto told = source.transactions.meaning()->told(m_input.bus, source.transactions.frames(), range);
      bool isFirst = false;
      for (std::size_t i = 0; i < m_rule.sum.size(); ++i) {
        if (const auto value = valueIn(told, m_rule.sum[i].value, m_unit)) {
          last[i] = value;
          isFirst = isFirst || i == 0;
        }
      }
      const bool isWanted = m_rule.of.empty() || std::binary_search(wanted.begin(), wanted.end(), moment, earlier);
      if (!isFirst || !isWanted || std::any_of(last.begin(), last.end(), [](const auto& v) { return !v; }))
        continue;
      double sum = 0.0;
      for (std::size_t i = 0; i < last.size(); ++i)
        sum += *last[i] * m_rule.sum[i].factor;
      if (m_rule.kind == TalkRule::Kind::Value)
        add(sum, moment.time, moment, say("{}: {:.6g}{}", m_rule.name, sum, unitText()));
      else if (before)
        add(sum - *before, {beforeAt.time.begin, moment.time.end}, moment,
            say("{}: from {:.6g} to {:.6g}{}", m_rule.name, *before, sum, unitText()));
      before = sum;
      beforeAt = moment;
    }
    return {};
  }

  std::string unitText() const { return m_unit.empty() || m_rule.sum.size() > 1 ? std::string() : " " + m_unit; }

  TalkResult result()
  {
    TalkResult result;
    RuleResult& rule = result.rule;
    rule.rule = m_rule.name;
    rule.clause = m_rule.clause;
    rule.sort = RuleSort::Talk;
    rule.measured = unitOf(m_rule);
    rule.unit = rule.measured == MeasureUnit::Time ? "ps" : m_unit.empty() || m_rule.sum.size() > 1 ? "count" : m_unit;
    rule.limits = m_rule.limits;
    m_tally.settle();
    takeTally(m_tally, rule);
    keepWorst();
    std::stable_sort(m_places.begin(), m_places.end(),
                     [](const TalkPlace& a, const TalkPlace& b) { return a.place.time.begin < b.place.time.begin; });
    result.places = std::move(m_places);
    return result;
  }

  const CheckInput& m_input;
  const TalkRule& m_rule;
  const std::stop_token& m_stop;
  Tally m_tally;
  std::string m_unit;
  std::vector<TalkPlace> m_places;
};

}  // namespace

Result<TalkResult> checkTalk(const CheckInput& input, const TalkRule& rule, const std::stop_token& stop)
{
  return TalkChecker(input, rule, stop).run();
}

}  // namespace bexto
