// Tested by tests/core/onewire_test.cpp.
#include "core/protocol/onewire/onewire_decoder.h"

#include "core/decode/machine_decoder.h"
#include "core/protocol/onewire/onewire_machine.h"

namespace bexto {

std::unique_ptr<Decoder> makeOneWireDecoder(const OneWireSettings& settings, const StreamInput& input)
{
  return std::make_unique<MachineDecoder<onewire::OneWireMachine<onewire::NoRecorder>, onewire::NoRecorder>>(settings,
                                                                                                             input);
}

}  // namespace bexto
