#pragma once

#include "rig/lock_cycle.h"

namespace bexto::test {

/// The lock cycle of the demo, made once a run.
inline const rig::LockCycle& lockCycle()
{
  static const rig::LockCycle kCycle = rig::simulateLockCycle(1187);
  return kCycle;
}

}  // namespace bexto::test
