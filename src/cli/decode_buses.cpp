#include "cli/decode_buses.h"

#include <fmt/core.h>

#include <algorithm>
#include <atomic>
#include <cstdio>
#include <exception>
#include <mutex>
#include <system_error>
#include <thread>

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

/// Decodes the streams side by side, by as many threads as the machine has processors, however many streams there are.
/// Throws what a decode throws (memory that runs out).
Result<void> decodeAll(DecodedBuses& buses)
{
  std::vector<std::optional<Result<StreamFrames>>> decoded(buses.streams.size());
  std::atomic<std::size_t> next = 0;
  std::mutex mutex;
  std::exception_ptr thrown;
  const auto work = [&] {
    try {
      for (std::size_t i = next++; i < decoded.size(); i = next++)
        decoded[i] = decodeStream(buses.buses[buses.streams[i].bus].bus, buses.streams[i].input, std::stop_token());
    } catch (...) {
      next = decoded.size();
      const std::lock_guard<std::mutex> lock(mutex);
      thrown = std::current_exception();
    }
  };
  const std::size_t most = std::clamp<std::size_t>(std::thread::hardware_concurrency(), 1, 16);
  {
    std::vector<std::jthread> helpers;
    helpers.reserve(most);
    try {
      while (helpers.size() + 1 < std::min(most, decoded.size()))
        helpers.emplace_back(work);
    } catch (const std::system_error&) {
      // The system gives no more threads: those that are there do it.
    }
    work();
  }
  if (thrown)
    std::rethrow_exception(thrown);
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
