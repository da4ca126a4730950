#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "core/decode/payload.h"
#include "core/decode/transactions.h"

namespace bexto {

/// What a transaction carries, as runs of bytes: one for each frame and direction, or one for all where frames join.
/// Move-only: the runs point into the frame index or into this.
class LinePayloads {
 public:
  struct Run {
    std::string label;  ///< "2A write"; empty where there is one kind only
    PayloadWay way = 0;
    std::span<const std::uint8_t> bytes;
    std::uint64_t frame = 0;  ///< that carries it; where frames join, the first one
  };

  LinePayloads(const Bus& bus, const Transactions& transactions, std::uint64_t number);
  LinePayloads(const LinePayloads&) = delete;
  LinePayloads(LinePayloads&&) = default;
  LinePayloads& operator=(const LinePayloads&) = delete;
  LinePayloads& operator=(LinePayloads&&) = delete;
  ~LinePayloads() = default;

  /// In the order of time; they live as long as this.
  const std::vector<Run>& runs() const { return m_runs; }
  /// Of all runs together.
  std::uint64_t byteCount() const;
  /// There is one run, of which each frame is a byte.
  bool isJoined() const { return m_joined; }

 private:
  std::vector<Run> m_runs;
  std::vector<std::uint8_t> m_row;  ///< of frames that join
  bool m_joined = false;
};

/// One line of a list of bytes: at most `wrap` bytes of one run.
struct ByteLine {
  std::string label;         ///< of the run, on its first line
  std::uint64_t offset = 0;  ///< in the run
  std::uint64_t frame = 0;   ///< that carries its first byte
  std::vector<std::uint8_t> bytes;
};

/// Lines that the payload takes, at least one. Requires: wrap > 0.
std::uint64_t byteLineCount(const Bus& bus, const Transactions& transactions, std::uint64_t number, std::size_t wrap);
/// Requires: index < byteLineCount().
ByteLine byteLineAt(const Bus& bus, const Transactions& transactions, std::uint64_t number, std::size_t wrap,
                    std::uint64_t index);

/// What can be printed as itself, all else as a dot.
std::string plainText(std::span<const std::uint8_t> bytes);

}  // namespace bexto
