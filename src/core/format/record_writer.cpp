// Tested by tests/core/pcapng_test.cpp.
#include "core/format/record_writer.h"

#include <array>
#include <cerrno>
#include <cmath>
#include <cstdio>
#include <cstring>
#include <memory>
#include <optional>
#include <vector>

#include "core/base/say.h"
#include "core/base/utc_text.h"
#include "core/decode/bus.h"
#include "core/decode/decoder.h"
#include "core/decode/protocol.h"
#include "core/format/capture_output.h"
#include "core/format/close_pcap.h"
#include "core/format/pcapng_blocks.h"

namespace bexto {

namespace {

/// The records of an interface, one after the other.
class RecordStream {
 public:
  RecordStream(std::string name, double rate, std::shared_ptr<const RecordLog> log)
      : m_name(std::move(name)), m_rate(rate), m_log(std::move(log))
  {
    find();
  }

  const std::string& name() const { return m_name; }
  double rate() const { return m_rate; }  ///< bit/s; 0: not known
  LinkType linkType() const { return m_log->linkType(); }
  /// nullopt: there are no more. Valid until next().
  const std::optional<Record>& record() const { return m_record; }
  void next()
  {
    ++m_next;
    find();
  }

 private:
  void find()
  {
    while (m_chunk < m_log->chunks().size()) {
      if (!m_block)
        m_block = m_log->chunks()[m_chunk]->block();
      if (m_next < m_block->size()) {
        m_record = m_block->record(m_next);
        return;
      }
      m_block.reset();
      ++m_chunk;
      m_next = 0;
    }
    m_record.reset();
  }

  std::string m_name;
  double m_rate;
  std::shared_ptr<const RecordLog> m_log;
  std::size_t m_chunk = 0;
  std::shared_ptr<const RecordBlock> m_block;
  std::size_t m_next = 0;
  std::optional<Record> m_record;
};

/// What a bus decodes, as records.
Result<std::shared_ptr<const RecordLog>> recordsOf(const ResolvedBus& bus, const Capture& capture)
{
  RecordLogBuilder records;
  std::vector<std::uint8_t> bytes;
  for (const BusStream& stream : bus.streams) {
    const auto decoded = decodeStream(bus.bus, inputOf(capture, stream), std::stop_token());
    if (!decoded)
      return tl::unexpected(decoded.error());
    for (const auto& chunk : decoded->frames.chunks()) {
      for (std::size_t i = 0; i < chunk->size(); ++i) {
        const Frame frame = chunk->frame(i);
        bytes.clear();
        if (bus.bus.protocol().appendRecord(bus.bus, frame, bytes))
          records.add(frame.time.begin, bytes);
      }
    }
  }
  return records.take(*bus.bus.protocol().facts().linkType);
}

/// Of a channel of records its own, of a bus on wires what it decodes; in the order of channels, then of buses.
/// A session may have buses of which files of packets know nothing: these are left out as long as there are others.
Result<std::vector<RecordStream>> streamsOf(const Capture& capture, const std::vector<Bus>& buses,
                                            const std::string& path)
{
  std::vector<RecordStream> streams;
  for (const Channel& channel : capture.channels) {
    if (!channel.isWire() && channel.records->linkType() < kFirstOwnLinkType)
      streams.emplace_back(channel.name, 0.0, channel.records);
  }
  std::optional<Error> unsaid;
  for (const Bus& bus : buses) {
    if (bus.protocol().facts().linkType.value_or(kFirstOwnLinkType) >= kFirstOwnLinkType) {
      unsaid =
          Error{ErrorCode::BadArgument, say("files of packets have no place for frames of {}", bus.protocol().label()),
                say("bus {}", bus.name), say("write .csv with `bexto-cli decode`")};
      continue;
    }
    const auto resolved = resolveBus(bus, capture);
    if (!resolved)
      return tl::unexpected(resolved.error());
    if (!capture.channels[resolved->streams.front().channels.front()].isWire())
      continue;
    auto records = recordsOf(*resolved, capture);
    if (!records)
      return tl::unexpected(records.error());
    streams.emplace_back(bus.name, bus.protocol().setRate(resolved->bus), std::move(*records));
  }
  if (!streams.empty())
    return streams;
  if (unsaid)
    return tl::unexpected(*unsaid);
  return fail(ErrorCode::BadArgument, say("a file of packets holds frames, and no bus says how to get them"), path,
              say("describe one with --bus"));
}

/// When the capture began, in ns since 1970; 0 where nobody knows.
std::uint64_t beginOf(const Capture& capture)
{
  const auto began = parseUtc(capture.startedAt);
  return began && *began > 0 ? static_cast<std::uint64_t>(*began / 1000) : 0;
}

std::uint64_t inNanoseconds(Picoseconds t)
{
  return static_cast<std::uint64_t>(t.count() / 1000);
}

/// Calls `write` with each record and the number of its stream, by time.
template <typename Write>
Result<void> eachByTime(std::vector<RecordStream>& streams, const Write& write)
{
  for (;;) {
    std::size_t earliest = streams.size();
    for (std::size_t i = 0; i < streams.size(); ++i) {
      if (streams[i].record() &&
          (earliest == streams.size() || streams[i].record()->time < streams[earliest].record()->time))
        earliest = i;
    }
    if (earliest == streams.size())
      return {};
    if (auto written = write(*streams[earliest].record(), earliest); !written)
      return written;
    streams[earliest].next();
  }
}

/// Blocks in this machine's byte order, which they name themselves.
class BlockWriter {
 public:
  explicit BlockWriter(std::uint32_t type)
  {
    put(type);
    put(std::uint32_t{0});
  }
  template <typename Number>
  BlockWriter& put(Number value)
  {
    std::array<char, sizeof(Number)> bytes;
    std::memcpy(bytes.data(), &value, sizeof(Number));
    m_bytes.append(bytes.data(), bytes.size());
    return *this;
  }
  BlockWriter& putTime(std::uint64_t time)
  {
    return put(static_cast<std::uint32_t>(time >> 32U)).put(static_cast<std::uint32_t>(time));
  }
  BlockWriter& put(std::string_view bytes)
  {
    m_bytes += bytes;
    m_bytes.append(pcapng::padded(bytes.size()) - bytes.size(), '\0');
    return *this;
  }
  BlockWriter& option(std::uint16_t code, std::string_view value)
  {
    return put(code).put(static_cast<std::uint16_t>(value.size())).put(value);
  }
  BlockWriter& timeOption(std::uint16_t code, std::uint64_t time)
  {
    return put(code).put(std::uint16_t{8}).putTime(time);
  }
  /// The whole block.
  const std::string& end()
  {
    const auto length = static_cast<std::uint32_t>(m_bytes.size() + sizeof(std::uint32_t));
    put(length);
    std::memcpy(m_bytes.data() + sizeof(std::uint32_t), &length, sizeof(length));
    return m_bytes;
  }

 private:
  std::string m_bytes;
};

std::string interfaceBlock(const RecordStream& stream)
{
  constexpr std::uint8_t kNanoseconds = 9;
  BlockWriter block(pcapng::kInterface);
  block.put(std::uint16_t{stream.linkType()}).put(std::uint16_t{0}).put(std::uint32_t{0});
  block.option(pcapng::kInterfaceName, stream.name().substr(0, std::numeric_limits<std::uint16_t>::max()));
  if (stream.rate() > 0.0)
    block.put(pcapng::kInterfaceSpeed)
        .put(std::uint16_t{8})
        .put(static_cast<std::uint64_t>(std::llround(stream.rate())));
  block.option(pcapng::kTimeResolution, std::string_view(reinterpret_cast<const char*>(&kNanoseconds), 1));
  block.option(pcapng::kEnd, {});
  return block.end();
}

/// What libpcap writes through.
struct Sink {
  CaptureOutput& output;
  std::optional<Error> error = {};

  static ssize_t write(void* cookie, const char* bytes, std::size_t size)
  {
    auto& self = *static_cast<Sink*>(cookie);
    if (auto written = self.output.write({bytes, size}); !written) {
      self.error = written.error();
      errno = EIO;
      return 0;
    }
    return static_cast<ssize_t>(size);
  }
};

struct CloseDump {
  void operator()(pcap_dumper_t* dump) const { pcap_dump_close(dump); }
};

}  // namespace

Result<void> writePcapng(const Capture& capture, const std::string& path, const WriteHints& hints)
{
  auto streams = streamsOf(capture, hints.buses, path);
  if (!streams)
    return tl::unexpected(streams.error());
  auto file = CaptureOutput::create(path);
  if (!file)
    return tl::unexpected(file.error());
  BlockWriter section(pcapng::kSection);
  section.put(pcapng::kByteOrderMagic).put(std::uint16_t{1}).put(std::uint16_t{0}).put(~std::uint64_t{0});
  section.option(pcapng::kApplication, "Bexto").option(pcapng::kEnd, {});
  std::string piece = section.end();
  for (const RecordStream& stream : *streams)
    piece += interfaceBlock(stream);
  const std::uint64_t begin = beginOf(capture);
  const auto flush = [&](std::size_t most) -> Result<void> {
    if (piece.size() <= most)
      return {};
    auto written = file->write(piece);
    piece.clear();
    return written;
  };
  auto written = eachByTime(*streams, [&](const Record& record, std::size_t stream) {
    const auto size = static_cast<std::uint32_t>(record.bytes.size());
    BlockWriter block(pcapng::kPacket);
    block.put(static_cast<std::uint32_t>(stream)).putTime(begin + inNanoseconds(record.time)).put(size).put(size);
    block.put(std::string_view(reinterpret_cast<const char*>(record.bytes.data()), record.bytes.size()));
    piece += block.end();
    return flush(std::size_t{1} << 20U);
  });
  if (!written)
    return written;
  for (std::size_t i = 0; i < streams->size(); ++i) {
    const std::uint64_t end = begin + inNanoseconds(capture.end);
    BlockWriter block(pcapng::kStatistics);
    block.put(static_cast<std::uint32_t>(i)).putTime(end);
    block.timeOption(pcapng::kBegin, begin).timeOption(pcapng::kFinish, end).option(pcapng::kEnd, {});
    piece += block.end();
  }
  if (written = flush(0); !written)
    return written;
  return file->finish();
}

Result<void> writePcap(const Capture& capture, const std::string& path, const WriteHints& hints)
{
  auto streams = streamsOf(capture, hints.buses, path);
  if (!streams)
    return tl::unexpected(streams.error());
  if (streams->size() > 1)
    return fail(ErrorCode::BadArgument, say("there are {} interfaces, and a .pcap file has one", streams->size()), path,
                say("write .pcapng, or name one bus"));
  auto file = CaptureOutput::create(path);
  if (!file)
    return tl::unexpected(file.error());
  constexpr int kLongest = 262144;  // of a packet, as the format's draft recommends
  const std::unique_ptr<pcap_t, ClosePcap> pcap(
      pcap_open_dead_with_tstamp_precision(streams->front().linkType(), kLongest, PCAP_TSTAMP_PRECISION_NANO));
  Sink sink{*file};
  std::FILE* const opened = fopencookie(&sink, "wb", {nullptr, Sink::write, nullptr, nullptr});
  if (!pcap || opened == nullptr)
    throw std::bad_alloc();
  std::unique_ptr<pcap_dumper_t, CloseDump> dump(pcap_dump_fopen(pcap.get(), opened));
  if (!dump)
    return fail(ErrorCode::Unwritable, std::string(pcap_geterr(pcap.get())), path);
  const std::uint64_t begin = beginOf(capture);
  auto written = eachByTime(*streams, [&](const Record& record, std::size_t) -> Result<void> {
    constexpr std::uint64_t kPerSecond = 1000000000;
    const std::uint64_t at = begin + inNanoseconds(record.time);
    pcap_pkthdr header{};
    header.ts.tv_sec = static_cast<time_t>(at / kPerSecond);
    header.ts.tv_usec = static_cast<suseconds_t>(at % kPerSecond);  // nanoseconds, as the precision says
    header.caplen = header.len = static_cast<bpf_u_int32>(record.bytes.size());
    pcap_dump(reinterpret_cast<u_char*>(dump.get()), &header, record.bytes.data());
    return sink.error ? tl::unexpected(*sink.error) : Result<void>();
  });
  dump.reset();  // writes what it held back
  if (sink.error)
    return tl::unexpected(*sink.error);
  if (!written)
    return written;
  return file->finish();
}

}  // namespace bexto
