#include "core/view/text_guess.h"

#include <algorithm>

#include "core/decode/protocol.h"

namespace bexto {

bool readsLikeText(const Bus& bus, const std::vector<FrameIndex>& streams)
{
  constexpr std::uint64_t kEnough = 400;
  if (!bus.protocol().facts().payloadMayBeText)
    return false;
  const auto reader = bus.protocol().payloadReader(bus);
  std::uint64_t all = 0;
  std::uint64_t letters = 0;
  for (const FrameIndex& frames : streams) {
    for (std::uint64_t i = 0; i < std::min(frames.size(), kEnough); ++i) {
      const Frame frame = frames.frame(i);
      for (const FramePayload& payload : reader->of(frame)) {
        for (const std::uint8_t b : payload.bytes) {
          ++all;
          letters += (b >= 0x20 && b < 0x7f) || (b >= 9 && b <= 13) ? 1U : 0U;
        }
      }
    }
  }
  return all > 0 && letters * 10 >= all * 9;
}

}  // namespace bexto
