#pragma once

#include <cstdint>
#include <stop_token>
#include <vector>

#include "core/base/result.h"
#include "core/decode/bus.h"
#include "core/decode/frame_index.h"
#include "core/decode/payload.h"

namespace bexto {

/// The payload of one stream in one direction as bytes with addresses from 0, frame after frame. Keeps an address for
/// every 256th frame; the bytes stay in the frame index. An immutable value that any thread may read.
class ByteStream {
 public:
  ByteStream() = default;
  /// One pass over the frames. Errors: Cancelled only.
  static Result<ByteStream> make(const Bus& bus, FrameIndex frames, PayloadWay way, const std::stop_token& stop);
  /// The same of longer frames: looks at those only that are new. Requires: `frames` continue those of this stream.
  Result<ByteStream> extended(FrameIndex frames, const std::stop_token& stop) const;

  /// In bytes.
  std::uint64_t size() const { return m_size; }
  const FrameIndex& frames() const { return m_frames; }

  /// One byte and the frame that carries it.
  struct Byte {
    std::uint8_t value = 0;
    std::uint64_t frame = 0;
    bool first = false;  ///< of its frame
    bool fault = false;  ///< its frame has one
  };
  /// `count` bytes from `address` on, fewer at the end. Costs at most 256 frames more than what is read.
  std::vector<Byte> read(std::uint64_t address, std::size_t count) const;
  /// The address of the frame's first byte; of a frame without any, where it would be. Requires: the frame is there.
  std::uint64_t addressOf(std::uint64_t frame) const;
  /// How many bytes of the stream the frame carries.
  std::uint64_t bytesOf(std::uint64_t frame) const;

 private:
  static constexpr std::uint64_t kStep = 256;
  std::shared_ptr<const PayloadReader> m_reader;
  FrameIndex m_frames;
  PayloadWay m_way = 0;
  std::vector<std::uint64_t> m_addresses;  ///< of frames 0, 256, 512 …
  std::uint64_t m_size = 0;
};

}  // namespace bexto
