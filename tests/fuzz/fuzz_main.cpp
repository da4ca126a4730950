#include "fuzz/targets.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size);

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
  bexto::fuzz::runTarget(BEXTO_FUZZ_TARGET, {data, size});
  return 0;
}
