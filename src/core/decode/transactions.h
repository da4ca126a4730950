#pragma once

#include <cstdint>
#include <memory>
#include <vector>

#include "core/decode/bus.h"
#include "core/decode/frame_index.h"

namespace bexto {

/// Frames that are one utterance, as people read them: an I2C exchange from START to STOP; a UART run of characters
/// without a pause of two characters, at most 256 long, and for a bus shown as text no longer than its line. Of SPI and
/// CAN every frame is one.
struct FrameRange {
  std::uint64_t first = 0;
  std::uint64_t end = 0;  ///< one past the last

  std::uint64_t count() const { return end - first; }
  bool operator==(const FrameRange&) const = default;
};

/// The transactions of one stream, numbered from 0. An immutable value that shares its list; it keeps the frames too.
class Transactions {
 public:
  Transactions() = default;
  /// One pass over the frames; over the new ones only when `before` holds the beginning of the same stream.
  Transactions(const Bus& bus, FrameIndex frames, const Transactions& before = {});
  /// Every frame a transaction of its own, whatever the protocol.
  static Transactions eachFrame(FrameIndex frames);

  std::uint64_t size() const { return m_firsts ? m_firsts->size() : m_frames.size(); }
  const FrameIndex& frames() const { return m_frames; }
  /// Requires: number < size().
  FrameRange framesOf(std::uint64_t number) const;
  TimeRange timeOf(std::uint64_t number) const;
  Picoseconds beginOf(std::uint64_t number) const;
  /// Requires: frame < frames().size().
  std::uint64_t transactionOf(std::uint64_t frame) const;
  bool isFaulty(std::uint64_t number) const;
  /// The errors of all its frames.
  std::uint16_t errorsOf(std::uint64_t number) const;
  /// Number of the first one that begins at or after `t`; size() when none does.
  std::uint64_t firstFrom(Picoseconds t) const;

 private:
  FrameIndex m_frames;
  std::shared_ptr<const std::vector<std::uint32_t>> m_firsts;  ///< each one's first frame; none when that is its number
};

}  // namespace bexto
