// Tested by tests/core/csv_reader_test.cpp.
#include "core/format/csv_writer.h"

#include <fmt/core.h>

#include <algorithm>
#include <memory>
#include <vector>

#include "core/format/capture_output.h"
#include "core/signal/edge_stream.h"

namespace bexto {

namespace {

std::string field(const std::string& text)
{
  if (text.find_first_of(",\"\r\n") == std::string::npos)
    return text;
  std::string quoted = "\"";
  for (const char c : text)
    quoted += c == '"' ? std::string("\"\"") : std::string(1, c);
  return quoted + '"';
}

/// Seconds, with as many decimals as they need.
void putTime(std::string& text, std::int64_t ps)
{
  constexpr std::int64_t kSecond = 1000000000000;
  const std::uint64_t size = ps < 0 ? 0 - static_cast<std::uint64_t>(ps) : static_cast<std::uint64_t>(ps);
  fmt::format_to(std::back_inserter(text), "{}{}", ps < 0 ? "-" : "", size / kSecond);
  if (std::uint64_t rest = size % kSecond; rest != 0) {
    int digits = 12;
    for (; rest % 10 == 0; rest /= 10)
      --digits;
    fmt::format_to(std::back_inserter(text), ".{:0{}}", rest, digits);
  }
}

template <typename Out>
Result<void> writeCsvTo(const Capture& capture, const Out& out)
{
  const std::int64_t origin = capture.trigger ? capture.trigger->count() : 0;
  std::string text = "time [s]";
  std::vector<std::unique_ptr<EdgeStream>> streams;
  std::string levels;
  for (const Channel& channel : capture.channels) {
    text += ',' + field(channel.path);
    levels += channel.track.startLevel() ? ",1" : ",0";
    streams.push_back(std::make_unique<EdgeStream>(channel.track, Picoseconds{0}, capture.end, true));
  }
  text += "\r\n";
  std::int64_t now = 0;
  for (;;) {
    putTime(text, now - origin);
    text += levels;
    text += "\r\n";
    if (text.size() > 1000000) {
      if (auto written = out(text); !written)
        return written;
      text.clear();
    }
    if (now >= capture.end.count())
      break;
    std::int64_t next = capture.end.count();
    for (const auto& stream : streams)
      next = std::min(next, stream->next());
    now = next;
    for (std::size_t i = 0; i < streams.size(); ++i) {
      for (; streams[i]->next() == now; streams[i]->advance())
        levels[2 * i + 1] = static_cast<char>(levels[2 * i + 1] ^ 1);
    }
  }
  return out(text);
}

}  // namespace

std::string csvText(const Capture& capture)
{
  std::string text;
  const auto add = [&text](const std::string& piece) {
    text += piece;
    return Result<void>();
  };
  [[maybe_unused]] const auto added = writeCsvTo(capture, add);
  return text;
}

Result<void> writeCsv(const Capture& capture, const std::string& path, const WriteHints& /*hints*/)
{
  auto file = CaptureOutput::create(path);
  if (!file)
    return tl::unexpected(file.error());
  auto written = writeCsvTo(capture, [&](const std::string& piece) { return file->write(piece); });
  return written ? file->finish() : written;
}

}  // namespace bexto
