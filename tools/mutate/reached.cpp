// Which code ran: what the compiler calls at the begin of each block of instructions under
// -fsanitize-coverage=trace-pc.
//
// Linked into every program that mutate.py builds, and only there. Where BEXTO_REACHED names a folder, each process
// appends to the file <program>.<pid> in it, for each test: its name, a space, how many milliseconds it took and a
// newline, how many places as a 32-bit number, and the places, each as 32 bits: the address behind the call, counted
// from the start of the program. A process that is no test program, like bexto-cli started by a test, writes all that
// it ran under the name that BEXTO_REACHED_TEST holds, and no milliseconds.
#include "reached.h"

#include <errno.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <string>

extern "C" const char __executable_start;  // of the linker

namespace {

constexpr std::size_t kRoom = std::size_t{1} << 26;  // bytes of code that a program may have
constexpr std::size_t kPlaces = std::size_t{1} << 20;
std::uint8_t g_marks[kRoom / 8];  // a bit for each address: whether it is in the list
std::uint32_t g_places[kPlaces];
std::atomic<std::size_t> g_count{0};
bool g_on = std::getenv("BEXTO_REACHED") != nullptr;

}  // namespace

/// The name is the compiler's.
extern "C" void __sanitizer_cov_trace_pc()
{
  if (!g_on)
    return;
  const auto at = static_cast<std::size_t>(static_cast<const char*>(__builtin_return_address(0)) - &__executable_start);
  if (at >= kRoom || (g_marks[at / 8] >> at % 8 & 1) != 0)
    return;
  g_marks[at / 8] |= static_cast<std::uint8_t>(1 << at % 8);  // two threads at once write a place twice: no harm
  const std::size_t n = g_count.fetch_add(1, std::memory_order_relaxed);
  if (n < kPlaces)
    g_places[n] = static_cast<std::uint32_t>(at);
}

void reachedBy(const char* test)
{
  const std::size_t count = std::min(g_count.exchange(0), kPlaces);
  for (std::size_t i = 0; i < count; ++i)
    g_marks[g_places[i] / 8] = 0;
  const char* folder = std::getenv("BEXTO_REACHED");
  if (folder == nullptr || test == nullptr || count == 0)
    return;
  const std::string path = std::string(folder) + "/" + program_invocation_short_name + "." + std::to_string(getpid());
  std::FILE* file = std::fopen(path.c_str(), "ab");
  if (file == nullptr)
    return;
  const auto written = static_cast<std::uint32_t>(count);
  std::fprintf(file, "%s\n", test);
  std::fwrite(&written, sizeof written, 1, file);
  std::fwrite(g_places, sizeof *g_places, count, file);
  std::fclose(file);
}

namespace {

struct AtTheEnd {
  ~AtTheEnd() { reachedBy(std::getenv("BEXTO_REACHED_TEST")); }
} g_end;

}  // namespace
