// Tested by tests/core/capture_format_test.cpp.
#include "core/format/capture_format.h"

#include <algorithm>
#include <cctype>

#include "core/base/input_file.h"
#include "core/format/csv_reader.h"
#include "core/format/csv_writer.h"
#include "core/format/packed_reader.h"
#include "core/format/packed_writer.h"
#include "core/format/vcd_reader.h"
#include "core/format/vcd_writer.h"

namespace bexto {

namespace {

/// A dump begins with a keyword, whatever blanks are before it.
bool fitsVcd(std::string_view begin)
{
  const std::size_t word = begin.find_first_not_of(" \t\r\n");
  return word != std::string_view::npos && begin[word] == '$' && word + 1 < begin.size() &&
         std::isalpha(static_cast<unsigned char>(begin[word + 1])) != 0;
}

/// Samples may begin with anything.
bool fitsNothing(std::string_view /*begin*/)
{
  return false;
}

Result<Capture> readDump(const std::string& path, const ReadHints& /*hints*/, const std::stop_token& stop,
                         Progress& progress)
{
  return readVcd(path, stop, progress);
}

Result<void> writeDump(const Capture& capture, const std::string& path, const WriteHints& /*hints*/)
{
  return writeVcd(capture, path);
}

const std::vector<CaptureFormat>& all()
{
  using Asks = CaptureFormat::Asks;
  static const std::vector<CaptureFormat> kAll{
      {"Value change dump", {".vcd", ".vcd.gz"}, fitsVcd, Asks::Nothing, readDump, writeDump},
      {"Comma-separated values", {".csv", ".csv.gz"}, looksLikeCsv, Asks::Layout, readCsv, writeCsv},
      {"Packed samples", {".bin", ".bin.gz"}, fitsNothing, Asks::Rate, readPacked, writePacked},
  };
  return kAll;
}

bool endsIn(std::string_view path, std::string_view suffix)
{
  const auto same = [](char a, char b) {
    return std::tolower(static_cast<unsigned char>(a)) == std::tolower(static_cast<unsigned char>(b));
  };
  return path.size() > suffix.size() &&
         std::equal(suffix.begin(), suffix.end(), path.end() - static_cast<std::ptrdiff_t>(suffix.size()), same);
}

}  // namespace

std::span<const CaptureFormat> captureFormats()
{
  return all();
}

const CaptureFormat* formatOfName(std::string_view path)
{
  for (const CaptureFormat& format : all()) {
    if (std::any_of(format.suffixes.begin(), format.suffixes.end(), [&](auto suffix) { return endsIn(path, suffix); }))
      return &format;
  }
  return nullptr;
}

Result<const CaptureFormat*> formatOfFile(const std::string& path, const ReadHints& hints)
{
  constexpr std::size_t kLook = 4096;
  std::string begin(kLook, '\0');
  auto file = InputFile::open(path);
  if (!file)
    return tl::unexpected(file.error());
  const auto got = file->read(begin);
  if (!got)
    return tl::unexpected(got.error());
  begin.resize(*got);
  const CaptureFormat* const named = formatOfName(path);
  const auto ofAsking = [](CaptureFormat::Asks asks) {
    return &*std::find_if(all().begin(), all().end(), [asks](const CaptureFormat& f) { return f.asks == asks; });
  };
  // Samples can look like anything. What is said of them counts before what they look like.
  const CaptureFormat* const packed = ofAsking(CaptureFormat::Asks::Rate);
  if (hints.channels > 0 && (named == packed || named == nullptr))
    return packed;
  for (const CaptureFormat& format : all()) {
    if (format.fits(begin))
      return &format;
  }
  return named == nullptr ? &all().front() : named;
}

Result<Capture> readCapture(const std::string& path, const ReadHints& hints, const std::stop_token& stop,
                            Progress& progress)
{
  const auto format = formatOfFile(path, hints);
  if (!format)
    return tl::unexpected(format.error());
  return (*format)->read(path, hints, stop, progress);
}

std::string suffixList(std::string_view between)
{
  std::string list;
  for (const CaptureFormat& format : all()) {
    for (const std::string_view suffix : format.suffixes)
      list += (list.empty() ? std::string() : std::string(between)) + std::string(suffix);
  }
  return list;
}

}  // namespace bexto
