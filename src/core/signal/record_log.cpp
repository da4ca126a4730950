// Tested by tests/core/record_log_test.cpp.
#include "core/signal/record_log.h"

#include <algorithm>
#include <cassert>
#include <utility>

namespace bexto {

RecordChunk::RecordChunk(std::uint64_t firstIndex, RecordBlock block)
    : m_facts{firstIndex, block.size(), block.times.front(), block.times.back()},
      m_own(std::make_shared<const RecordBlock>(std::move(block)))
{
}

RecordChunk::RecordChunk(const RecordFacts& facts, std::shared_ptr<const RecordSource> source, std::int64_t key)
    : m_facts(facts), m_source(std::move(source)), m_key(key)
{
}

std::shared_ptr<const RecordBlock> RecordChunk::block() const
{
  if (m_own)
    return m_own;
  return std::make_shared<const RecordBlock>(m_source->readRecords(m_key, m_facts).value_or(RecordBlock()));
}

RecordLog::RecordLog(LinkType linkType, std::vector<std::shared_ptr<const RecordChunk>> chunks)
    : m_linkType(linkType), m_chunks(std::move(chunks))
{
  if (!m_chunks.empty())
    m_size = m_chunks.back()->facts().firstIndex + m_chunks.back()->facts().count;
}

void RecordLogBuilder::add(Picoseconds time, std::span<const std::uint8_t> bytes)
{
  assert(bytes.size() <= kMostBytes);
  if (m_blocks.empty() || m_blocks.back().size() == kChunkRecords ||
      m_blocks.back().bytes.size() + bytes.size() > kChunkBytes)
    m_blocks.emplace_back();
  m_unordered += time.count() < m_latest ? 1 : 0;
  m_latest = std::max(m_latest, time.count());
  RecordBlock& block = m_blocks.back();
  block.times.push_back(time.count());
  block.bytes.insert(block.bytes.end(), bytes.begin(), bytes.end());
  block.ends.push_back(static_cast<std::uint32_t>(block.bytes.size()));
  ++m_size;
}

void RecordLogBuilder::sort()
{
  std::vector<Record> records;
  records.reserve(m_size);
  for (const RecordBlock& block : m_blocks) {
    for (std::size_t i = 0; i < block.size(); ++i)
      records.push_back(block.record(i));
  }
  std::stable_sort(records.begin(), records.end(), [](const Record& a, const Record& b) { return a.time < b.time; });
  const std::vector<RecordBlock> before = std::exchange(m_blocks, {});
  m_size = 0;
  for (const Record& record : records)
    add(record.time, record.bytes);
}

std::shared_ptr<const RecordLog> RecordLogBuilder::take(LinkType linkType, Picoseconds zero)
{
  if (m_unordered > 0)
    sort();
  std::vector<std::shared_ptr<const RecordChunk>> chunks;
  std::uint64_t first = 0;
  for (RecordBlock& block : m_blocks) {
    for (std::int64_t& time : block.times)
      time -= zero.count();
    const std::size_t count = block.size();
    chunks.push_back(std::make_shared<const RecordChunk>(first, std::move(block)));
    first += count;
  }
  *this = RecordLogBuilder();
  return std::make_shared<const RecordLog>(linkType, std::move(chunks));
}

}  // namespace bexto
