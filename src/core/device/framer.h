#pragma once

#include <cstdint>
#include <memory>
#include <span>
#include <vector>

#include "core/decode/frame_index.h"
#include "core/decode/talk.h"
#include "core/device/sheet.h"

namespace bexto {

/// Finds messages in a row of characters, as a sheet's framing says. What is no message is cut at its pauses, so every
/// frame is in one unit. What frames say depends on what stands before them, so a row is gone through from its begin;
/// one that grows from a unit on that is known.
struct FramedUnit {
  std::uint32_t first = 0;  ///< number of its first frame
  bool isMessage = false;   ///< else characters between messages, or a message that was cut
};

/// Appends the units from frame `from` on, which begins one.
void findMessages(const SheetFraming& framing, const TalkReader& talk, const FrameIndex& frames, std::uint64_t from,
                  std::vector<FramedUnit>& units);

/// The bytes of the message that these frames are: as they were sent, but where they are escaped without escapes and
/// without what begins and ends them. With `strip`, without the end of a line.
std::vector<std::uint8_t> messageBytes(const SheetFraming& framing, const TalkReader& talk, const FrameIndex& frames,
                                       FrameRange range, bool strip);

}  // namespace bexto
