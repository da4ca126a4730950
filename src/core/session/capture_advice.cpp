// Tested by tests/core/capture_advice_test.cpp.
#include "core/session/capture_advice.h"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/number_text.h"
#include "core/base/say.h"
#include "core/base/time_text.h"
#include "core/decode/protocol.h"

namespace bexto {

namespace {

// Measured on the lock's traffic (bench: sessions): what a transition takes in a session file, with its summary.
constexpr double kBytesATransition = 1.3;
constexpr double kRunBytes = 4;

double fastestOf(const PlannedBus& bus)
{
  const double set = bus.bus.protocol().fastestRate(bus.bus);
  return set > 0 ? set : bus.measured;
}

std::string sizeText(double bytes)
{
  for (const auto& [unit, name] : {std::pair(1e12, "TB"), std::pair(1e9, "GB"), std::pair(1e6, "MB")}) {
    if (bytes >= unit)
      return fmt::format("{:.3g} {}", bytes / unit, name);
  }
  return fmt::format("{:.0f} kB", std::max(1.0, bytes / 1e3));
}

std::string spanText(double seconds)
{
  constexpr double kDay = 86400;
  constexpr double kHour = 3600;
  if (seconds >= 2 * kDay)
    return say("{:.0f} days", std::min(seconds / kDay, 9999.0));
  if (seconds >= 2 * kHour)
    return say("{:.0f} hours", seconds / kHour);
  if (seconds >= 120)
    return say("{:.0f} minutes", seconds / 60);
  return lengthText(wholePicoseconds(seconds * 1e12), 3);
}

CaptureAdvice adviceOnBus(const CapturePlan& plan, const CaptureLimits& limits, const PlannedBus& bus)
{
  CaptureAdvice advice;
  advice.about = bus.bus.name;
  const double hertz = fastestOf(bus);
  if (hertz <= 0) {
    advice.gravity = CaptureAdvice::Gravity::Warn;
    advice.text = say("how fast it is shows once something was captured; until then sample fast");
    return advice;
  }
  const double samples = plan.rate / hertz;
  const bool clocked = bus.bus.protocol().facts().rateUnit.empty();
  const std::string count =
      samples >= 100 ? countText(static_cast<std::uint64_t>(std::llround(samples))) : fmt::format("{:.3g}", samples);
  const std::string have =
      clocked ? say("{} samples a clock at {}", count, frequencyText(hertz, 3))
              : say("{} samples a bit at {} bit/s", count, countText(static_cast<std::uint64_t>(std::llround(hertz))));
  if (samples >= kEnoughSamples) {
    advice.text = have;
    return advice;
  }
  advice.gravity = samples < kFewestSamples ? CaptureAdvice::Gravity::Fail : CaptureAdvice::Gravity::Warn;
  advice.text = samples < kFewestSamples ? clocked ? say("{}: clocks will be missed, and bits read wrong", have)
                                                   : say("{}: bits will be read wrong, and frames lost", have)
                                         : say("{}: it can be read, but not measured; ten are usual", have);
  const double wanted = std::min(roundRateUp(hertz * kEnoughSamples), limits.fastest > 0 ? limits.fastest : 1e12);
  if (wanted > plan.rate) {
    advice.mend = CaptureAdvice::Mend::Rate;
    advice.mendText = say("Use {}", frequencyText(wanted, 3));
    advice.better = plan;
    advice.better.rate = wanted;
  } else {
    advice.text += say("; this source has no higher rate");
  }
  return advice;
}

/// How long it can go on while samples are handed over.
CaptureAdvice adviceOnStream(const CapturePlan& plan, const CaptureLimits& limits)
{
  CaptureAdvice advice;
  advice.about = say("Room");
  if (limits.transitions <= 0 || limits.disk == 0) {
    advice.text = limits.disk == 0 ? say("handed over while it is sampled: as long as the disk has room")
                                   : say("handed over while it is sampled: {} are free on the disk",
                                         sizeText(static_cast<double>(limits.disk)));
    return advice;
  }
  const double perSecond = limits.transitions * kBytesATransition;
  const double lasts = static_cast<double>(limits.disk) / perSecond;
  const double wanted = toSeconds(plan.length);
  advice.text = say("about {} an hour, as the traffic was; the disk has room for {}", sizeText(perSecond * 3600),
                    spanText(lasts));
  if (wanted > lasts && plan.start.kind == StartCondition::Kind::Now) {
    advice.gravity = CaptureAdvice::Gravity::Fail;
    advice.mend = CaptureAdvice::Mend::Length;
    const double fits = std::floor(lasts * 0.9);
    advice.mendText = say("Record {}", spanText(fits));
    advice.better = plan;
    advice.better.length = wholePicoseconds(fits * 1e12);
  }
  return advice;
}

/// How long fits in the instrument's memory.
CaptureAdvice adviceOnMemory(const CapturePlan& plan, const CaptureLimits& limits)
{
  CaptureAdvice advice;
  advice.about = say("Memory");
  const bool now = plan.start.kind == StartCondition::Kind::Now;
  const double wanted = toSeconds(now ? plan.length : plan.before + plan.after);
  const std::size_t sampleBytes = (std::max<std::size_t>(1, limits.inputs) + 7) / 8;
  const auto sample = static_cast<double>(sampleBytes);
  const double packed = static_cast<double>(limits.memory) / (sample * plan.rate);
  const double runs =
      limits.transitions > 0 ? static_cast<double>(limits.memory) / (kRunBytes * limits.transitions) : packed;
  const double fits = plan.runs ? std::max(runs, 1e-9) : packed;
  if (limits.memory == 0) {
    advice.text = say("how much fits in the instrument's memory is not known");
    return advice;
  }
  advice.text = plan.runs && limits.transitions > 0
                    ? say("the instrument's memory has room for about {} of traffic as it was", spanText(fits))
                    : say("the instrument's memory has room for {} at {}", spanText(fits), frequencyText(plan.rate, 3));
  if (wanted <= fits)
    return advice;
  advice.gravity = CaptureAdvice::Gravity::Fail;
  advice.text += wanted > 0 ? say(", and {} are asked for", spanText(wanted)) : std::string();
  advice.better = plan;
  if (!plan.runs && runs >= wanted && limits.transitions > 0) {
    advice.mend = CaptureAdvice::Mend::Runs;
    advice.mendText = say("Keep runs of equal samples");
    advice.better.runs = true;
  } else if (now) {
    advice.mend = CaptureAdvice::Mend::Length;
    advice.mendText = say("Record {}", spanText(fits * 0.9));
    advice.better.length = wholePicoseconds(fits * 0.9e12);
  } else {
    advice.mend = CaptureAdvice::Mend::Length;
    advice.mendText = say("Keep {} in all", spanText(fits * 0.9));
    const double share = fits * 0.9 / wanted;
    advice.better.before = wholePicoseconds(toSeconds(plan.before) * share * 1e12);
    advice.better.after = wholePicoseconds(toSeconds(plan.after) * share * 1e12);
  }
  return advice;
}

/// Of a source without wires.
std::vector<CaptureAdvice> adviceOnFrames(const CapturePlan& plan, const CaptureLimits& limits)
{
  using Kind = StartCondition::Kind;
  std::vector<CaptureAdvice> all;
  if (plan.start.kind != Kind::Now && plan.start.kind != Kind::Event)
    all.push_back({CaptureAdvice::Gravity::Fail, say("Start"),
                   say("frames come without wires: begin at once, or when a bus says something")});
  all.push_back(
      {CaptureAdvice::Gravity::Good, say("Room"),
       say("frames are kept as they come: {} are free on the disk", sizeText(static_cast<double>(limits.disk)))});
  return all;
}

}  // namespace

double roundRateUp(double rate)
{
  if (!(rate > 0))
    return 1;
  const double ten = std::pow(10.0, std::floor(std::log10(rate)));
  for (const double step : {1.0, 2.0, 5.0, 10.0}) {
    if (step * ten >= rate * (1 - 1e-9))
      return std::round(step * ten * 1e6) / 1e6;
  }
  return rate;
}

std::vector<CaptureAdvice> adviceFor(const CapturePlan& asked, const CaptureLimits& limits,
                                     const std::vector<PlannedBus>& buses)
{
  if (limits.frames)
    return adviceOnFrames(asked, limits);
  CapturePlan plan = asked;
  if (plan.rate <= 0) {
    plan.rate = kUsualRate;
    for (const double most : {limits.fastest, limits.fastestStream})
      plan.rate = most > 0 ? std::min(plan.rate, most) : plan.rate;
  }
  std::vector<CaptureAdvice> all;
  double wanted = 0;
  for (const PlannedBus& bus : buses) {
    all.push_back(adviceOnBus(plan, limits, bus));
    wanted = std::max(wanted, all.back().better.rate);
  }
  // One click suits all of them.
  for (CaptureAdvice& advice : all) {
    if (advice.mend == CaptureAdvice::Mend::Rate) {
      advice.better.rate = wanted;
      advice.mendText = say("Use {}", frequencyText(wanted, 3));
    }
  }
  const bool event = plan.start.kind == StartCondition::Kind::Event;
  const bool streams = plan.rate <= limits.fastestStream && (event || plan.start.kind == StartCondition::Kind::Now);
  if (limits.fastest > 0 && plan.rate > limits.fastest) {
    CaptureAdvice advice{CaptureAdvice::Gravity::Fail,
                         say("Rate"),
                         say("this source samples at {} at the most", frequencyText(limits.fastest, 3)),
                         CaptureAdvice::Mend::Rate,
                         say("Use {}", frequencyText(limits.fastest, 3)),
                         plan};
    advice.better.rate = limits.fastest;
    all.push_back(std::move(advice));
    return all;
  }
  if (event && limits.fastestStream > 0 && !streams) {
    CaptureAdvice advice{CaptureAdvice::Gravity::Fail,
                         say("Start"),
                         say("what a bus says can be looked for up to {}, while samples are handed over",
                             frequencyText(limits.fastestStream, 3)),
                         CaptureAdvice::Mend::Rate,
                         say("Use {}", frequencyText(limits.fastestStream, 3)),
                         plan};
    advice.better.rate = limits.fastestStream;
    all.push_back(std::move(advice));
  } else if (limits.fastest > 0) {
    all.push_back(streams ? adviceOnStream(plan, limits) : adviceOnMemory(plan, limits));
  }
  return all;
}

}  // namespace bexto
