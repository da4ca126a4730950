#include "core/format/vcd_writer.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <memory>

#include "core/format/capture_output.h"
#include "core/signal/edge_stream.h"

namespace bexto {

namespace {

std::string idOf(std::size_t number)
{
  std::string id;
  do {
    id += static_cast<char>('!' + number % 94);
    number /= 94;
  } while (number > 0);
  return id;
}

std::vector<std::string> partsOf(const std::string& path)
{
  std::vector<std::string> parts;
  std::size_t from = 0;
  for (std::size_t dot = path.find('.'); dot != std::string::npos; dot = path.find('.', from)) {
    parts.push_back(path.substr(from, dot - from));
    from = dot + 1;
  }
  parts.push_back(path.substr(from));
  return parts;
}

int powerOf(Picoseconds tick)
{
  int power = 0;
  while (power < 14 && tenToThe(power + 1) <= tick.count())
    ++power;
  return tick.count() == tenToThe(power) ? power : 0;
}

std::string header(const Capture& capture, int power)
{
  static constexpr std::array<const char*, 5> kUnits{"ps", "ns", "us", "ms", "s"};
  const int unit = std::min(power / 3, 4);
  std::string text = fmt::format("$version Bexto $end\n$timescale {} {} $end\n", tenToThe(power - unit * 3),
                                 kUnits.at(static_cast<std::size_t>(unit)));
  if (capture.trigger)
    text += fmt::format("$comment trigger {} $end\n", capture.trigger->count() / tenToThe(power));
  std::vector<std::string> scope;
  for (std::size_t i = 0; i < capture.channels.size(); ++i) {
    std::vector<std::string> parts = partsOf(capture.channels[i].path);
    const std::string leaf = parts.back();
    parts.pop_back();
    std::size_t common = 0;
    while (common < std::min(scope.size(), parts.size()) && scope[common] == parts[common])
      ++common;
    for (std::size_t up = scope.size(); up > common; --up)
      text += "$upscope $end\n";
    for (std::size_t down = common; down < parts.size(); ++down)
      text += fmt::format("$scope module {} $end\n", parts[down]);
    scope = std::move(parts);
    text += fmt::format("$var wire 1 {} {} $end\n", idOf(i), leaf);
  }
  for (std::size_t up = 0; up < scope.size(); ++up)
    text += "$upscope $end\n";
  return text + "$enddefinitions $end\n";
}

/// Gives the text to `out` in pieces of about a megabyte.
template <typename Out>
Result<void> writeVcdTo(const Capture& capture, const Out& out)
{
  const int power = powerOf(capture.tick);
  const std::int64_t unit = tenToThe(power);
  std::string text = header(capture, power) + "#0\n$dumpvars\n";
  std::vector<std::unique_ptr<EdgeStream>> streams;
  std::vector<std::string> ids;
  for (std::size_t i = 0; i < capture.channels.size(); ++i) {
    const EdgeTrack& track = capture.channels[i].track;
    ids.push_back(idOf(i));
    text += fmt::format("{}{}\n", track.startLevel() ? '1' : '0', ids.back());
    streams.push_back(std::make_unique<EdgeStream>(track, Picoseconds{0}, capture.end, true));
  }
  text += "$end\n";
  for (;;) {
    std::int64_t now = kNever.count();
    for (const auto& stream : streams)
      now = std::min(now, stream->next());
    if (now == kNever.count())
      break;
    fmt::format_to(std::back_inserter(text), "#{}\n", now / unit);
    for (std::size_t i = 0; i < streams.size(); ++i) {
      if (streams[i]->next() != now)
        continue;
      text += streams[i]->level() ? '0' : '1';
      text += ids[i];
      text += '\n';
      streams[i]->advance();
    }
    if (text.size() > 1000000) {
      if (auto written = out(text); !written)
        return written;
      text.clear();
    }
  }
  text += fmt::format("#{}\n", capture.end.count() / unit);
  return out(text);
}

}  // namespace

std::string vcdText(const Capture& capture)
{
  std::string text;
  const auto add = [&text](const std::string& piece) {
    text += piece;
    return Result<void>();
  };
  [[maybe_unused]] const auto added = writeVcdTo(capture, add);
  return text;
}

Result<void> writeVcd(const Capture& capture, const std::string& path)
{
  auto file = CaptureOutput::create(path);
  if (!file)
    return tl::unexpected(file.error());
  auto written = writeVcdTo(capture, [&](const std::string& piece) { return file->write(piece); });
  return written ? file->finish() : written;
}

}  // namespace bexto
