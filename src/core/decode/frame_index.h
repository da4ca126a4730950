#pragma once

#include <algorithm>
#include <cassert>
#include <cstdint>
#include <memory>
#include <span>
#include <type_traits>
#include <utility>
#include <vector>

#include "core/base/huge_page.h"
#include "core/base/time.h"

namespace bexto {

/// What kind of frame it is, as the frame's protocol numbers them: Protocol::Facts::kinds says what each is called.
using FrameKind = std::uint8_t;
/// A kind with this bit is a fault by itself, whatever its errors say: a node's report that something went wrong.
inline constexpr FrameKind kFaultKind = 0x80;

/// What is wrong with a frame: bits that mean what the frame's protocol says (Protocol::Facts::errors), the lowest
/// first where words stand in a row. A room declares its own as an enumeration of bits over this type.
using FrameErrors = std::uint16_t;

/// The bit of a room's error.
template <typename Error>
requires std::is_enum_v<Error>
constexpr FrameErrors errorBit(Error e)
{
  return static_cast<FrameErrors>(e);
}
template <typename Error>
requires std::is_enum_v<Error>
constexpr bool hasError(FrameErrors errors, Error e)
{
  return (errors & errorBit(e)) != 0;
}

/// One frame as lists, filters and checks need it. What `kind`, `flags`, `errors`, `key` and `payload` mean is the
/// protocol's business: its room reads them into a struct of its own. `key` is what frames are looked for most (an
/// address, an identifier, a value), because its column is the quickest to go through.
///
/// A plain value, but `payload` points into the index that the frame came from, or into the decoder that handed it out.
struct Frame {
  TimeRange time;  ///< picoseconds from the capture's start
  FrameKind kind = 0;
  std::uint16_t flags = 0;
  FrameErrors errors = 0;
  std::uint32_t key = 0;
  std::span<const std::uint8_t> payload;
};

/// Whether something went wrong: in the frame itself, or so that a node of the bus said so with a frame.
constexpr bool isFaulty(FrameKind kind, FrameErrors errors)
{
  return errors != 0 || (kind & kFaultKind) != 0;
}

/// Leaves what resize() adds as it is: columns are filled frame by frame, and touching them twice would cost as much as
/// decoding. Takes what it can from a page that its columns share, if it has one, which lives as long as they do.
template <typename T>
struct ColumnMemory {
  using value_type = T;
  using propagate_on_container_move_assignment = std::true_type;
  using propagate_on_container_swap = std::true_type;

  ColumnMemory() = default;
  explicit ColumnMemory(std::shared_ptr<HugePage> shared) : page(std::move(shared)) {}
  template <typename U>
  explicit ColumnMemory(const ColumnMemory<U>& other) : page(other.page)
  {
  }

  T* allocate(std::size_t count)
  {
    void* const at = page == nullptr ? nullptr : page->take(count * sizeof(T));
    return at != nullptr ? static_cast<T*>(at) : std::allocator<T>().allocate(count);
  }
  void deallocate(T* at, std::size_t count)
  {
    if (page == nullptr || !page->holds(at))
      std::allocator<T>().deallocate(at, count);
  }
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
  /// Copies are for a while only.
  ColumnMemory select_on_container_copy_construction() const { return {}; }
  bool operator==(const ColumnMemory& other) const { return page == other.page; }

  std::shared_ptr<HugePage> page;
};
template <typename T>
using Column = std::vector<T, ColumnMemory<T>>;

/// Frames that follow one another.
struct FrameRange {
  std::uint64_t first = 0;  ///< number of a frame
  std::uint64_t end = 0;    ///< one past the last

  std::uint64_t count() const { return end - first; }
  bool operator==(const FrameRange&) const = default;
};

/// A run of frames, column by column: what scans go through. All columns but `payload` have size() entries; entry i of
/// each belongs to frame `first` + i. Immutable once it is in an index, and then read by any number of threads.
struct FrameChunk {
  std::uint64_t first = 0;     ///< number of the first frame
  Column<std::int64_t> begin;  ///< in ps, not falling
  Column<std::int64_t> end;    ///< in ps
  Column<std::uint32_t> key;
  Column<FrameErrors> errors;
  Column<FrameKind> kind;
  Column<std::uint16_t> flags;
  Column<std::uint32_t> payloadEnd;  ///< in `payload`; a frame's bytes begin where the one before ends
  std::vector<std::uint8_t> payload;

  std::size_t size() const { return begin.size(); }
  /// Frame `i` of the chunk, for reading; its payload points into the chunk. Requires: i < size().
  Frame frame(std::size_t i) const
  {
    const std::size_t from = i == 0 ? 0 : payloadEnd[i - 1];
    return {{Picoseconds{begin[i]}, Picoseconds{end[i]}}, kind[i], flags[i], errors[i], key[i],
            {payload.data() + from, payloadEnd[i] - from}};
  }
  /// So many frames, not filled in, whose columns but the payload share one huge page, as far as they fit it.
  static FrameChunk inHugePage(std::uint64_t first, std::size_t frames);
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
  /// Frames with at least one error bit.
  std::uint64_t errorCount() const { return m_errorCount; }

  /// Calls `use(number, frame)` for each of them, in their order; quicker than asking for one after the other.
  template <typename Use>
  void forEach(FrameRange range, const Use& use) const
  {
    for (const auto& chunk : m_chunks) {
      const std::uint64_t end = std::min(range.end, chunk->first + chunk->size());
      for (std::uint64_t n = std::max(range.first, chunk->first); n < end; ++n)
        use(n, chunk->frame(static_cast<std::size_t>(n - chunk->first)));
    }
  }
  /// In the order of the frames; none is empty. They live as long as one index that holds them.
  const std::vector<std::shared_ptr<const FrameChunk>>& chunks() const { return m_chunks; }
  /// Memory of all columns and payloads, in bytes.
  std::size_t bytes() const;

 private:
  std::vector<std::shared_ptr<const FrameChunk>> m_chunks;
  std::uint64_t m_size = 0;
  std::uint64_t m_errorCount = 0;
};

/// Collects frames in the order of their begin, which a decoder hands out. One thread adds and takes snapshots; the
/// snapshots may be read by others meanwhile. Copies the payload: the frame given need not live on.
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
  /// Rows to be filled in by one who reads many frames that are alike in the rest: see addRows().
  struct Rows {
    std::int64_t* begin;
    std::int64_t* end;
    std::uint32_t* key;
    FrameErrors* errors;
    std::size_t count;  ///< at least 1
  };
  /// Valid until the next call of anything else here.
  Rows rows()
  {
    if (m_count == m_open.size()) [[unlikely]]
      makeRoom(0);
    return {m_open.begin.data() + m_count, m_open.end.data() + m_count, m_open.key.data() + m_count,
            m_open.errors.data() + m_count, m_open.size() - m_count};
  }
  /// The first `count` of rows() are frames now, all of that kind, with those flags and without payload.
  void addRows(std::size_t count, FrameKind kind, std::uint16_t flags)
  {
    const auto from = static_cast<std::ptrdiff_t>(m_count);
    const auto to = from + static_cast<std::ptrdiff_t>(count);
    std::fill(m_open.kind.begin() + from, m_open.kind.begin() + to, kind);
    std::fill(m_open.flags.begin() + from, m_open.flags.begin() + to, flags);
    std::fill(m_open.payloadEnd.begin() + from, m_open.payloadEnd.begin() + to,
              static_cast<std::uint32_t>(m_open.payload.size()));
    m_count += count;
    m_size += count;
  }
  std::uint64_t size() const { return m_size; }
  /// All so far; copies at most one chunk.
  FrameIndex snapshot() const;

 private:
  bool isLong() const { return m_sealed.size() >= kShortChunks; }
  std::size_t mostInChunk() const { return isLong() ? kLongChunkFrames : kChunkFrames; }
  void makeRoom(std::size_t payload);
  void seal();

  static constexpr std::size_t kChunkFrames = 16384;
  /// Of a long index: their columns fill one huge page.
  static constexpr std::size_t kLongChunkFrames = 65536;
  static constexpr std::size_t kShortChunks = 4;
  static constexpr std::size_t kChunkPayload = std::size_t{1} << 30U;
  std::vector<std::shared_ptr<const FrameChunk>> m_sealed;
  FrameChunk m_open;  ///< its columns have room for a whole chunk; the first m_count are filled
  std::size_t m_count = 0;
  std::uint64_t m_size = 0;
};

}  // namespace bexto
