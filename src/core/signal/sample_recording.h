#pragma once

#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/signal/capture.h"
#include "core/signal/packed_samples.h"

namespace bexto {

/// Samples between which an instrument drove inputs, because it was told to.
struct SentSamples {
  std::int64_t first = 0;  ///< number of the first, from the begin of what the instrument acquires
  std::int64_t count = 0;
  std::uint64_t inputs = 0;  ///< bit n is input n
};

/// Samples as an instrument hands them over: so many of all its inputs from a number on, packed or as runs (see
/// PackedSamples).
struct SampleBlock {
  std::int64_t first = 0;  ///< number of the first one, from the begin of what the instrument acquires
  std::int64_t count = 0;
  bool runs = false;
  std::span<const std::uint8_t> bytes;
  std::vector<SentSamples> sent = {};  ///< those that begin in it

  std::int64_t begin() const { return first; }
  /// The number of the sample behind it.
  std::int64_t end() const { return first + count; }
};

/// Makes a capture of an instrument's samples while they come. What the instrument lost in between is a gap, not a
/// shift. A value; one thread at a time, but what capture() gives is for any.
class SampleRecording {
 public:
  /// An input of the instrument, counted from 0, and what it is called in the capture.
  struct Line {
    std::size_t input = 0;
    std::string name;
  };
  /// Requires: every input is below `inputs`; a rate that SampleClock takes.
  SampleRecording(std::string source, std::vector<Line> lines, std::size_t inputs, double rate);

  /// What comes twice is passed over, and so is what has the number `until` or a later one;
  /// where that comes and what is before `until` has not, it is lost. Errors: Malformed (bytes
  /// that are not so many samples, a number that leads out of time); then nothing of it was taken.
  Result<void> take(const SampleBlock& block, std::int64_t until = kNever.count());

  /// The number, as the instrument counts, of the first sample; and of the one that is to come.
  std::int64_t first() const { return m_first; }
  std::int64_t next() const { return m_first + m_samples.samples(); }
  bool isEmpty() const { return m_samples.samples() == 0; }
  Picoseconds length() const { return m_samples.end(); }
  /// The moment of a sample, by the instrument's number, in the capture.
  Picoseconds timeOf(std::int64_t number) const { return Picoseconds{m_samples.clock().timeOf(number - m_first)}; }
  /// The first sample at that moment of the capture or after it, by the instrument's number.
  std::int64_t sampleAt(Picoseconds t) const { return m_first + m_samples.clock().firstFrom(t.count()); }

  /// Samples [begin, end) of it. Requires: first() <= begin < end <= next().
  SampleRecording part(std::int64_t begin, std::int64_t end) const;

  /// A chunk of the capture's channel `channel` is elsewhere now, and need not stay in memory. See
  /// EdgeTrackBuilder::replaceChunk().
  void replaceChunk(std::size_t channel, std::size_t number, std::shared_ptr<const EdgeChunk> chunk)
  {
    if (channel < m_lines.size())
      m_samples.replaceChunk(m_lines[channel].input, number, std::move(chunk));
  }

  void setTrigger(std::optional<Picoseconds> trigger) { m_trigger = trigger; }
  const std::vector<TimeRange>& gaps() const { return m_gaps; }
  /// All so far. Costs one pass over the open chunk of each line.
  std::shared_ptr<const Capture> capture() const;

 private:
  Result<void> check(const SampleBlock& block) const;

  std::string m_source;
  std::vector<Line> m_lines;
  double m_rate;
  PackedSamples m_samples;
  std::int64_t m_first = 0;
  std::optional<Picoseconds> m_trigger;
  std::vector<TimeRange> m_gaps;
  std::vector<SentSamples> m_sent;
};

}  // namespace bexto
