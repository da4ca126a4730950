// Of the acknowledge bits only the unusual are stored. Nearly all transfers acknowledge every byte, or every byte but
// the last of a read; two bits of the flags say which. Any other pattern follows the data as a bit map.
//
// Tested by tests/core/i2c_test.cpp.
#include "core/protocol/i2c/i2c_frame.h"

namespace bexto {

using namespace i2c;

bool I2cTransfer::ackOf(std::size_t i) const
{
  if (ackForm == kMapped)
    return (ackMap[i / 8] >> (i % 8) & 1U) == 0;
  return ackForm == kAllAcked || i + 1 != data.size();
}

I2cTransfer i2cTransfer(const Frame& frame)
{
  I2cTransfer t;
  t.hasAddress = (frame.flags & kHasAddress) != 0;
  t.address = frame.key;
  t.tenBit = (frame.flags & kTenBit) != 0;
  t.read = (frame.flags & kRead) != 0;
  t.addressAck = (frame.flags & kAddressAck) != 0;
  t.end = static_cast<I2cEnd>(frame.flags >> kEndShift & 3U);
  t.ackForm = static_cast<std::uint8_t>(frame.flags >> kAckShift);
  t.data = frame.payload;
  if (t.ackForm == kMapped) {
    // n bytes and a map of (n + 7) / 8: the one n for that sum.
    const std::size_t n = frame.payload.size() * 8 / 9;
    t.data = frame.payload.first(n);
    t.ackMap = frame.payload.subspan(n);
  }
  return t;
}

}  // namespace bexto
