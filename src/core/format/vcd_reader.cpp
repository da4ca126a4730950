// Tested by tests/core/vcd_reader_test.cpp.
#include "core/format/vcd_reader.h"

#include <filesystem>

#include "core/base/mapped_file.h"
#include "core/base/say.h"
#include "core/format/vcd_body.h"
#include "core/format/vcd_header.h"

namespace bexto {

Result<Capture> parseVcd(std::string_view text, const std::string& source, const std::stop_token& stop,
                         Progress& progress)
{
  if (text.find_first_not_of(" \t\r\n") == std::string_view::npos)
    return fail(ErrorCode::Malformed, say("the file is empty"), source, say("record it again"));
  auto header = parseVcdHeader(text, source);
  if (!header)
    return tl::unexpected(header.error());
  const std::size_t from = header->bodyOffset;
  VcdBody body(source, std::move(*header));
  if (auto read = body.read(text, from, stop, progress); !read)
    return tl::unexpected(read.error());
  return body.capture();
}

Result<Capture> readVcd(const std::string& path, const std::stop_token& stop, Progress& progress)
{
  const auto file = MappedFile::open(path);
  if (!file)
    return tl::unexpected(file.error());
  return parseVcd(file->text(), std::filesystem::path(path).filename().string(), stop, progress);
}

}  // namespace bexto
