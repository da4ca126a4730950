// Tested by tests/core/pcapng_test.cpp.
#include "core/format/pcap_reader.h"

#include <array>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <memory>
#include <optional>

#include "core/base/input_file.h"
#include "core/base/say.h"
#include "core/format/close_pcap.h"
#include "core/format/record_collector.h"

namespace bexto {

namespace {

/// What the library reads through, so that it reads what gzip packed, and errors of the file stay ours.
struct Stream {
  InputFile file;
  std::optional<Error> error = {};
  bool atEnd = false;

  static ssize_t read(void* cookie, char* room, std::size_t size)
  {
    auto& self = *static_cast<Stream*>(cookie);
    if (self.atEnd)
      return 0;
    const auto got = self.file.read({room, size});
    if (!got) {
      self.error = got.error();
      errno = EIO;
      return -1;
    }
    self.atEnd = *got < size;
    return static_cast<ssize_t>(*got);
  }
};

}  // namespace

bool looksLikePcap(std::string_view begin)
{
  constexpr std::array<std::string_view, 4> kMagics{"\xA1\xB2\xC3\xD4", "\xD4\xC3\xB2\xA1", "\xA1\xB2\x3C\x4D",
                                                    "\x4D\x3C\xB2\xA1"};
  return std::any_of(kMagics.begin(), kMagics.end(), [&](std::string_view magic) { return begin.starts_with(magic); });
}

Result<Capture> readPcap(const std::string& path, const ReadHints& /*hints*/, const std::stop_token& stop,
                         Progress& progress)
{
  auto file = InputFile::open(path);
  if (!file)
    return tl::unexpected(file.error());
  Stream stream{std::move(*file)};
  const std::string mend = say("get it again from where it was copied from");
  std::FILE* const opened = fopencookie(&stream, "rb", {Stream::read, nullptr, nullptr, nullptr});
  if (opened == nullptr)
    throw std::bad_alloc();
  // A packet is read in two parts; without room for several each would be two calls of ours.
  constexpr std::size_t kRoom = std::size_t{1} << 18U;
  std::setvbuf(opened, nullptr, _IOFBF, kRoom);
  std::array<char, PCAP_ERRBUF_SIZE> why{};
  const std::unique_ptr<pcap_t, ClosePcap> pcap(
      pcap_fopen_offline_with_tstamp_precision(opened, PCAP_TSTAMP_PRECISION_NANO, why.data()));
  if (!pcap) {
    std::fclose(opened);
    if (stream.error)
      return tl::unexpected(*stream.error);
    return fail(ErrorCode::Malformed, say("cannot be read as packets: {}", std::string(why.data())), path, mend);
  }
  RecordCollector collector(path);
  const std::size_t interface = collector.addInterface(static_cast<LinkType>(pcap_datalink(pcap.get())), {});
  collector.tick(Picoseconds{1000});
  for (std::uint64_t packets = 0;; ++packets) {
    constexpr std::uint64_t kBetween = 4096;
    if (packets % kBetween == 0) {
      if (stop.stop_requested())
        return fail(ErrorCode::Cancelled, "cancelled");
      progress.report(stream.file.fraction());
    }
    pcap_pkthdr* header = nullptr;
    const u_char* bytes = nullptr;
    const int got = pcap_next_ex(pcap.get(), &header, &bytes);
    if (got == PCAP_ERROR_BREAK)
      break;  // the file's end
    if (got != 1) {
      if (stream.error)
        return tl::unexpected(*stream.error);
      // The library has no other way to tell.
      const std::string_view message(pcap_geterr(pcap.get()));
      if (message.find("truncated") != std::string_view::npos) {
        collector.note(say("the file breaks off inside a packet; what is before it is here"));
        break;
      }
      return fail(ErrorCode::Malformed,
                  say("the file is damaged behind packet {}: {}", packets, std::string(pcap_geterr(pcap.get()))), path,
                  mend);
    }
    const WidePicoseconds time =
        WidePicoseconds{header->ts.tv_sec} * kPicosecondsPerSecond + WidePicoseconds{header->ts.tv_usec} * 1000;
    if (auto added = collector.add(interface, time, {bytes, header->caplen}); !added)
      return tl::unexpected(added.error());
  }
  for (std::string& note : stream.file.notes())
    collector.note(std::move(note));
  progress.report(1.0);
  return collector.take();
}

}  // namespace bexto
