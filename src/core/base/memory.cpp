#include "core/base/memory.h"

#include <malloc.h>

namespace bexto {

void keepFreedMemory()
{
  mallopt(M_MMAP_THRESHOLD, 32 << 20);
  mallopt(M_TRIM_THRESHOLD, 256 << 20);
}

}  // namespace bexto
