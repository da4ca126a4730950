#pragma once

#include "core/check/check.h"

namespace bexto {

/// A place where an expectation was not met, with its frame.
struct TalkPlace {
  MeasuredPlace place;
  std::size_t source = 0;  ///< in CheckInput::talk
  std::uint64_t line = 0;  ///< of it
  std::string what;
  bool isChange = false;  ///< its time is from one reading to the next
};

struct TalkResult {
  RuleResult rule;
  std::vector<TalkPlace> places;  ///< those that failed, by time; at most Tally::kPlaces
};

/// Errors: BadArgument (a filter that makes no sense on this bus), Cancelled.
Result<TalkResult> checkTalk(const CheckInput& input, const TalkRule& rule, const std::stop_token& stop);

/// Fills in what a settled tally knows: spread, worst, verdict and the rest.
void takeTally(const Tally& tally, RuleResult& rule);

}  // namespace bexto
