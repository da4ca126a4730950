#pragma once

#include <array>
#include <span>

#include "core/decode/bus.h"
#include "core/decode/frame_index.h"

namespace bexto {

/// Which way payload goes, where a bus has two. I2C bytes are written or read, SPI bytes go both ways at once.
enum class PayloadWay : std::uint8_t { Only, Written, Read, Mosi, Miso };

/// "MOSI", "written"; empty for Only.
const char* wayName(PayloadWay way);

struct FramePayload {
  PayloadWay way = PayloadWay::Only;
  std::span<const std::uint8_t> bytes;  ///< points into the index
};

/// At most two payloads, by value.
class FramePayloads {
 public:
  void add(PayloadWay way, std::span<const std::uint8_t> bytes) { m_payloads[m_count++] = {way, bytes}; }
  const FramePayload* begin() const { return m_payloads.data(); }
  const FramePayload* end() const { return m_payloads.data() + m_count; }
  std::size_t size() const { return m_count; }

 private:
  std::array<FramePayload, 2> m_payloads{};
  std::size_t m_count = 0;
};

/// Finds the bytes that frames of one bus carry, without address, checks and what else its protocol adds. Words of SPI
/// take ceil(bits / 8) bytes. None for a UART, whose characters are values, not bytes, and for CAN flags.
class PayloadReader {
 public:
  explicit PayloadReader(const Bus& bus);
  /// Requires: `frame` came from decoding the bus.
  FramePayloads of(const Frame& frame) const;

 private:
  Protocol m_protocol;
  bool m_mosi = false;
  bool m_miso = false;
  std::size_t m_bytesPerWord = 1;
};

/// The same of one frame.
inline FramePayloads payloadsOf(const Bus& bus, const Frame& frame)
{
  return PayloadReader(bus).of(frame);
}

}  // namespace bexto
