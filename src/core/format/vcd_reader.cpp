// Tested by tests/core/vcd_reader_test.cpp.
#include "core/format/vcd_reader.h"

#include <cstring>
#include <filesystem>

#include "core/base/input_file.h"
#include "core/base/say.h"
#include "core/format/vcd_parser.h"

namespace bexto {

namespace {

/// `fill` puts the next bytes into the room and says how many; fewer than there is room for at the end.
template <typename Fill, typename Fraction>
Result<void> readAll(VcdParser& parser, const std::stop_token& stop, Progress& progress, Fill fill, Fraction fraction)
{
  for (bool end = false; !end;) {
    if (stop.stop_requested())
      return fail(ErrorCode::Cancelled, "cancelled");
    const std::span<char> room = parser.room(kVcdPiece);
    const Result<std::size_t> got = fill(room);
    if (!got)
      return tl::unexpected(got.error());
    end = *got < room.size();
    if (auto taken = parser.take(*got, end ? VcdParser::Until::End : VcdParser::Until::Word); !taken)
      return tl::unexpected(taken.error());
    progress.report(fraction());
  }
  progress.report(1.0);
  return {};
}

}  // namespace

Result<Capture> parseVcd(std::string_view text, const std::string& source, const std::stop_token& stop,
                         Progress& progress)
{
  VcdParser parser(source);
  std::size_t at = 0;
  const auto fill = [&](std::span<char> room) -> Result<std::size_t> {
    const std::size_t bytes = std::min(room.size(), text.size() - at);
    std::copy_n(text.data() + at, bytes, room.data());
    at += bytes;
    return bytes;
  };
  const auto fraction = [&] {
    return static_cast<double>(at) / static_cast<double>(std::max<std::size_t>(1, text.size()));
  };
  if (auto read = readAll(parser, stop, progress, fill, fraction); !read)
    return tl::unexpected(read.error());
  return parser.capture();
}

Result<Capture> readVcd(const std::string& path, const std::stop_token& stop, Progress& progress)
{
  auto file = InputFile::open(path);
  if (!file)
    return tl::unexpected(file.error());
  VcdParser parser(std::filesystem::path(path).filename().string());
  auto read = readAll(
      parser, stop, progress, [&](std::span<char> room) { return file->read(room); }, [&] { return file->fraction(); });
  if (!read)
    return tl::unexpected(read.error());
  for (std::string& note : file->notes())
    parser.note(std::move(note));
  return parser.capture();
}

}  // namespace bexto
