// Eight samples against the next eight transitions, each with each. The sign of sample - transition says whether the
// transition is later than the sample, so the signs of eight such differences, xored, say whether an odd number is
// later, and so whether an odd number has come: whether the level at the sample is another than before the byte. No
// branch and no wait from bit to bit, whatever the data; from byte to byte only the number of transitions is waited
// for.
//
// Times become 32 bits behind the last sample before; what comes later than these can count is as good as never.
//
// This file is compiled once for each kind of processor: foreach_target.h includes it again and again.
//
// Tested by tests/core/clocked_bytes_test.cpp and, against the careful way, quick_paths_test.cpp.
#include "core/decode/clocked_bytes.h"

#include <algorithm>
#include <limits>

// Vectors stand in arrays here, which those without a fixed size cannot.
#define HWY_DISABLED_TARGETS (HWY_SVE | HWY_SVE2 | HWY_SVE_256 | HWY_SVE2_128)
#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/decode/clocked_bytes.cpp"
#include <hwy/foreach_target.h>
// Behind foreach_target.h, which decides what it is to mean.
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace bexto {
namespace HWY_NAMESPACE {

constexpr std::size_t kSamples = 8;
constexpr std::int64_t kFarthest = std::numeric_limits<std::int32_t>::max();

#if HWY_TARGET != HWY_SCALAR

namespace hn = hwy::HWY_NAMESPACE;

using Near = hn::CappedTag<std::int32_t, kSamples>;  ///< eight times, or four
using Far = hn::Repartition<std::int64_t, Near>;     ///< half as many
constexpr std::size_t kLanes = hn::MaxLanes(Near());
constexpr std::size_t kParts = kSamples / kLanes;

/// The low words of both.
HWY_INLINE hn::Vec<Near> lowWords(hn::Vec<Far> first, hn::Vec<Far> second)
{
  return hn::ConcatEven(Near(), hn::BitCast(Near(), second), hn::BitCast(Near(), first));
}
HWY_INLINE hn::Vec<Near> highWords(hn::Vec<Far> first, hn::Vec<Far> second)
{
  return hn::ConcatOdd(Near(), hn::BitCast(Near(), second), hn::BitCast(Near(), first));
}

/// The next eight transitions of a line, in ps behind a base that is not later; kFarthest where they are later still.
struct Transitions {
  alignas(32) std::int32_t at[kSamples];
};

/// Puts down the next transitions, and how many of them are earlier than each of `ends`.
template <std::size_t kCounts>
HWY_INLINE void take(const std::int64_t* at, const std::int64_t* base, const hn::Vec<Near> (&ends)[kCounts],
                     std::size_t (&counts)[kCounts], Transitions& next)
{
  constexpr Near kNear;
  constexpr Far kFar;
  const hn::RebindToUnsigned<Near> unsignedNear;
  const auto from = hn::Set(kFar, *base);
  for (std::size_t& count : counts)
    count = 0;
  for (std::size_t i = 0; i < kSamples; i += kLanes) {
    const auto first = hn::Sub(hn::LoadU(kFar, at + i), from);
    const auto second = hn::Sub(hn::LoadU(kFar, at + i + kLanes / 2), from);
    const auto isFar = hn::VecFromMask(kNear, hn::Gt(highWords(first, second), hn::Zero(kNear)));
    const auto words = hn::BitCast(unsignedNear, hn::Or(lowWords(first, second), isFar));
    const auto times = hn::BitCast(kNear, hn::Min(words, hn::Set(unsignedNear, static_cast<std::uint32_t>(kFarthest))));
    hn::Store(times, kNear, next.at + i);
    for (std::size_t c = 0; c < kCounts; ++c)
      counts[c] += hn::CountTrue(kNear, hn::Lt(times, ends[c]));
  }
  // To be read from there, each into all lanes of a vector: what moves lanes within one is scarce in a processor, and
  // a compiler that remembers what was put down would do that.
  asm volatile("" : "+m"(next));
}

/// A time in ps behind a base, in all lanes. Requires: less than kFarthest.
HWY_INLINE hn::Vec<Near> nearTime(const std::int64_t* time, const std::int64_t* base)
{
  return hn::Sub(hn::Set(Near(), static_cast<std::int32_t>(*time)), hn::Set(Near(), static_cast<std::int32_t>(*base)));
}

/// Below zero where an odd number of the transitions is later than the sample.
HWY_INLINE hn::Vec<Near> oddLater(hn::Vec<Near> samples, const Transitions& next)
{
  constexpr Near kNear;
  auto signs = hn::Sub(samples, hn::Set(kNear, next.at[0]));
#pragma GCC unroll 8
  for (std::size_t i = 1; i < kSamples; ++i)
    signs = hn::Xor(signs, hn::Sub(samples, hn::Set(kNear, next.at[i])));
  return signs;
}

/// Below zero where one of the transitions is later than the sample, and not later than `rest`.
HWY_INLINE hn::Vec<Near> anyBetween(hn::Vec<Near> samples, hn::Vec<Near> rest, const Transitions& next)
{
  constexpr Near kNear;
  auto signs = hn::Zero(kNear);
#pragma GCC unroll 8
  for (std::size_t i = 0; i < kSamples; ++i) {
    const auto time = hn::Set(kNear, next.at[i]);
    signs = hn::Or(signs, hn::AndNot(hn::Sub(rest, time), hn::Sub(samples, time)));
  }
  return signs;
}

HWY_INLINE std::uint8_t signBits(hn::Vec<Near> signs)
{
  constexpr Near kNear;
  std::uint8_t bits[8];
  hn::StoreMaskBits(kNear, hn::Lt(signs, hn::Zero(kNear)), bits);
  return bits[0];
}

template <std::size_t kLines>
std::size_t readClocked(const std::int64_t* edges, std::size_t bytes, ClockedLine* lines, ClockedBytes* out)
{
  constexpr Near kNear;
  constexpr Far kFar;
  const std::int64_t* at[kLines];
  std::uint8_t level[kLines];
  std::int64_t begin = edges[0];
  for (std::size_t k = 0; k < kLines; ++k) {
    at[k] = lines[k].at;
    level[k] = lines[k].level ? 0xff : 0;
    begin = std::min(begin, *at[k]);
  }
  const std::int64_t* base = &begin;
  std::size_t byte = 0;
  for (; byte < bytes; ++byte, edges += 2 * kSamples) {
    const std::int64_t* const last = edges + (2 * kSamples - 2);
    if (*last - *base >= kFarthest)
      break;
    const hn::Vec<Near> ends[1] = {nearTime(last, base)};
    Transitions next[kLines];
    std::size_t count[kLines];
    bool stops = false;
    for (std::size_t k = 0; k < kLines; ++k) {
      std::size_t upTo[1];
      take(at[k], base, ends, upTo, next[k]);
      count[k] = upTo[0];
      stops |= at[k][count[k]] < *last || at[k] + count[k] == lines[k].end;
    }
    if (stops)
      break;
    // The sample is before its edge: a transition there is later.
    const auto from = hn::Set(kFar, *base);
    const auto before = hn::Set(kNear, 1);
    std::uint8_t bits[kLines] = {};
    for (std::size_t part = 0; part < kParts; ++part) {
      const std::int64_t* const of = edges + part * 2 * kLanes;
      hn::Vec<Far> first;
      hn::Vec<Far> second;
      hn::Vec<Far> behind;
      hn::LoadInterleaved2(kFar, of, first, behind);
      hn::LoadInterleaved2(kFar, of + kLanes, second, behind);
      const auto samples = hn::Sub(hn::Reverse(kNear, lowWords(hn::Sub(first, from), hn::Sub(second, from))), before);
      for (std::size_t k = 0; k < kLines; ++k)
        bits[k] = static_cast<std::uint8_t>(bits[k] << kLanes | signBits(oddLater(samples, next[k])));
    }
    for (std::size_t k = 0; k < kLines; ++k) {
      out[k][byte] = bits[k] ^ level[k];
      at[k] += count[k];
      level[k] ^= (count[k] & 1U) != 0 ? 0xff : 0;
    }
    base = last;
  }
  for (std::size_t k = 0; k < kLines; ++k) {
    lines[k].at = at[k];
    lines[k].level = level[k] != 0;
  }
  return byte;
}

std::size_t readAcknowledged(const std::int64_t* edges, std::size_t bytes, ClockedLine& line, ClockedBytes& out,
                             ClockedBytes& acks)
{
  constexpr Near kNear;
  constexpr Far kFar;
  const std::int64_t* at = line.at;
  bool level = line.level;
  const std::int64_t begin = std::min(edges[0], *at);
  const std::int64_t* base = &begin;
  std::size_t byte = 0;
  for (; byte < bytes; ++byte, edges += 2 * kSamples + 2) {
    const std::int64_t* const last = edges + 2 * kSamples;
    const std::int64_t* const rested = last + 1;
    if (*rested - *base >= kFarthest)
      break;
    Transitions next;
    // Counted from the same vector, because what comes next waits for the last of them.
    const auto one = hn::Set(kNear, 1);
    const auto lastRest = nearTime(rested, base);
    const hn::Vec<Near> ends[3] = {hn::Add(nearTime(last, base), one), lastRest, hn::Add(lastRest, one)};
    std::size_t before[3];
    take(at, base, ends, before, next);
    const auto [count, resting, used] = before;
    const bool rests = count == resting && at + count < line.end && at[used] > *rested;
    const auto from = hn::Set(kFar, *base);
    std::uint8_t bits = 0;
    std::uint8_t moved = 0;
    for (std::size_t part = 0; part < kParts; ++part) {
      const std::int64_t* const of = edges + part * 2 * kLanes;
      hn::Vec<Far> first;
      hn::Vec<Far> second;
      hn::Vec<Far> firstRest;
      hn::Vec<Far> secondRest;
      hn::LoadInterleaved2(kFar, of, first, firstRest);
      hn::LoadInterleaved2(kFar, of + kLanes, second, secondRest);
      const auto samples = hn::Reverse(kNear, lowWords(hn::Sub(first, from), hn::Sub(second, from)));
      const auto rest = hn::Sub(hn::Reverse(kNear, lowWords(hn::Sub(firstRest, from), hn::Sub(secondRest, from))), one);
      bits = static_cast<std::uint8_t>(bits << kLanes | signBits(oddLater(samples, next)));
      moved |= signBits(anyBetween(samples, rest, next));
    }
    if (!rests || moved != 0)
      break;
    out[byte] = bits ^ (level ? 0xff : 0);
    acks[byte] = level != ((count & 1U) != 0) ? 1 : 0;
    at += used;
    level = level != ((used & 1U) != 0);
    base = last;
  }
  line.at = at;
  line.level = level;
  return byte;
}

#endif

std::size_t clocked([[maybe_unused]] const std::int64_t* edges, [[maybe_unused]] std::size_t bytes,
                    [[maybe_unused]] ClockedLine* lines, [[maybe_unused]] std::size_t count,
                    [[maybe_unused]] ClockedBytes* out)
{
#if HWY_TARGET != HWY_SCALAR
  return count == 1 ? readClocked<1>(edges, bytes, lines, out) : readClocked<2>(edges, bytes, lines, out);
#else
  return 0;
#endif
}

std::size_t acknowledged([[maybe_unused]] const std::int64_t* edges, [[maybe_unused]] std::size_t bytes,
                         [[maybe_unused]] ClockedLine& line, [[maybe_unused]] ClockedBytes& out,
                         [[maybe_unused]] ClockedBytes& acks)
{
#if HWY_TARGET != HWY_SCALAR
  return readAcknowledged(edges, bytes, line, out, acks);
#else
  return 0;
#endif
}

}  // namespace HWY_NAMESPACE
}  // namespace bexto
HWY_AFTER_NAMESPACE();

#if HWY_ONCE

namespace bexto {

HWY_EXPORT(clocked);
HWY_EXPORT(acknowledged);

std::size_t readClockedBytes(const std::int64_t* edges, std::size_t bytes, ClockedLine* lines, std::size_t count,
                             ClockedBytes* out)
{
  return HWY_DYNAMIC_DISPATCH(clocked)(edges, bytes, lines, count, out);
}

std::size_t readAcknowledgedBytes(const std::int64_t* edges, std::size_t bytes, ClockedLine& line, ClockedBytes& out,
                                  ClockedBytes& acks)
{
  return HWY_DYNAMIC_DISPATCH(acknowledged)(edges, bytes, line, out, acks);
}

}  // namespace bexto

#endif
