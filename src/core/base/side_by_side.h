#pragma once

#include <cstddef>
#include <functional>

namespace bexto {

/// Calls work(i) for each i below `count`, on this thread and on others, as many as the machine has processors (at most
/// 16); on this one alone where the system gives no more threads. Returns when all are done. What a call throws is
/// thrown here, and no further calls are begun then.
void sideBySide(std::size_t count, const std::function<void(std::size_t)>& work);

}  // namespace bexto
