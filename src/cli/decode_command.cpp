#include <fmt/core.h>

#include <algorithm>
#include <map>

#include "cli/commands.h"
#include "cli/decode_buses.h"
#include "cli/input.h"
#include "cli/output.h"
#include "core/decode/protocol.h"
#include "core/format/capture_format.h"
#include "core/query/scan.h"

namespace bexto::cli {

namespace {

/// One decoded stream and how far it has been written: its frames, each for itself; or the messages that they are by a
/// sheet, which come beside them.
struct Source {
  FrameOrigin origin;
  Transactions lines;
  bool messages = false;
  bool inParts = false;  ///< messages of several frames
  std::uint64_t next = 0;
  std::uint64_t end = 0;
  LineSet wanted;     ///< with a filter, and of messages: those that are written
  bool some = false;  ///< only those in `wanted`
  std::shared_ptr<const SentTimes> sent = nullptr;
};

/// The units that are messages, of those that a filter asks for.
LineSet onlyMessages(const Transactions& lines, const LineSet* asked)
{
  LineSet messages;
  for (std::uint64_t i = 0; i < lines.size(); ++i) {
    if (lines.meaning()->says(lines.framesOf(i)) && (asked == nullptr || asked->contains(i)))
      messages.add(i);
  }
  return messages;
}

/// The frames of a stream by themselves, and in front of them the messages that they are.
std::vector<Source> sourcesOf(const FrameOrigin& origin, FrameIndex frames, std::shared_ptr<const SentTimes> sent)
{
  std::vector<Source> sources;
  Source plain;
  plain.origin = origin;
  plain.sent = std::move(sent);
  std::shared_ptr<const Meaning> meaning;
  if (!origin.bus->sheets.empty()) {
    const Transactions grouped(*origin.bus, frames);
    meaning = grouped.meaning();
    if (meaning && meaning->firsts()) {
      Source whole = plain;
      whole.lines = grouped;
      whole.messages = true;
      sources.push_back(std::move(whole));
      meaning = nullptr;  // it groups frames, and is of the messages
    }
  }
  plain.lines = Transactions::eachFrame(std::move(frames), std::move(meaning));
  if (auto wholes = Transactions::wholesIn(*origin.bus, plain.lines, {}, true)) {
    Source whole = plain;
    whole.lines = std::move(*wholes);
    whole.messages = whole.inParts = true;
    sources.push_back(std::move(whole));
  }
  sources.push_back(std::move(plain));
  return sources;
}

/// What the streams of each bus say, put together. Of each stream one source knows what its devices say.
void putTogether(std::vector<Source>& sources)
{
  std::map<const Bus*, std::vector<Source*>> buses;
  for (Source& source : sources) {
    if (source.lines.meaning())
      buses[source.origin.bus].push_back(&source);
  }
  for (auto& [bus, parts] : buses) {
    std::stable_partition(parts.begin(), parts.end(), [](const Source* s) { return !s->inParts; });
    std::vector<Transactions> streams;
    for (const Source* const part : parts)
      streams.push_back(part->lines);
    Transactions::putTogether(*bus, streams);
    for (std::size_t i = 0; i < parts.size(); ++i)
      parts[i]->lines = std::move(streams[i]);
  }
}

/// The bytes of all frames of a message.
std::vector<std::uint8_t> bytesOf(const Source& source, FrameRange range)
{
  const auto reader = source.origin.bus->protocol().payloadReader(*source.origin.bus);
  std::vector<std::uint8_t> bytes;
  for (std::uint64_t i = range.first; i < range.end; ++i) {
    const Frame frame = source.lines.frames().frame(i);
    for (const FramePayload& payload : reader->of(frame))
      bytes.insert(bytes.end(), payload.bytes.begin(), payload.bytes.end());
  }
  return bytes;
}

std::string recordOf(const FrameWriter& writer, const Source& source, std::uint64_t number)
{
  const FrameRange range = source.lines.framesOf(number);
  std::vector<Told> told;
  if (const auto& meaning = source.lines.meaning())
    told = meaning->told(*source.origin.bus, source.lines.frames(), range);
  if (source.messages)
    return told.empty() ? std::string()
                        : writer.message(told.front(), source.origin, source.lines.timeOf(number),
                                         source.lines.errorsOf(number), bytesOf(source, range));
  return writer.record(source.lines.frames().frame(range.first), source.origin, told.empty() ? nullptr : &told.front());
}

/// Puts each source at its next frame that the filter asks for.
void skipUnwanted(Source& source)
{
  const std::uint64_t rank = source.wanted.countBelow(source.next);
  source.next = rank < source.wanted.size() ? std::min(source.wanted.at(rank), source.end) : source.end;
}

}  // namespace

Result<void> runDecode(const Request& request, FrameFormat format)
{
  if (auto has = checkHasBuses(request, "decode"); !has)
    return has;
  auto input = openInput(request);
  if (!input)
    return tl::unexpected(input.error());
  auto decoded = decodeBuses(request, *input);
  if (!decoded)
    return tl::unexpected(decoded.error());
  std::vector<Source> sources;
  for (DecodedStream& stream : decoded->streams) {
    const FrameOrigin origin{&decoded->buses[stream.bus].bus, stream.stream.line};
    for (Source& source : sourcesOf(origin, std::move(stream.frames), stream.sent)) {
      source.next = source.lines.firstFrom(request.span.begin);
      source.end = source.lines.firstFrom(request.span.end);
      sources.push_back(std::move(source));
    }
  }
  putTogether(sources);
  if (auto whole = input->checkWhole(); !whole)
    return whole;
  const auto filter = parseFilter(request.filter, input->buses);
  if (!filter)
    return tl::unexpected(filter.error());
  const bool filtered = !filter->empty();
  if (filtered) {
    std::vector<ScanSource> scanned;
    scanned.reserve(sources.size());
    for (const Source& source : sources)
      scanned.push_back({*source.origin.bus, source.origin.line, source.lines, source.sent});
    auto found = scanLines(*filter, scanned, std::stop_token());
    if (!found)
      return tl::unexpected(found.error());
    for (std::size_t i = 0; i < sources.size(); ++i) {
      sources[i].wanted = std::move((*found)[i]);
      sources[i].some = true;
    }
  }
  for (Source& source : sources) {
    if (source.messages) {
      source.wanted = onlyMessages(source.lines, filtered ? &source.wanted : nullptr);
      source.some = true;
    }
    if (source.some)
      skipUnwanted(source);
  }
  auto output = Output::open(request.out);
  if (!output)
    return tl::unexpected(output.error());
  std::vector<const Protocol*> protocols;
  for (const ResolvedBus& bus : decoded->buses)
    protocols.push_back(&bus.bus.protocol());
  const bool described = std::any_of(decoded->buses.begin(), decoded->buses.end(),
                                     [](const ResolvedBus& bus) { return !bus.bus.sheets.empty(); });
  const FrameWriter writer(format, protocols, described);
  if (auto written = output->write(writer.header()); !written)
    return written;
  // Merge by start; of equal starts the stream given first goes first.
  for (;;) {
    Source* earliest = nullptr;
    Picoseconds begin = kNever;
    for (Source& source : sources) {
      if (source.next == source.end)
        continue;
      const Picoseconds at = source.lines.beginOf(source.next);
      if (earliest == nullptr || at < begin) {
        earliest = &source;
        begin = at;
      }
    }
    if (earliest == nullptr)
      break;
    const std::string record = recordOf(writer, *earliest, earliest->next++);
    if (earliest->some)
      skipUnwanted(*earliest);
    if (auto written = output->write(record); !written)
      return written;
  }
  if (auto finished = output->finish(); !finished || !decoded->missing)
    return finished;
  return tl::unexpected(*decoded->missing);
}

}  // namespace bexto::cli
