#pragma once

#include <cstdint>
#include <deque>
#include <optional>
#include <string>

#include "rig/instrument/trigger.h"

namespace bexto::rig {

/// How samples are packed into a block (docs/rig.md).
enum class SampleFormat : std::uint8_t {
  Packed,    ///< two bytes a sample
  RunLength  ///< two bytes of levels and two of how often they repeat
};

struct AcquisitionSetting {
  double rate = 10e6;                ///< samples/s
  std::uint16_t probes = 0xffff;     ///< those that are connected; the others read low
  std::uint64_t depth = 1'000'000;   ///< samples in all; of a stream only its part before the trigger counts
  double before = 0.1;               ///< share of the depth before the trigger
  std::uint64_t memory = 1U << 26U;  ///< bytes
  SampleFormat format = SampleFormat::Packed;
  TriggerSetting trigger;
  bool stream = false;
};

/// Samples of an acquisition on their way through the instrument's memory. A single one ends when the memory is full or
/// the depth is reached, and is then fetched as often as wanted; a stream is taken out block by block, and what nobody
/// takes in time is lost.
class Acquisition {
 public:
  Acquisition(Plant& plant, const AcquisitionSetting& setting);

  /// Goes on to sample `limit`, or by some `mostRuns` runs, whichever is earlier.
  void run(std::uint64_t limit, std::size_t mostRuns);
  /// The next sample to be taken.
  std::uint64_t at() const { return m_sampler.at(); }
  bool isTriggered() const { return m_trigger.has_value(); }
  bool isDone() const { return m_done; }
  void fire() { m_unit.fire(); }
  void stop() { m_done = true; }
  /// What was sampled and not taken is lost.
  void lose();

  /// What is kept: samples [begin(), end()).
  std::uint64_t begin() const { return m_runs.empty() ? at() : m_runs.front().first; }
  std::uint64_t end() const { return m_runs.empty() ? at() : m_runs.back().end(); }
  std::optional<std::uint64_t> trigger() const { return m_trigger; }

  /// The body of a block with its head: samples from `first` on, as many as fit and no more than `most`.
  /// Requires: begin() <= first <= end().
  std::string block(std::uint64_t first, std::uint64_t most) const;
  /// Of a stream: the same, taken out. Empty: nothing is there yet.
  std::string takeBlock();
  /// Drives wires of the plant from the next sample on, as Plant::drive().
  bool drive(WirePattern pattern) { return m_plant.drive(std::move(pattern), m_sampler.plantTime()); }
  /// Bytes in memory.
  std::uint64_t used() const;

  static constexpr std::size_t kHead = 32;
  static constexpr std::size_t kMostBody = std::size_t{1} << 20U;

 private:
  std::uint64_t entries(const SampleRun& run) const;
  void keep(const SampleRun& run);
  void forgetBefore(std::uint64_t sample);
  void dropFirst();
  void appendHead(std::string& out, std::uint64_t first, std::uint64_t count) const;

  /// Samples between which wires were driven.
  struct Sent {
    std::uint64_t first = 0;
    std::uint64_t end = 0;
    std::uint16_t probes = 0;
  };
  void noteDriven();

  Plant& m_plant;
  AcquisitionSetting m_setting;
  Sampler m_sampler;
  Trigger m_unit;
  std::uint64_t m_before;  ///< samples
  std::uint64_t m_most;    ///< entries in memory
  std::deque<SampleRun> m_runs;
  std::deque<Sent> m_sent;  ///< in order
  std::uint64_t m_entries = 0;
  std::optional<std::uint64_t> m_trigger;
  bool m_done = false;
  bool m_lost = false;  ///< of a stream: samples before the next block
};

}  // namespace bexto::rig
