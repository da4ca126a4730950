// Tested by tests/core/check_writer_test.cpp and tests/cli/check_test.cpp.
#include "core/export/check_writer.h"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "core/base/number_text.h"
#include "core/base/say.h"
#include "core/base/time_text.h"
#include "core/decode/protocol.h"
#include "core/export/csv.h"

namespace bexto {

namespace {

using Json = nlohmann::ordered_json;

/// Whole numbers without a fraction.
Json number(double value)
{
  constexpr double kExact = 9007199254740992.0;
  if (std::isfinite(value) && value == std::floor(value) && std::abs(value) < kExact)
    return static_cast<std::int64_t>(value);
  return value;
}

/// A finding, and of which bus it is.
struct Listed {
  const CheckedBus* bus;
  const Finding* finding;
};

std::vector<Listed> byTime(const std::vector<CheckedBus>& buses)
{
  std::vector<Listed> all;
  for (const CheckedBus& bus : buses) {
    for (const Finding& finding : bus.check->findings)
      all.push_back({&bus, &finding});
  }
  std::stable_sort(all.begin(), all.end(),
                   [](const Listed& a, const Listed& b) { return a.finding->time.begin < b.finding->time.begin; });
  return all;
}

Json ruleJson(const Bus& bus, const RuleResult& rule)
{
  Json json;
  json["type"] = "rule";
  json["bus"] = bus.name;
  json["rule"] = rule.rule;
  json["book"] = rule.book;
  json["verdict"] = verdictWord(rule.verdict);
  json["unit"] = rule.unit;
  json["count"] = rule.spread.count;
  if (rule.spread.count > 0) {
    json["min"] = number(rule.spread.min);
    json["mean"] = number(rule.spread.mean());
    json["max"] = number(rule.spread.max);
    json["deviation"] = number(rule.spread.deviation());
  }
  if (rule.limits.min)
    json["limit_min"] = number(*rule.limits.min);
  if (rule.limits.max)
    json["limit_max"] = number(*rule.limits.max);
  if (rule.worst) {
    json["worst"] = number(rule.worst->value);
    json["worst_at_ps"] = rule.worst->time.begin.count();
  }
  json["resolution"] = number(rule.resolution);
  json["failed"] = rule.failed;
  json["undecided"] = rule.undecided;
  if (rule.neededRate)
    json["needed_rate"] = number(*rule.neededRate);
  if (!rule.clause.empty())
    json["clause"] = rule.clause;
  return json;
}

Json findingJson(const Bus& bus, const BusCheck& check, const Finding& finding)
{
  const RuleResult& rule = check.rules[finding.rule];
  Json json;
  json["type"] = "finding";
  json["bus"] = bus.name;
  json["rule"] = rule.rule;
  json["what"] = finding.what;
  json["start_ps"] = finding.time.begin.count();
  json["end_ps"] = finding.time.end.count();
  if (finding.frame)
    json["frame_start_ps"] = finding.frameBegin.count();
  if (finding.measured && finding.limit && rule.sort != RuleSort::Sheet) {
    json["measured"] = number(finding.measured->value);
    json["limit"] = number(*finding.limit);
    json["unit"] = rule.unit;
    json["resolution"] = number(finding.measured->resolution);
  }
  if (finding.cause)
    json["cause"] = {{"kind", causeWord(finding.cause->kind)},
                     {"at_ps", finding.cause->time.begin.count()},
                     {"why", finding.cause->why}};
  return json;
}

std::string jsonLines(const SamplePeriod& period, const std::vector<CheckedBus>& buses)
{
  const auto line = [](const Json& json) {
    return json.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace) + "\n";
  };
  Json capture;
  capture["type"] = "capture";
  capture["sample_period_ps"] = number(period.picoseconds);
  capture["sample_period_from"] = periodWord(period.from);
  std::string text = line(capture);
  for (const CheckedBus& bus : buses) {
    for (const RuleResult& rule : bus.check->rules)
      text += line(ruleJson(*bus.bus, rule));
  }
  for (const Listed& one : byTime(buses))
    text += line(findingJson(*one.bus->bus, *one.bus->check, *one.finding));
  return text;
}

std::string csvNumber(const std::optional<double>& value)
{
  return value ? number(*value).dump() : std::string();
}

std::string csvTable(const std::vector<CheckedBus>& buses)
{
  std::string text =
      csvRecord({"bus", "rule", "book", "verdict", "unit", "count", "min", "mean", "max", "deviation", "limit_min",
                 "limit_max", "worst", "worst_at_ps", "resolution", "failed", "undecided", "clause"});
  for (const CheckedBus& bus : buses) {
    for (const RuleResult& rule : bus.check->rules) {
      const bool any = rule.spread.count > 0;
      const auto of = [&](double value) { return any ? csvNumber(value) : std::string(); };
      text += csvRecord({bus.bus->name, rule.rule, rule.book, verdictWord(rule.verdict), rule.unit,
                         std::to_string(rule.spread.count), of(rule.spread.min), of(rule.spread.mean()),
                         of(rule.spread.max), of(rule.spread.deviation()), csvNumber(rule.limits.min),
                         csvNumber(rule.limits.max), rule.worst ? csvNumber(rule.worst->value) : std::string(),
                         rule.worst ? std::to_string(rule.worst->time.begin.count()) : std::string(),
                         csvNumber(rule.resolution), std::to_string(rule.failed), std::to_string(rule.undecided),
                         rule.clause});
    }
  }
  return text;
}

/// Text of an XML 1.0 attribute or element; what XML cannot say, it says as a question mark.
std::string xml(const std::string& text)
{
  std::string out;
  for (const char c : text) {
    switch (c) {
      case '&':
        out += "&amp;";
        break;
      case '<':
        out += "&lt;";
        break;
      case '>':
        out += "&gt;";
        break;
      case '"':
        out += "&quot;";
        break;
      default:
        out += static_cast<unsigned char>(c) < 0x20 && c != '\n' && c != '\t' ? '?' : c;
    }
  }
  return out;
}

/// "1.21 µs, and ≥ 1.3 µs is asked (UM10204 rev. 7.0, table 10): 3 of 812".
std::string failureText(const RuleResult& rule)
{
  std::string text;
  if (rule.sort == RuleSort::Measure || rule.sort == RuleSort::Talk)
    text = say("worst {}, and {} is asked", valueText(rule, rule.worst ? rule.worst->value : 0.0), limitsText(rule));
  else
    text = rule.meaning;
  if (!rule.clause.empty())
    text += " (" + rule.clause + ")";
  return text + ": " + say("{} of {}", countText(rule.failed), countText(rule.spread.count));
}

std::string whyUndecided(const RuleResult& rule)
{
  std::string text =
      say("worst {}, known to {}, and {} is asked", valueText(rule, rule.worst ? rule.worst->value : 0.0),
          valueText(rule, rule.resolution), limitsText(rule));
  if (rule.neededRate)
    text += "; " + say("{} a second would decide", frequencyText(*rule.neededRate, 3));
  return text;
}

std::string causeText(const Finding& finding)
{
  return finding.cause ? say("likely {}: {}", causeName(finding.cause->kind), finding.cause->why) : std::string();
}

std::string junit(const std::vector<CheckedBus>& buses)
{
  std::string suites;
  std::size_t tests = 0;
  std::size_t failures = 0;
  std::size_t skips = 0;
  for (const CheckedBus& bus : buses) {
    std::string cases;
    std::size_t failed = 0;
    std::size_t skipped = 0;
    for (std::size_t i = 0; i < bus.check->rules.size(); ++i) {
      const RuleResult& rule = bus.check->rules[i];
      const std::string group = rule.book.empty() ? bus.bus->name : bus.bus->name + "." + rule.book;
      cases += fmt::format("    <testcase classname=\"{}\" name=\"{}\" time=\"0\"", xml(group), xml(rule.rule));
      if (rule.verdict == Verdict::Fail) {
        ++failed;
        std::string places;
        for (const Finding& finding : bus.check->findings) {
          if (finding.rule != i)
            continue;
          places += fmt::format("{}: {}\n", momentText(finding.time.begin, 9), finding.what);
          if (finding.cause)
            places += "  " + causeText(finding) + "\n";
        }
        cases += fmt::format(">\n      <failure type=\"{}\" message=\"{}\">{}</failure>\n    </testcase>\n",
                             xml(rule.rule), xml(failureText(rule)), xml(places));
      } else if (rule.verdict == Verdict::Undecided || rule.verdict == Verdict::NoEvidence) {
        ++skipped;
        cases += fmt::format(">\n      <skipped message=\"{}\"/>\n    </testcase>\n",
                             xml(rule.verdict == Verdict::Undecided ? say("undecided: {}", whyUndecided(rule))
                                                                    : say("nothing to measure")));
      } else {
        cases += "/>\n";
      }
    }
    const std::size_t count = bus.check->rules.size();
    suites += fmt::format(
        "  <testsuite name=\"{}\" tests=\"{}\" failures=\"{}\" errors=\"0\" skipped=\"{}\" time=\"0\">\n{}"
        "  </testsuite>\n",
        xml(bus.bus->name), count, failed, skipped, cases);
    tests += count;
    failures += failed;
    skips += skipped;
  }
  return fmt::format(
      "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<testsuites name=\"bexto-cli check\" tests=\"{}\" "
      "failures=\"{}\" errors=\"0\" skipped=\"{}\" time=\"0\">\n{}</testsuites>\n",
      tests, failures, skips, suites);
}

std::string padded(const std::string& text, std::size_t width)
{
  std::size_t letters = 0;
  for (const char c : text)
    letters += (static_cast<unsigned char>(c) & 0xc0U) != 0x80U ? 1 : 0;
  return text + std::string(width > letters ? width - letters : 0, ' ');
}

std::string textForEyes(const SamplePeriod& period, const std::vector<CheckedBus>& buses)
{
  std::string text =
      period.picoseconds > 0.0
          ? say("one sample each {} ({})", lengthText(wholePicoseconds(period.picoseconds)), periodWord(period.from))
          : say("edges are exact");
  text += "\n";
  for (const CheckedBus& bus : buses) {
    std::string books;
    for (const std::string& book : bus.check->books)
      books += (books.empty() ? "" : ", ") + book;
    text += fmt::format("\n{} · {} · {}\n", bus.bus->name, bus.bus->protocol().label(),
                        books.empty() ? say("no rulebook") : books);
    for (const RuleResult& rule : bus.check->rules) {
      std::string line = "  " + padded(verdictWord(rule.verdict), 12) + padded(rule.rule, 24);
      if (rule.sort == RuleSort::Error || rule.sort == RuleSort::Sheet) {
        line += say("{} of {}", countText(rule.failed), countText(rule.spread.count));
      } else if (rule.spread.count > 0) {
        line += padded(valueText(rule, rule.spread.min) + " … " + valueText(rule, rule.spread.max), 28) +
                padded(limitsText(rule), 22);
        line += rule.failed > 0      ? say("{} of {} beyond", countText(rule.failed), countText(rule.spread.count))
                : rule.undecided > 0 ? whyUndecided(rule)
                                     : countText(rule.spread.count);
      }
      while (!line.empty() && line.back() == ' ')
        line.pop_back();
      text += line + "\n";
    }
  }
  const std::vector<Listed> all = byTime(buses);
  text += "\n" + counted(all.size(), {"{} finding", "{} findings"}) + "\n";
  for (const auto& [bus, finding] : all) {
    text += fmt::format("  {}  {}  {}\n", momentText(finding->time.begin, 9), bus->bus->name, finding->what);
    if (finding->cause)
      text += "      " + causeText(*finding) + "\n";
  }
  return text;
}

}  // namespace

std::string valueText(const RuleResult& rule, double value)
{
  if (rule.sort == RuleSort::Measure || rule.measured == MeasureUnit::Time)
    return quantityText(value, rule.measured, 4);
  return rule.unit == "count" ? fmt::format("{:.6g}", value) : fmt::format("{:.6g} {}", value, rule.unit);
}

std::string limitsText(const RuleResult& rule)
{
  if (rule.limits.min && rule.limits.max)
    return say("{} to {}", valueText(rule, *rule.limits.min), valueText(rule, *rule.limits.max));
  if (rule.limits.min)
    return say("≥ {}", valueText(rule, *rule.limits.min));
  return rule.limits.max ? say("≤ {}", valueText(rule, *rule.limits.max)) : std::string();
}

std::string checkText(CheckFormat format, const SamplePeriod& period, const std::vector<CheckedBus>& buses)
{
  switch (format) {
    case CheckFormat::Jsonl:
      return jsonLines(period, buses);
    case CheckFormat::Csv:
      return csvTable(buses);
    case CheckFormat::Junit:
      return junit(buses);
    case CheckFormat::Text:
      break;
  }
  return textForEyes(period, buses);
}

}  // namespace bexto
