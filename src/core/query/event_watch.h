#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/decode/decoder.h"
#include "core/query/scan.h"

namespace bexto {

/// Decodes buses of a capture that grows and says which lines a query asks for: what a recording can begin with. A line
/// is a transaction, as in the list. Whatever the pieces in which the capture grows, the same lines are found (tested).
/// One thread at a time.
class EventWatch {
 public:
  /// A line that is asked for.
  struct Event {
    TimeRange time;  ///< of the line, which may go on: as far as it was known when it was found
    std::string bus;
  };

  EventWatch(std::vector<Bus> buses, Query query);
  ~EventWatch();
  EventWatch(const EventWatch&) = delete;
  EventWatch& operator=(const EventWatch&) = delete;

  /// What came with what the capture has more than before, by time; each line is said once. A bus whose rate is not
  /// known yet is waited for. Requires: `capture` continues the one before, or the one that moveTo() told of.
  std::vector<Event> look(const Capture& capture);

  /// The next capture is the same without what was before `cut`: decoders begin anew there, and what was said or passed
  /// over is not said again. To be of use, the cut leaves enough for them to find their way.
  void moveTo(Picoseconds cut);

  /// Why buses cannot be watched, a sentence each: a channel that is not there.
  const std::vector<Error>& errors() const { return m_errors; }
  /// Lines that were looked at.
  std::uint64_t lines() const { return m_lines; }

 private:
  struct Stream;
  void resolve(const Capture& capture);

  std::vector<Bus> m_buses;
  Query m_query;
  std::vector<char> m_resolved;  ///< of each bus
  std::vector<std::unique_ptr<Stream>> m_streams;
  std::unique_ptr<GrowingScan> m_scan;
  std::vector<Error> m_errors;
  std::uint64_t m_lines = 0;
};

}  // namespace bexto
