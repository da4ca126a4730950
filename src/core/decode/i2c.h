#pragma once

#include <memory>

#include "core/decode/decoder.h"

namespace bexto {

/// How an I2C transfer ended.
enum class I2cEnd : std::uint8_t { Stop, Restart, None };

/// What a Frame of kind Transfer says. `data` points into the index.
struct I2cTransfer {
  bool hasAddress = false;  ///< false: cut before the address byte was whole; the rest means nothing then
  std::uint32_t address = 0;
  bool tenBit = false;
  bool read = false;
  bool addressAck = false;
  I2cEnd end = I2cEnd::Stop;
  std::span<const std::uint8_t> data;

  /// Whether data byte `i` was acknowledged. Requires: i < data.size().
  bool ackOf(std::size_t i) const;

  /// Behind the accessor: how the acknowledge bits are kept (see decode/i2c.cpp).
  std::uint8_t ackForm = 0;
  std::span<const std::uint8_t> ackMap = {};
};

I2cTransfer i2cTransfer(const Frame& frame);

/// An I2C bus after UM10204 rev. 7.0: START, STOP and repeated START (3.1.4), bytes with acknowledge (3.1.5, 3.1.6),
/// 7-bit and 10-bit addresses (3.1.10, 3.1.11), stretched clocks (3.1.9), any speed.
std::unique_ptr<Decoder> makeI2cDecoder(const I2cSettings& settings, const StreamInput& input);

Anatomy i2cAnatomy(const I2cSettings& settings, const StreamInput& input, const Frame& frame);

}  // namespace bexto
