#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "rig/instrument/sampler.h"

namespace bexto::rig {

/// What an acquisition waits for.
struct TriggerSetting {
  enum class Source : std::uint8_t { Immediate, Edge, Level, Pattern, Width, Bus };
  enum class Slope : std::uint8_t { Rising, Falling, Either };
  Source source = Source::Immediate;
  unsigned probe = 0;  ///< of Edge, Level and Width
  Slope slope = Slope::Rising;
  bool high = true;         ///< of Level and Width: which level
  std::uint16_t mask = 0;   ///< of Pattern: the probes that count,
  std::uint16_t value = 0;  ///< and their levels
  double shortest = 0.0;    ///< of Width: s
  double longest = 1e9;
};

/// Looks for it, run by run.
class Trigger {
 public:
  Trigger(const TriggerSetting& setting, double rate);

  /// The sample that fires, in `run`. Requires: runs one after the other, the first ones too that may not fire yet.
  std::optional<std::uint64_t> look(const SampleRun& run, bool armed);
  /// From outside: the next sample fires.
  void fire() { m_fired = true; }

 private:
  TriggerSetting m_setting;
  double m_rate;
  bool m_known = false;  ///< a run was seen
  std::uint16_t m_before = 0;
  std::optional<std::uint64_t> m_since;  ///< of Width: where the pulse began
  bool m_fired = false;
};

}  // namespace bexto::rig
