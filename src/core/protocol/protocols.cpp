// The list of protocols, in the order in which they are offered: the one place that names them all.
#include "core/decode/protocol.h"
#include "core/protocol/can/can_protocol.h"
#include "core/protocol/i2c/i2c_protocol.h"
#include "core/protocol/lin/lin_protocol.h"
#include "core/protocol/onewire/onewire_protocol.h"
#include "core/protocol/spi/spi_protocol.h"
#include "core/protocol/uart/uart_protocol.h"

namespace bexto {

const std::vector<const Protocol*>& protocols()
{
  static const std::vector<const Protocol*> kAll{
      &uartProtocol(), &i2cProtocol(), &spiProtocol(), &canProtocol(), &linProtocol(), &oneWireProtocol(),
  };
  return kAll;
}

}  // namespace bexto
