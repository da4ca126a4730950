#include "core/store/session_file.h"

#include <algorithm>

namespace bexto {

void numberSegments(std::vector<Segment>& segments, Session& session)
{
  for (const Segment& segment : segments)
    session.lastSegment = std::max(session.lastSegment, static_cast<std::uint32_t>(segment.id));
  for (Segment& segment : segments) {
    if (segment.id == SegmentId::None)
      segment.id = static_cast<SegmentId>(++session.lastSegment);
  }
}

}  // namespace bexto
