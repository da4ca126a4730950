// What is different between two neighbouring samples is the exclusive or of the bytes with those one sample before.
// Sixty-four bytes at a time are asked whether there is anything in it, which compilers make vectors of; each bit of
// what there is is a transition.
//
// Tested by tests/core/packed_samples_test.cpp.
#include "core/signal/packed_samples.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cassert>
#include <cstring>

#include "core/signal/edge_stream.h"

namespace bexto {

namespace {

constexpr std::size_t kWord = sizeof(std::uint64_t);
constexpr std::size_t kLook = 8 * kWord;

std::uint64_t wordAt(const std::uint8_t* at)
{
  std::uint64_t word = 0;
  std::memcpy(&word, at, kWord);
  return word;
}

/// The byte that comes first is the lowest one.
std::uint64_t inOrder(std::uint64_t word)
{
  if constexpr (std::endian::native == std::endian::big)
    return __builtin_bswap64(word);
  else
    return word;
}

/// 10^n for the largest n of which `ps` is a multiple, at most what a builder takes.
int powerIn(std::int64_t ps)
{
  int power = 0;
  while (power < 12 && ps % tenToThe(power + 1) == 0)
    ++power;
  return power;
}

}  // namespace

PackedSamples::PackedSamples(std::size_t channels, double rate)
    : m_clock(rate), m_width(bexto::bytesPerSample(channels)), m_joint(2 * m_width)
{
  const std::int64_t whole = m_clock.wholePeriod();
  m_power = whole > 0 ? powerIn(whole) : 0;
  m_ticksPerSample = whole / tenToThe(m_power);
  m_builders.assign(channels, EdgeTrackBuilder(m_power));
}

template <std::size_t kWidth, typename TimeOf>
void PackedSamples::scan(std::span<const std::uint8_t> bytes, const TimeOf& timeOf)
{
  const std::size_t width = kWidth == 0 ? m_width : kWidth;
  const std::size_t channels = m_builders.size();
  EdgeTrackBuilder* const builders = m_builders.data();
  const std::uint8_t* const now = bytes.data() + width;
  const std::uint8_t* const before = bytes.data();
  const std::size_t size = bytes.size() - width;
  const auto apply = [&](std::size_t at, std::uint64_t changed) {
    changed = inOrder(changed);
    while (changed != 0) {
      const auto bit = static_cast<std::size_t>(std::countr_zero(changed));
      const std::size_t byte = at + bit / 8;
      const std::size_t channel = byte % width * 8 + bit % 8;
      // Behind the last channel a byte has bits that are nobody's.
      if (channel < channels)
        builders[channel].toggle(timeOf(static_cast<std::int64_t>(byte / width)));
      changed &= changed - 1;
    }
  };
  std::size_t at = 0;
  for (; at + kLook <= size; at += kLook) {
    std::uint64_t any = 0;
    for (std::size_t word = 0; word < kLook; word += kWord)
      any |= wordAt(now + at + word) ^ wordAt(before + at + word);
    if (any == 0) [[likely]]
      continue;
    for (std::size_t word = 0; word < kLook; word += kWord)
      apply(at + word, wordAt(now + at + word) ^ wordAt(before + at + word));
  }
  for (; at < size; ++at)
    apply(at, inOrder(std::uint64_t{now[at]} ^ before[at]));
}

template <typename TimeOf>
void PackedSamples::scanFor(std::span<const std::uint8_t> bytes, const TimeOf& timeOf)
{
  switch (m_width) {
    case 1:
      return scan<1>(bytes, timeOf);
    case 2:
      return scan<2>(bytes, timeOf);
    case 4:
      return scan<4>(bytes, timeOf);
    case 8:
      return scan<8>(bytes, timeOf);
    default:
      return scan<0>(bytes, timeOf);
  }
}

void PackedSamples::start(const std::uint8_t* sample)
{
  for (std::size_t channel = 0; channel < m_builders.size(); ++channel)
    m_builders[channel].set(0, (sample[channel / 8] >> (channel % 8) & 1U) != 0);
}

void PackedSamples::takeRuns(std::span<const std::uint8_t> runs)
{
  assert(runs.size() % (m_width + 2) == 0);
  for (const std::uint8_t* run = runs.data(); run != runs.data() + runs.size(); run += m_width + 2) {
    if (m_samples == 0) {
      start(run);
    } else {
      const std::int64_t tick = tickOf(m_samples);
      for (std::size_t byte = 0; byte < m_width; ++byte) {
        unsigned changed = m_joint[byte] ^ static_cast<unsigned>(run[byte]);
        for (; changed != 0; changed &= changed - 1) {
          const std::size_t channel = byte * 8 + static_cast<std::size_t>(std::countr_zero(changed));
          if (channel < m_builders.size())
            m_builders[channel].toggle(tick);
        }
      }
    }
    std::copy_n(run, m_width, m_joint.data());
    m_samples += 1 + run[m_width] + 256 * run[m_width + 1];
  }
}

PackedSamples PackedSamples::part(std::int64_t first, std::int64_t end) const
{
  PackedSamples some = *this;
  std::fill(some.m_joint.begin(), some.m_joint.end(), std::uint8_t{0});
  const Picoseconds begin{m_clock.timeOf(first)};
  const Picoseconds last{m_clock.timeOf(end - 1)};
  for (std::size_t channel = 0; channel < m_builders.size(); ++channel) {
    const EdgeTrack all = track(channel);
    EdgeTrackBuilder& builder = some.m_builders[channel];
    builder = EdgeTrackBuilder(m_power);
    builder.set(0, all.levelAt(begin));
    EdgeStream stream({all, {}}, begin + Picoseconds{1}, kNever, true);
    for (; stream.next() <= last.count(); stream.advance())
      builder.toggle(tickOf(m_clock.firstFrom(stream.next()) - first));
    if (all.levelAt(last))
      some.m_joint[channel / 8] = static_cast<std::uint8_t>(some.m_joint[channel / 8] | 1U << channel % 8);
  }
  some.m_samples = end - first;
  return some;
}

void PackedSamples::take(std::span<const std::uint8_t> bytes)
{
  assert(bytes.size() % m_width == 0);
  if (bytes.empty())
    return;
  const auto scanFrom = [this](std::span<const std::uint8_t> from, std::int64_t first) {
    // The first sample of `from` is the one before number `first`.
    if (m_ticksPerSample > 0)
      scanFor(from, [first, ticks = m_ticksPerSample](std::int64_t n) { return (first + n) * ticks; });
    else
      scanFor(from, [first, this](std::int64_t n) { return m_clock.timeOf(first + n); });
  };
  if (m_samples == 0) {
    start(bytes.data());
  } else {
    // Across the seam of two pieces.
    std::copy_n(bytes.data(), m_width, m_joint.data() + m_width);
    scanFrom(m_joint, m_samples);
  }
  scanFrom(bytes, m_samples + 1);
  std::copy_n(bytes.data() + bytes.size() - m_width, m_width, m_joint.data());
  m_samples += static_cast<std::int64_t>(bytes.size() / m_width);
}

}  // namespace bexto
