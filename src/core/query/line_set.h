#pragma once

#include <cstddef>
#include <cstdint>
#include <optional>
#include <vector>

namespace bexto {

/// Some of the lines 0 … n-1 of a stream: one bit a line, with counts so that the k-th member, and how many are below a
/// line, are found without a walk. Filled in rising order; copies are plain values.
class LineSet {
 public:
  /// Requires: line is above all added before.
  void add(std::uint64_t line);
  /// Takes `line` and all above out again.
  void cutFrom(std::uint64_t line);
  std::uint64_t size() const { return m_size; }
  bool contains(std::uint64_t line) const;
  /// Members below `line`, in constant time.
  std::uint64_t countBelow(std::uint64_t line) const;
  /// Member number k in rising order. Requires: k < size().
  std::uint64_t at(std::uint64_t k) const;
  bool operator==(const LineSet&) const = default;

  /// The first member of both from `line` on, or the last below it. 64 lines a step, however far apart they are.
  static std::optional<std::uint64_t> nextOfBoth(const LineSet& a, const LineSet& b, std::uint64_t line, bool forward);

 private:
  static constexpr std::size_t kWordsPerBlock = 8;  ///< 512 lines
  std::vector<std::uint64_t> m_words;
  std::vector<std::uint64_t> m_below;  ///< members before each block
  std::uint64_t m_size = 0;
};

}  // namespace bexto
