// Tested by tests/core/spi_test.cpp.
#include "core/protocol/spi/spi_decoder.h"

#include "core/decode/machine_decoder.h"
#include "core/protocol/spi/spi_machine.h"

namespace bexto {

std::unique_ptr<Decoder> makeSpiDecoder(const Bus& bus, const StreamInput& input)
{
  return std::make_unique<MachineDecoder<spi::SpiMachine<spi::NoRecorder>, spi::NoRecorder>>(bus, input);
}

}  // namespace bexto
