// Tested by tests/core/lin_test.cpp.
#include "core/protocol/lin/lin_decoder.h"

#include "core/decode/machine_decoder.h"
#include "core/protocol/lin/lin_machine.h"

namespace bexto {

std::unique_ptr<Decoder> makeLinDecoder(const LinSettings& settings, const StreamInput& input)
{
  return std::make_unique<MachineDecoder<lin::LinMachine<lin::NoRecorder>, lin::NoRecorder>>(settings, input);
}

}  // namespace bexto
