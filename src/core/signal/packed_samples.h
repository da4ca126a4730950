#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "core/signal/edge_track_builder.h"
#include "core/signal/sample_clock.h"

namespace bexto {

/// How many bytes a packed sample of so many channels takes: channel 0 is the lowest bit of the first.
constexpr std::size_t bytesPerSample(std::size_t channels)
{
  return (channels + 7) / 8;
}

/// Makes tracks of packed samples as they come: whole samples, one behind the other, channel 0 in the lowest bit.
/// Where nothing changes it runs at the speed of memory. One thread.
class PackedSamples {
 public:
  /// Requires: 1 <= channels; a rate that SampleClock takes.
  PackedSamples(std::size_t channels, double rate);

  /// Requires: a whole number of samples, and no more in all than the clock's most().
  void take(std::span<const std::uint8_t> bytes);
  /// The same as runs: each is a sample and, in two bytes, the lower one first, how often it repeats behind the first.
  /// Requires: a whole number of runs.
  void takeRuns(std::span<const std::uint8_t> runs);
  /// So many samples that nobody knows: the levels stay as they were. Requires: samples() > 0.
  void skip(std::int64_t count) { m_samples += count; }
  /// What would be here if only samples [first, end) had come: times count from the first.
  /// Requires: 0 <= first < end <= samples().
  PackedSamples part(std::int64_t first, std::int64_t end) const;

  std::size_t bytesPerSample() const { return m_width; }
  std::int64_t samples() const { return m_samples; }
  /// Of the last sample; 0 before the first.
  Picoseconds end() const { return Picoseconds{m_samples == 0 ? 0 : m_clock.timeOf(m_samples - 1)}; }
  /// See EdgeTrackBuilder::replaceChunk().
  void replaceChunk(std::size_t channel, std::size_t number, std::shared_ptr<const EdgeChunk> chunk)
  {
    m_builders[channel].replaceChunk(number, std::move(chunk));
  }

  const SampleClock& clock() const { return m_clock; }
  std::size_t channels() const { return m_builders.size(); }
  EdgeTrack track(std::size_t channel) const { return m_builders[channel].snapshot(); }

 private:
  void start(const std::uint8_t* sample);
  std::int64_t tickOf(std::int64_t number) const
  {
    return m_ticksPerSample > 0 ? number * m_ticksPerSample : m_clock.timeOf(number);
  }
  template <std::size_t kWidth, typename TimeOf>
  void scan(std::span<const std::uint8_t> bytes, const TimeOf& timeOf);
  template <typename TimeOf>
  void scanFor(std::span<const std::uint8_t> bytes, const TimeOf& timeOf);

  SampleClock m_clock;
  std::size_t m_width;
  int m_power = 0;                    ///< of the builders' ticks
  std::int64_t m_ticksPerSample = 0;  ///< of the builders; 0: the clock says each moment
  std::vector<EdgeTrackBuilder> m_builders;
  std::int64_t m_samples = 0;
  std::vector<std::uint8_t> m_joint;  ///< the sample before, and room for one behind it
};

}  // namespace bexto
