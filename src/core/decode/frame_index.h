#pragma once

#include <cassert>
#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "core/base/time.h"

namespace bexto {

/// Character and Break are of a UART, Transfer of I2C and SPI, Word of SPI, the others of CAN.
enum class FrameKind : std::uint8_t { Character, Break, Transfer, Word, Data, Remote, Error, Overload };

/// What is wrong with a frame, as bits of Frame::errors. The order is that of the error words in docs/command-line.md.
enum class FrameError : std::uint16_t {
  Parity = 1U << 0U,
  Framing = 1U << 1U,
  Incomplete = 1U << 2U,
  Nack = 1U << 3U,
  UnexpectedStart = 1U << 4U,
  Stuff = 1U << 5U,
  Form = 1U << 6U,
  Crc = 1U << 7U,
  StuffCount = 1U << 8U,
  Ack = 1U << 9U,
};

constexpr std::uint16_t errorBit(FrameError e)
{
  return static_cast<std::uint16_t>(e);
}
constexpr bool hasError(std::uint16_t errors, FrameError e)
{
  return (errors & errorBit(e)) != 0;
}
/// "parity", "unexpected-start": the words of the set bits, in order.
std::vector<std::string_view> errorWords(std::uint16_t errors);

/// One frame as lists, filters and checks need it. What `key`, `flags` and `payload` mean is the protocol's business:
/// see decode/uart.h, i2c.h, spi.h and can.h. `payload` points into the index that the frame came from.
struct Frame {
  TimeRange time;
  FrameKind kind = FrameKind::Character;
  std::uint16_t flags = 0;
  std::uint16_t errors = 0;  ///< FrameError bits
  std::uint32_t key = 0;
  std::span<const std::uint8_t> payload;
};

/// Whether something went wrong: in the frame itself, or so that a CAN node said so with an error frame.
constexpr bool isFaulty(FrameKind kind, std::uint16_t errors)
{
  return errors != 0 || kind == FrameKind::Error;
}

/// Leaves what resize() adds as it is: columns are filled frame by frame, and touching them twice would cost as much as
/// decoding.
template <typename T>
struct NoFill : std::allocator<T> {
  template <typename U>
  struct rebind {
    using other = NoFill<U>;
  };
  template <typename U>
  void construct(U* at) noexcept
  {
    ::new (static_cast<void*>(at)) U;
  }
  template <typename U, typename... Args>
  void construct(U* at, Args&&... args)
  {
    ::new (static_cast<void*>(at)) U(std::forward<Args>(args)...);
  }
};
template <typename T>
using Column = std::vector<T, NoFill<T>>;

/// A run of frames, column by column. Immutable once it is in an index.
struct FrameChunk {
  std::uint64_t first = 0;  ///< number of the first frame
  Column<std::int64_t> begin;
  Column<std::int64_t> end;
  Column<std::uint32_t> key;
  Column<std::uint16_t> errors;
  Column<FrameKind> kind;
  Column<std::uint16_t> flags;
  Column<std::uint32_t> payloadEnd;  ///< in `payload`; a frame's bytes begin where the one before ends
  std::vector<std::uint8_t> payload;

  std::size_t size() const { return begin.size(); }
  /// Cuts or fills all columns but the payload to that many frames.
  void resize(std::size_t frames);
  /// A copy of that many frames from the first on. Requires: all of the payload is theirs.
  FrameChunk firstOnes(std::size_t frames) const;
};

/// All frames of one stream in the order of their begin, numbered from 0: 29 bytes a frame and its payload.
///
/// An immutable value; copies share the chunks, any thread may read. A decode that goes on publishes a longer one.
class FrameIndex {
 public:
  FrameIndex();
  explicit FrameIndex(std::vector<std::shared_ptr<const FrameChunk>> chunks);

  std::uint64_t size() const { return m_size; }
  bool empty() const { return m_size == 0; }
  /// Requires: number < size().
  Frame frame(std::uint64_t number) const;
  /// Number of the first frame that begins at or after `t`; size() when none does.
  std::uint64_t firstFrom(Picoseconds t) const;
  /// The last frame that begins at or before `t` (it may have ended before); size() when there is none.
  std::uint64_t lastUpTo(Picoseconds t) const;
  /// Frames with at least one error.
  std::uint64_t errorCount() const { return m_errorCount; }

  const std::vector<std::shared_ptr<const FrameChunk>>& chunks() const { return m_chunks; }
  std::size_t bytes() const;

 private:
  std::vector<std::shared_ptr<const FrameChunk>> m_chunks;
  std::uint64_t m_size = 0;
  std::uint64_t m_errorCount = 0;
};

/// Collects frames; one thread. Snapshots may be read by others meanwhile.
class FrameIndexBuilder {
 public:
  /// Requires: frame.time.begin is not below that of the frame before.
  void add(const Frame& frame)
  {
    if (m_count == m_open.size() || m_open.payload.size() + frame.payload.size() > kChunkPayload) [[unlikely]]
      makeRoom(frame.payload.size());
    const std::size_t i = m_count++;
    assert(i == 0 || m_open.begin[i - 1] <= frame.time.begin.count());
    m_open.begin[i] = frame.time.begin.count();
    m_open.end[i] = frame.time.end.count();
    m_open.key[i] = frame.key;
    m_open.errors[i] = frame.errors;
    m_open.kind[i] = frame.kind;
    m_open.flags[i] = frame.flags;
    if (!frame.payload.empty())
      m_open.payload.insert(m_open.payload.end(), frame.payload.begin(), frame.payload.end());
    m_open.payloadEnd[i] = static_cast<std::uint32_t>(m_open.payload.size());
    ++m_size;
  }
  std::uint64_t size() const { return m_size; }
  /// All so far; copies at most one chunk.
  FrameIndex snapshot() const;

 private:
  void makeRoom(std::size_t payload);
  void seal();

  static constexpr std::size_t kChunkFrames = 16384;
  static constexpr std::size_t kChunkPayload = std::size_t{1} << 30U;
  std::vector<std::shared_ptr<const FrameChunk>> m_sealed;
  FrameChunk m_open;  ///< its columns have room for a whole chunk; the first m_count are filled
  std::size_t m_count = 0;
  std::uint64_t m_size = 0;
};

}  // namespace bexto
