#pragma once

#include <array>
#include <cstddef>
#include <cstdint>

namespace bexto {

/// Runs of equal bits on a wire with bit stuffing, one behind the other, the first dominant: how many bits each has as
/// they were sent, and how many of them tell something: behind a run as long as one may be, the first is a stuff bit.
struct BitRuns {
  static constexpr std::size_t kMost = 760;
  static constexpr std::size_t kSlack = 8;  ///< behind the last may be written too

  const std::uint64_t* sent() const { return m_sent.data() + 1; }
  std::uint64_t* sent() { return m_sent.data() + 1; }  ///< [-1] is the run before the first: none
  const std::uint64_t* told() const { return m_told.data(); }
  std::uint64_t* told() { return m_told.data(); }

 private:
  std::array<std::uint64_t, 1 + kMost + kSlack> m_sent{};
  std::array<std::uint64_t, kMost + kSlack> m_told{};
};

/// The sample points of a receiver that sets its grid by each edge from recessive to dominant.
class BitRunGrid {
 public:
  /// `bit`: its length; `before`: from its begin to its sample; both in ps. 0 < before < bit.
  BitRunGrid(std::int64_t bit, std::int64_t before);
  /// Bits of about 16 µs and more are not counted here: wires that slow have few edges.
  bool isUsable() const { return m_perBit != 0; }

  /// Counts the bits of the runs that `edges` bound, the first of which is from recessive to dominant, into `runs`, the
  /// first of them as its run `from`. Ends before a run that asks for a closer look: of more than kLongest bits, or
  /// without a sample, or with an edge at its end, from recessive to dominant, that is later than its place by more
  /// than a sample is from the end of its bit; and before an edge of INT64_MAX, behind which 8 more can be read.
  /// Returns how many were counted. Requires: isUsable(); from is even.
  std::size_t count(const std::int64_t* edges, BitRuns& runs, std::size_t from) const;

  static constexpr std::int64_t kLongest = 5;  ///< bits in a run

 private:
  std::int64_t m_bit;
  std::int64_t m_before;
  std::uint32_t m_perBit = 0;  ///< d * m_perBit >> m_shift is d / m_bit, for d up to eleven bits
  int m_shift = 0;
};

}  // namespace bexto
