// Tested by tests/core/capture_plan_test.cpp.
#include "core/session/capture_plan.h"

#include <fmt/core.h>

#include "core/base/say.h"
#include "core/base/time_text.h"

namespace bexto {

namespace {

tl::unexpected<Error> wrong(const std::string& text)
{
  return fail(ErrorCode::BadArgument, say("'{}' says no start", text), {},
              say("write 'SCL=falling', 'CS=low', 'CS=low,CLK=high', or a pulse: 'TX=low:100us..2ms'"));
}

const char* slopeWord(StartCondition::Slope slope)
{
  switch (slope) {
    case StartCondition::Slope::Rising:
      return "rising";
    case StartCondition::Slope::Falling:
      return "falling";
    case StartCondition::Slope::Either:
      break;
  }
  return "either";
}

const char* levelWord(bool high)
{
  return high ? "high" : "low";
}

std::string exactly(Picoseconds t)
{
  struct Unit {
    std::int64_t ps;
    const char* name;
  };
  for (const Unit& unit :
       {Unit{1'000'000'000'000, "s"}, Unit{1'000'000'000, "ms"}, Unit{1'000'000, "us"}, Unit{1'000, "ns"}}) {
    if (t.count() != 0 && t.count() % unit.ps == 0)
      return fmt::format("{}{}", t.count() / unit.ps, unit.name);
  }
  return fmt::format("{}ps", t.count());
}

}  // namespace

Result<StartCondition> parseWireCondition(const std::string& text)
{
  StartCondition condition;
  std::string_view rest = text;
  while (!rest.empty()) {
    const std::size_t end = std::min(rest.find(','), rest.size());
    const std::string_view part = rest.substr(0, end);
    rest.remove_prefix(std::min(end + 1, rest.size()));
    const std::size_t equal = part.rfind('=');
    if (equal == std::string_view::npos || equal == 0)
      return wrong(text);
    const std::string channel(part.substr(0, equal));
    std::string_view value = part.substr(equal + 1);
    const std::size_t colon = value.find(':');
    const std::string_view word = value.substr(0, colon);
    for (const auto slope :
         {StartCondition::Slope::Rising, StartCondition::Slope::Falling, StartCondition::Slope::Either}) {
      if (word == slopeWord(slope)) {
        condition.kind = StartCondition::Kind::Edge;
        condition.slope = slope;
      }
    }
    if ((word == "low" || word == "high") && condition.kind != StartCondition::Kind::Edge) {
      condition.high = word == "high";
      condition.levels.push_back({channel, condition.high});
      condition.kind = condition.levels.size() > 1 ? StartCondition::Kind::Pattern : StartCondition::Kind::Level;
    } else if (condition.kind != StartCondition::Kind::Edge || !condition.levels.empty() ||
               !condition.channel.empty()) {
      return wrong(text);
    }
    condition.channel = channel;
    if (colon != std::string_view::npos) {
      value.remove_prefix(colon + 1);
      const std::size_t dots = value.find("..");
      if (condition.kind != StartCondition::Kind::Level || dots == std::string_view::npos || !rest.empty())
        return wrong(text);
      condition.kind = StartCondition::Kind::Width;
      for (const bool longest : {false, true}) {
        const std::string_view side = longest ? value.substr(dots + 2) : value.substr(0, dots);
        if (side.empty())
          continue;
        const auto time = parseTime(side);
        if (!time)
          return tl::unexpected(time.error());
        (longest ? condition.longest : condition.shortest) = *time;
      }
      if (condition.shortest > condition.longest)
        return fail(ErrorCode::BadArgument, say("the shortest pulse is longer than the longest"), {},
                    say("write the shorter one first"));
    }
  }
  if (condition.kind == StartCondition::Kind::Now)
    return wrong(text);
  if (condition.kind != StartCondition::Kind::Pattern)
    condition.levels.clear();
  else
    condition.channel.clear();
  return condition;
}

std::string textOf(const StartCondition& condition)
{
  switch (condition.kind) {
    case StartCondition::Kind::Now:
      return {};
    case StartCondition::Kind::Edge:
      return condition.channel + '=' + slopeWord(condition.slope);
    case StartCondition::Kind::Level:
      return condition.channel + '=' + levelWord(condition.high);
    case StartCondition::Kind::Width:
      return fmt::format("{}={}:{}..{}", condition.channel, levelWord(condition.high),
                         condition.shortest == Picoseconds{0} ? std::string() : exactly(condition.shortest),
                         condition.longest == kNever ? std::string() : exactly(condition.longest));
    case StartCondition::Kind::Pattern: {
      std::string text;
      for (const StartCondition::Level& level : condition.levels)
        text += (text.empty() ? "" : ",") + level.channel + '=' + levelWord(level.high);
      return text;
    }
    case StartCondition::Kind::Event:
      break;
  }
  return condition.query;
}

std::string sentenceOf(const StartCondition& condition)
{
  switch (condition.kind) {
    case StartCondition::Kind::Now:
      return say("at once");
    case StartCondition::Kind::Edge:
      switch (condition.slope) {
        case StartCondition::Slope::Rising:
          return say("{} rises", condition.channel);
        case StartCondition::Slope::Falling:
          return say("{} falls", condition.channel);
        case StartCondition::Slope::Either:
          break;
      }
      return say("{} changes", condition.channel);
    case StartCondition::Kind::Level:
      return condition.high ? say("{} is high", condition.channel) : say("{} is low", condition.channel);
    case StartCondition::Kind::Width: {
      const std::string shortest = exactly(condition.shortest);
      const std::string longest = exactly(condition.longest);
      if (condition.longest == kNever)
        return condition.high ? say("a high pulse of {} longer than {}", condition.channel, shortest)
                              : say("a low pulse of {} longer than {}", condition.channel, shortest);
      if (condition.shortest == Picoseconds{0})
        return condition.high ? say("a high pulse of {} shorter than {}", condition.channel, longest)
                              : say("a low pulse of {} shorter than {}", condition.channel, longest);
      return condition.high ? say("a high pulse of {} of {} to {}", condition.channel, shortest, longest)
                            : say("a low pulse of {} of {} to {}", condition.channel, shortest, longest);
    }
    case StartCondition::Kind::Pattern:
    case StartCondition::Kind::Event:
      break;
  }
  return textOf(condition);
}

}  // namespace bexto
