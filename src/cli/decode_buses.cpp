#include "cli/decode_buses.h"

#include <fmt/core.h>

#include <algorithm>
#include <cstdio>

#include "core/base/side_by_side.h"
#include "core/format/capture_format.h"

namespace bexto::cli {

namespace {

/// Several readings of one channel add up.
Result<void> readAs(const std::vector<Request::ChannelReading>& readings, Capture& capture)
{
  for (const Request::ChannelReading& reading : readings) {
    const auto channel = capture.find(reading.channel);
    if (!channel)
      return tl::unexpected(channel.error());
    Conditioning& how = capture.channels[*channel].conditioning;
    how.invert = how.invert != reading.how.invert;
    how.minPulse = std::max(how.minPulse, reading.how.minPulse);
  }
  return {};
}

/// Decodes the streams side by side, however many there are. Throws what a decode throws (memory that runs out).
Result<void> decodeAll(DecodedBuses& buses)
{
  std::vector<std::optional<Result<StreamFrames>>> decoded(buses.streams.size());
  sideBySide(decoded.size(), [&](std::size_t i) {
    decoded[i] = decodeStream(buses.buses[buses.streams[i].bus].bus, buses.streams[i].input, std::stop_token());
  });
  for (std::size_t i = 0; i < decoded.size(); ++i) {
    if (!*decoded[i])
      return tl::unexpected(decoded[i]->error());
    buses.streams[i].frames = std::move((*decoded[i])->frames);
  }
  return {};
}

Result<void> noBus(const char* command)
{
  return fail(ErrorCode::BadArgument, "no bus is given", {},
              fmt::format("describe one with --bus; see `bexto-cli help {}`", command));
}

}  // namespace

Result<void> checkHasBuses(const Request& request, const char* command)
{
  if (request.buses.empty() && !looksLikeSession(request.capture)) {
    const auto format = formatOfFile(request.capture, request.hints);
    if (format && (*format)->holds == CaptureFormat::Holds::Wires)
      return noBus(command);
  }
  return {};
}

Result<DecodedBuses> decodeBuses(const Request& request, Input& input)
{
  if (auto attached = request.buses.empty() ? attachSheets(request.devices, input.buses) : Result<void>(); !attached)
    return tl::unexpected(attached.error());
  std::vector<Bus>& wanted = input.buses;
  if (!request.buses.empty())
    wanted = request.buses;
  if (wanted.empty())
    return tl::unexpected(noBus("decode").error());
  if (const auto filter = parseFilter(request.filter, wanted); !filter)
    return tl::unexpected(filter.error());
  if (auto attached = attachBooks(request.books, wanted); !attached)
    return tl::unexpected(attached.error());
  if (auto read = readAs(request.readings, input.capture); !read)
    return tl::unexpected(read.error());
  DecodedBuses all;
  for (const Bus& bus : wanted) {
    auto resolved = resolveBus(bus, input.capture);
    if (resolved) {
      all.buses.push_back(std::move(*resolved));
      continue;
    }
    // A rate that the wires do not tell stops its own bus; the others are read.
    if (resolved.error().code != ErrorCode::NotFound)
      return tl::unexpected(resolved.error());
    if (all.missing)
      fmt::print(stderr, "bexto-cli: {}\n", all.missing->text());
    all.missing = resolved.error();
  }
  if (all.buses.empty() && all.missing)
    return tl::unexpected(*all.missing);
  for (std::size_t i = 0; i < all.buses.size(); ++i) {
    for (const BusStream& stream : all.buses[i].streams)
      all.streams.push_back({i, stream, inputOf(input.capture, stream), {}, sentOn(input.capture, stream.channels)});
  }
  if (auto done = decodeAll(all); !done)
    return tl::unexpected(done.error());
  return all;
}

}  // namespace bexto::cli
