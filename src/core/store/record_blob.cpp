// Tested by tests/core/record_log_test.cpp.
#include "core/store/record_blob.h"

#include <bit>
#include <cstring>

#include "core/store/packed_frame.h"

namespace bexto {

namespace {

static_assert(std::endian::native == std::endian::little, "session files are little-endian: turn the numbers round");

constexpr std::size_t kTimeBytes = sizeof(std::int64_t);
constexpr std::size_t kFixedBytes = kTimeBytes + sizeof(std::uint32_t);

}  // namespace

std::vector<std::uint8_t> packRecords(const RecordBlock& block)
{
  // Column by column, and distances instead of times: so they compress.
  const std::size_t count = block.size();
  std::vector<std::uint8_t> plain(count * kFixedBytes);
  std::int64_t before = count == 0 ? 0 : block.times.front();
  std::uint32_t from = 0;
  for (std::size_t i = 0; i < count; ++i) {
    const std::int64_t step = block.times[i] - before;
    const std::uint32_t length = block.ends[i] - from;
    std::memcpy(plain.data() + i * kTimeBytes, &step, sizeof(step));
    std::memcpy(plain.data() + count * kTimeBytes + i * sizeof(length), &length, sizeof(length));
    before = block.times[i];
    from = block.ends[i];
  }
  plain.insert(plain.end(), block.bytes.begin(), block.bytes.end());
  return packFrame(plain);
}

std::optional<RecordBlock> unpackRecords(std::span<const std::uint8_t> blob, const RecordFacts& facts)
{
  const std::size_t count = facts.count;
  constexpr std::size_t kMost = RecordLogBuilder::kChunkBytes + RecordLogBuilder::kMostBytes;
  const auto size = frameSize(blob);
  if (!size || *size < count * kFixedBytes || *size - count * kFixedBytes > kMost)
    return std::nullopt;
  const auto plain = unpackFrame(blob, *size);
  if (!plain)
    return std::nullopt;
  RecordBlock block;
  block.times.resize(count);
  block.ends.resize(count);
  block.bytes.assign(plain->begin() + static_cast<std::ptrdiff_t>(count * kFixedBytes), plain->end());
  std::int64_t time = facts.first;
  std::uint64_t end = 0;
  for (std::size_t i = 0; i < count; ++i) {
    std::int64_t step = 0;
    std::uint32_t length = 0;
    std::memcpy(&step, plain->data() + i * kTimeBytes, sizeof(step));
    std::memcpy(&length, plain->data() + count * kTimeBytes + i * sizeof(length), sizeof(length));
    end += length;
    if (step < 0 || step > facts.last - time || (i == 0 && step != 0) || end > block.bytes.size())
      return std::nullopt;
    time += step;
    block.times[i] = time;
    block.ends[i] = static_cast<std::uint32_t>(end);
  }
  if (time != facts.last || end != block.bytes.size())
    return std::nullopt;
  return block;
}

}  // namespace bexto
