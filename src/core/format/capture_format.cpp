// Tested by tests/core/capture_format_test.cpp.
#include "core/format/capture_format.h"

#include <algorithm>
#include <cctype>

#include "core/base/input_file.h"
#include "core/base/say.h"
#include "core/format/csv_reader.h"
#include "core/format/csv_writer.h"
#include "core/format/packed_reader.h"
#include "core/format/packed_writer.h"
#include "core/format/pcap_reader.h"
#include "core/format/pcapng_reader.h"
#include "core/format/record_writer.h"
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
  using Holds = CaptureFormat::Holds;
  static const std::vector<CaptureFormat> kAll{
      {"Value change dump", {".vcd", ".vcd.gz"}, fitsVcd, Asks::Nothing, readDump, Holds::Wires, writeDump},
      {"Comma-separated values", {".csv", ".csv.gz"}, looksLikeCsv, Asks::Layout, readCsv, Holds::Wires, writeCsv},
      {"Packets, pcapng",
       {".pcapng", ".pcapng.gz"},
       looksLikePcapng,
       Asks::Nothing,
       readPcapng,
       Holds::Frames,
       writePcapng},
      {"Packets, pcap", {".pcap", ".pcap.gz"}, looksLikePcap, Asks::Nothing, readPcap, Holds::Frames, writePcap},
      {"Packed samples", {".bin", ".bin.gz"}, fitsNothing, Asks::Rate, readPacked, Holds::Wires, writePacked},
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

/// Of the first format that holds frames.
std::string framesSuffix()
{
  const auto holdsFrames = [](const CaptureFormat& format) { return format.holds == CaptureFormat::Holds::Frames; };
  return std::string(std::find_if(all().begin(), all().end(), holdsFrames)->suffixes.front());
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

Result<void> writeCapture(const Capture& capture, const std::string& path, const WriteHints& hints)
{
  const CaptureFormat* const format = formatOfName(path);
  if (format == nullptr)
    return fail(ErrorCode::BadArgument, say("no format ends like '{}'", path), {}, say("there are {}", suffixList()));
  if (format->holds == CaptureFormat::Holds::Wires && capture.isOnlyRecords())
    return fail(ErrorCode::BadArgument, say("the capture has frames and no wires, and such a file holds wires"), path,
                say("write {}", framesSuffix()));
  return format->write(capture, path, hints);
}

std::string suffixList()
{
  std::string list;
  for (std::size_t i = 0; i < all().size(); ++i) {
    const bool isLast = i + 1 == all().size();
    list += i == 0 ? std::string() : isLast ? " " + say("and") + " " : std::string(", ");
    list += all()[i].suffixes.front();
  }
  return say("{}, with {} too", list, ".gz");
}

}  // namespace bexto
