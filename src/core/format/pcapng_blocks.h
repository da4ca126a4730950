#pragma once

// Numbers of the IETF draft "PCAP Now Generic (pcapng) Capture File Format" (draft-ietf-opsawg-pcapng): block types of
// its section 4 and 10.1, options of 3.5 and section 4.

#include <cstddef>
#include <cstdint>

namespace bexto::pcapng {

enum Block : std::uint32_t {
  kInterface = 1,
  kOldPacket = 2,
  kSimplePacket = 3,
  kStatistics = 5,
  kPacket = 6,
  kSection = 0x0A0D0D0A,
};

inline constexpr std::uint32_t kByteOrderMagic = 0x1A2B3C4D;

enum Option : std::uint16_t {
  kEnd = 0,
  kInterfaceName = 2,
  kInterfaceSpeed = 8,
  kTimeResolution = 9,
  kTimeOffset = 14,
  kApplication = 4,
  kBegin = 2,  ///< of statistics
  kFinish = 3,
  kDropped = 5,
};

/// Type, length, and length again behind the body.
inline constexpr std::size_t kFrameBytes = 12;

inline constexpr std::size_t padded(std::size_t bytes)
{
  return (bytes + 3) / 4 * 4;
}

}  // namespace bexto::pcapng
