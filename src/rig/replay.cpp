// Tested by tests/cli/cli_test.cpp.
#include "rig/replay.h"

#include <cerrno>
#include <chrono>
#include <cstdio>
#include <cstring>
#include <memory>
#include <thread>

#include "core/base/number_text.h"
#include "core/format/vcd_writer.h"

namespace bexto::rig {

Result<void> replay(const Capture& capture, const std::string& path, double speed)
{
  constexpr std::chrono::milliseconds kBreath{20};
  const std::string text = vcdText(capture);
  const std::unique_ptr<std::FILE, int (*)(std::FILE*)> file(std::fopen(path.c_str(), "wb"), &std::fclose);
  const auto failed = [&] { return fail(ErrorCode::Unwritable, std::strerror(errno), path); };
  if (!file)
    return failed();
  const auto started = std::chrono::steady_clock::now();
  // Ahead of the clock by no more than a breath; what has come up to now goes out in one piece.
  std::size_t written = 0;
  std::size_t at = 0;
  while (written < text.size()) {
    const double reached = std::chrono::duration<double>(std::chrono::steady_clock::now() - started).count() * speed;
    while (at < text.size()) {
      const std::size_t next = text.find("\n#", at);
      const std::size_t end = next == std::string::npos ? text.size() : next + 1;
      if (next != std::string::npos) {
        const std::size_t stop = text.find('\n', next + 2);
        const auto tick = parseInteger(std::string_view(text).substr(next + 2, stop - next - 2));
        if (tick && static_cast<double>(*tick) * toSeconds(capture.tick) > reached) {
          at = end;
          break;
        }
      }
      at = end;
    }
    if (std::fwrite(text.data() + written, 1, at - written, file.get()) != at - written || std::fflush(file.get()) != 0)
      return failed();
    written = at;
    if (written < text.size())
      std::this_thread::sleep_for(kBreath);
  }
  return {};
}

}  // namespace bexto::rig
