#pragma once

#include <algorithm>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/signal/capture.h"

namespace bexto {

/// Frames that a source without wires hands over as they come.
struct ArrivedRecords {
  struct One {
    std::size_t input = 0;  ///< of the source, counted from 0
    std::int64_t time = 0;  ///< ps, from the source's begin
    std::vector<std::uint8_t> bytes;
    bool isOurs = false;      ///< it came from here
    std::int64_t length = 0;  ///< ps that what is ours took before `time`
  };
  std::vector<One> records;     ///< in the order of time
  std::int64_t until = 0;       ///< ps: no record of before will follow
  std::vector<TimeRange> lost;  ///< stretches in which frames may have been lost

  std::int64_t begin() const { return until; }
  /// What comes at the last moment is in it.
  std::int64_t end() const
  {
    return records.empty() ? until : std::max(until, std::min(records.back().time, kNever.count() - 1) + 1);
  }
};

/// Makes a capture of frames while they come: what SampleRecording is for samples. Its moments count in ps from the
/// source's begin. A value whose copies share what is there; one thread at a time, but what capture() gives is for any.
class RecordRecording {
 public:
  /// An input of the source, counted from 0, what it is called in the capture, and what its records are.
  struct Line {
    std::size_t input = 0;
    std::string name;
    LinkType linkType = 0;
  };
  /// It begins at the moment `first`.
  RecordRecording(std::string source, std::vector<Line> lines, std::int64_t first = 0);

  /// Those of its lines before `until`. What comes with a time before the one before it gets that one's.
  /// Errors: Malformed (a moment out of time, a record that is too long); then nothing of it was taken.
  Result<void> take(const ArrivedRecords& arrived, std::int64_t until = kNever.count());

  std::int64_t first() const { return m_first; }
  /// Up to where it is known.
  std::int64_t next() const { return m_next; }
  bool isEmpty() const { return m_next == m_first; }
  Picoseconds length() const { return Picoseconds{m_next - m_first}; }
  Picoseconds timeOf(std::int64_t moment) const { return Picoseconds{moment - m_first}; }
  std::int64_t sampleAt(Picoseconds t) const { return m_first + t.count(); }

  /// What is from `begin` to before `end`. Requires: first() <= begin < end <= next().
  RecordRecording part(std::int64_t begin, std::int64_t end) const;

  /// A chunk of the capture's channel `channel` is elsewhere now, and need not stay in memory.
  void replaceChunk(std::size_t channel, std::size_t number, std::shared_ptr<const RecordChunk> chunk);

  void setTrigger(std::optional<Picoseconds> trigger) { m_trigger = trigger; }
  const std::vector<TimeRange>& gaps() const { return m_gaps; }
  /// All so far. Costs a copy of the open chunk of each line.
  std::shared_ptr<const Capture> capture() const;

 private:
  struct Growing {
    Line line;
    std::vector<std::shared_ptr<const RecordChunk>> full;
    RecordBlock open;
    std::uint64_t before = 0;  ///< records in those that are full
    std::int64_t latest = 0;   ///< ps, from m_first

    void add(std::int64_t time, std::span<const std::uint8_t> bytes);
    std::shared_ptr<const RecordLog> log() const;
  };

  std::string m_source;
  std::vector<Growing> m_lines;
  std::int64_t m_first;
  std::int64_t m_next;
  std::optional<Picoseconds> m_trigger;
  std::vector<TimeRange> m_gaps;
  std::vector<SentSpan> m_sent;
};

}  // namespace bexto
