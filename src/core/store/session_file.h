#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "core/session/session.h"
#include "core/signal/capture.h"

namespace bexto {

/// What people write about a session.
struct About {
  std::string title;
  std::string description;
  std::string author;
  bool operator==(const About&) const = default;
};

/// One stretch of recording of a session.
struct Segment {
  std::string name = {};
  std::string startedAt = {};  ///< ISO 8601 in UTC, "2031-03-17T06:12:00Z"; empty: not known
  std::string startedBy = {};  ///< what started it, in words; may be empty
  bool whole = true;           ///< false: it was still being recorded when the file was last written
  std::shared_ptr<const Capture> capture = {};
  SegmentId id = SegmentId::None;  ///< None: it is given one when it is written

  bool operator==(const Segment&) const = default;  ///< of captures whether it is the same one
};

/// Gives those without an id one that `session` has not given before.
void numberSegments(std::vector<Segment>& segments, Session& session);

/// All that a session file holds. Copies share the captures.
struct SessionFile {
  About about;
  Session session;
  std::vector<Segment> segments;
  std::size_t shown = 0;                           ///< the segment that was looked at
  std::map<std::string, std::string> attachments;  ///< by name: sheets, rulebooks, pictures
  /// Of unsaved changes only: the session file that they are made to, and that has the segments. Empty: none.
  std::string continues = {};
};

}  // namespace bexto
