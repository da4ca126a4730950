#pragma once

#include <string>
#include <vector>

#include "core/check/check.h"

namespace bexto {

/// JSON lines; a table after RFC 4180; JUnit XML, a suite a bus and a case a rule; lines for eyes.
enum class CheckFormat : std::uint8_t { Jsonl, Csv, Junit, Text };

/// What the check of one bus gave. Borrows both.
struct CheckedBus {
  const Bus* bus = nullptr;
  const BusCheck* check = nullptr;
};

/// A whole check in the words of docs/command-line.md: rules in the order of the buses, then findings by time.
std::string checkText(CheckFormat format, const SamplePeriod& period, const std::vector<CheckedBus>& buses);

/// A rule's limits for people: "≥ 1.3 µs", "−2 … 2 %"; empty without.
std::string limitsText(const RuleResult& rule);
/// A value of the rule for people: "1.212 µs".
std::string valueText(const RuleResult& rule, double value);

}  // namespace bexto
