#include "core/decode/payload.h"

namespace bexto {

void PayloadReader::collect(const FrameChunk& chunk, std::size_t first, std::size_t end,
                            std::vector<std::uint8_t>& out) const
{
  for (std::size_t i = first; i < end; ++i) {
    const Frame frame = chunk.frame(i);
    for (const FramePayload& payload : of(frame))
      out.insert(out.end(), payload.bytes.begin(), payload.bytes.end());
  }
}

}  // namespace bexto
