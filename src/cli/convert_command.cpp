#include <fmt/core.h>

#include <algorithm>
#include <string_view>

#include "cli/commands.h"
#include "cli/input.h"
#include "cli/output.h"
#include "core/format/capture_format.h"

namespace bexto::cli {

Result<void> runConvert(const Request& request)
{
  constexpr std::string_view kSession = ".bexto";
  const bool toSession = request.out.ends_with(kSession);
  const CaptureFormat* const format = formatOfName(request.out);
  // Before anything is read: a long capture should not be read for nothing.
  if (!toSession && format == nullptr)
    return fail(ErrorCode::BadArgument, fmt::format("no format ends like '{}'", request.out), "OUT",
                fmt::format("there are {}, {}", kSession, suffixList()));
  if (!request.buses.empty() && !toSession && format->holds == CaptureFormat::Holds::Wires)
    return fail(ErrorCode::BadArgument, fmt::format("{} has no place for a bus", request.out), "--bus",
                "leave it out, or write a .bexto");
  auto input = openInput(request);
  if (!input)
    return tl::unexpected(input.error());
  if (!request.buses.empty())
    input->buses = request.buses;
  if (!toSession) {
    // What was lost is known once all was read; the output must not be there then.
    for (const Channel& channel : input->capture.channels) {
      for (std::size_t i = 0; input->store && i < channel.track.chunkCount(); ++i)
        channel.track.chunk(i).bytes();
      for (std::size_t i = 0; input->store && channel.records && i < channel.records->chunks().size(); ++i)
        channel.records->chunks()[i]->block();
    }
    if (auto whole = input->checkWhole(); !whole)
      return whole;
    return writeCapture(input->capture, request.out, {request.hints.rate, input->buses});
  }
  for (const Bus& bus : request.buses) {
    if (auto resolved = resolveBus(bus, input->capture); !resolved)
      return tl::unexpected(resolved.error());
    Session& session = input->session.session;
    const auto same = std::find_if(session.buses.begin(), session.buses.end(),
                                   [&](const SessionBus& b) { return b.bus.name == bus.name; });
    if (same == session.buses.end())
      addBus(session, bus);
    else
      changeBus(session, same->id, bus);
  }
  TerminalProgress progress(request.quiet);
  // One segment of several when it was asked for, else all.
  if (!request.segment.empty()) {
    input->session.segments = {input->session.segments.at(input->session.shown)};
    input->session.shown = 0;
  }
  return writeSession(request.out, input->session, std::stop_token(), progress);
}

}  // namespace bexto::cli
