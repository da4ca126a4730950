#pragma once

#include <cstddef>
#include <cstdint>

// What the instrument can, and the bits of its registers.
namespace bexto::rig {

inline constexpr double kSlowest = 1e3;  // samples/s
inline constexpr double kFastest = 500e6;
inline constexpr double kFastestStream = 100e6;
inline constexpr std::uint64_t kMemory = 1U << 26U;         // bytes
inline constexpr std::uint64_t kDeepestRuns = 1ULL << 40U;  // samples, where runs are kept
inline constexpr std::size_t kSlice = 200'000;              // runs a step
inline constexpr std::size_t kMostErrors = 30;
inline constexpr double kDelay = 1.0;  // s

// Bits of the standard event status register: IEEE 488.2-1992, 11.5.1.
inline constexpr unsigned kOperationComplete = 1;
inline constexpr unsigned kQueryError = 4;
inline constexpr unsigned kDeviceError = 8;
inline constexpr unsigned kExecutionError = 16;
inline constexpr unsigned kCommandError = 32;
// And of the status byte: 11.2; SCPI-1999, volume 1, 9.2.
inline constexpr unsigned kErrorQueue = 4;
inline constexpr unsigned kEventSummary = 32;
inline constexpr unsigned kOperationSummary = 128;
// And of the operation status register: SCPI-1999, volume 1, 9.3.
inline constexpr unsigned kMeasuring = 16;
inline constexpr unsigned kWaitingForTrigger = 32;

}  // namespace bexto::rig
