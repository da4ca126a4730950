#include "core/decode/frame_index.h"

#include <algorithm>
#include <cassert>

namespace bexto {

FrameIndex::FrameIndex() = default;

FrameIndex::FrameIndex(std::vector<std::shared_ptr<const FrameChunk>> chunks) : m_chunks(std::move(chunks))
{
  for (const auto& chunk : m_chunks) {
    assert(chunk->first == m_size);
    m_size += chunk->size();
    m_errorCount += static_cast<std::uint64_t>(
        std::count_if(chunk->errors.begin(), chunk->errors.end(), [](FrameErrors e) { return e != 0; }));
  }
}

Frame FrameIndex::frame(std::uint64_t number) const
{
  assert(number < m_size);
  const auto after = std::upper_bound(m_chunks.begin(), m_chunks.end(), number,
                                      [](std::uint64_t n, const auto& chunk) { return n < chunk->first; });
  const FrameChunk& c = **(after - 1);
  return c.frame(static_cast<std::size_t>(number - c.first));
}

std::uint64_t FrameIndex::firstFrom(Picoseconds t) const
{
  // The last chunk that begins before t holds the answer, or the one after it does with its first frame.
  auto after = std::lower_bound(m_chunks.begin(), m_chunks.end(), t.count(),
                                [](const auto& chunk, std::int64_t at) { return chunk->begin.front() < at; });
  if (after == m_chunks.begin())
    return 0;
  const FrameChunk& c = **(after - 1);
  return c.first +
         static_cast<std::uint64_t>(std::lower_bound(c.begin.begin(), c.begin.end(), t.count()) - c.begin.begin());
}

std::uint64_t FrameIndex::lastUpTo(Picoseconds t) const
{
  const std::uint64_t after = firstFrom(t + Picoseconds{1});
  return after == 0 ? m_size : after - 1;
}

std::size_t FrameIndex::bytes() const
{
  std::size_t n = 0;
  for (const auto& c : m_chunks)
    n += c->size() * 29 + c->payload.size();
  return n;
}

void FrameChunk::resize(std::size_t frames)
{
  begin.resize(frames);
  end.resize(frames);
  key.resize(frames);
  errors.resize(frames);
  kind.resize(frames);
  flags.resize(frames);
  payloadEnd.resize(frames);
}

FrameChunk FrameChunk::inHugePage(std::uint64_t first, std::size_t frames)
{
  const auto page = std::make_shared<HugePage>();
  const auto column = [&]<typename T>(ColumnMemory<T> memory) { return Column<T>(frames, memory); };
  return {first,
          column(ColumnMemory<std::int64_t>(page)),
          column(ColumnMemory<std::int64_t>(page)),
          column(ColumnMemory<std::uint32_t>(page)),
          column(ColumnMemory<FrameErrors>(page)),
          column(ColumnMemory<FrameKind>(page)),
          column(ColumnMemory<std::uint16_t>(page)),
          column(ColumnMemory<std::uint32_t>(page)),
          {}};
}

FrameChunk FrameChunk::firstOnes(std::size_t frames) const
{
  const auto count = static_cast<std::ptrdiff_t>(frames);
  const auto part = [count](const auto& column) {
    return std::decay_t<decltype(column)>(column.begin(), column.begin() + count);
  };
  return {first, part(begin), part(end), part(key), part(errors), part(kind), part(flags), part(payloadEnd), payload};
}

/// All columns at once, and never one by one: growing seven vectors costs several times the filling. Only what has just
/// begun starts small; what has become long goes on in huge pages.
void FrameIndexBuilder::makeRoom(std::size_t payload)
{
  if (m_count == mostInChunk() || m_open.payload.size() + payload > kChunkPayload)
    seal();
  if (m_count < m_open.size())
    return;
  constexpr std::size_t kFirst = 256;
  if (m_sealed.empty())
    m_open.resize(std::clamp(m_open.size() * 4, kFirst, kChunkFrames));
  else if (isLong())
    m_open = FrameChunk::inHugePage(m_size, kLongChunkFrames);
  else
    m_open.resize(kChunkFrames);
}

void FrameIndexBuilder::seal()
{
  if (m_count == 0)
    return;
  m_open.resize(m_count);
  m_sealed.push_back(std::make_shared<const FrameChunk>(std::move(m_open)));
  m_open = FrameChunk{};
  m_open.first = m_size;
  m_count = 0;
}

FrameIndex FrameIndexBuilder::snapshot() const
{
  auto chunks = m_sealed;
  if (m_count > 0) {
    chunks.push_back(std::make_shared<const FrameChunk>(m_open.firstOnes(m_count)));
  }
  return FrameIndex(std::move(chunks));
}

}  // namespace bexto
