#pragma once

#include <cstdint>

#include "core/signal/sample_clock.h"
#include "rig/plant.h"

namespace bexto::rig {

/// So many equal samples of all probes.
struct SampleRun {
  std::uint64_t first = 0;  ///< number of the first, from the acquisition's begin
  std::uint64_t count = 0;
  std::uint16_t levels = 0;

  std::uint64_t end() const { return first + count; }
};

/// Samples the plant from where it stands, at an even rate, as runs: what it costs depends on what the probes do and
/// not on the rate.
class Sampler {
 public:
  /// Requires: a rate that SampleClock takes. `plant` outlives this, and nobody else walks it meanwhile.
  Sampler(Plant& plant, double rate, std::uint16_t probes)
      : m_plant(plant), m_clock(rate), m_probes(probes), m_begin(plant.next())
  {
  }

  /// The number of the sample that is taken next.
  std::uint64_t at() const { return m_at; }
  /// The plant's time at the sample that is taken next.
  std::int64_t plantTime() const { return m_begin + m_clock.timeOf(static_cast<std::int64_t>(m_at)); }
  /// The first sample at that time of the plant, or after it.
  std::uint64_t sampleAt(std::int64_t plantTime) const
  {
    return plantTime <= m_begin ? 0 : static_cast<std::uint64_t>(m_clock.firstFrom(plantTime - m_begin));
  }
  /// The next run, at most up to `limit`. Requires: at() < limit.
  SampleRun next(std::uint64_t limit)
  {
    const std::int64_t now = m_clock.timeOf(static_cast<std::int64_t>(m_at));
    while (m_plant.next() - m_begin <= now)
      m_plant.advance();
    const auto end = static_cast<std::uint64_t>(m_clock.firstFrom(m_plant.next() - m_begin));
    const SampleRun run{m_at, (end < limit ? end : limit) - m_at,
                        static_cast<std::uint16_t>(m_plant.levels() & m_probes)};
    m_at = run.end();
    return run;
  }

 private:
  Plant& m_plant;
  SampleClock m_clock;
  std::uint16_t m_probes;
  std::int64_t m_begin;
  std::uint64_t m_at = 0;
};

}  // namespace bexto::rig
