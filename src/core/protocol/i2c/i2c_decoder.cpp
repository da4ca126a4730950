// Tested by tests/core/i2c_test.cpp.
#include "core/protocol/i2c/i2c_decoder.h"

#include "core/decode/machine_decoder.h"
#include "core/protocol/i2c/i2c_machine.h"

namespace bexto {

using namespace i2c;

std::unique_ptr<Decoder> makeI2cDecoder(const I2cSettings& settings, const StreamInput& input)
{
  return std::make_unique<MachineDecoder<I2cMachine<NoRecorder>, NoRecorder>>(settings, input);
}

}  // namespace bexto
