#include <fmt/core.h>

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
  if (!toSession && (format == nullptr || format->write == nullptr))
    return fail(ErrorCode::BadArgument, fmt::format("no format ends like '{}'", request.out), "OUT",
                fmt::format("there are {}, {}", kSession, suffixList()));
  auto input = openInput(request);
  if (!input)
    return tl::unexpected(input.error());
  if (!toSession) {
    // What was lost is known once all was read; the output must not be there then.
    for (const Channel& channel : input->capture.channels) {
      for (std::size_t i = 0; input->store && i < channel.track.chunkCount(); ++i)
        channel.track.chunk(i).bytes();
    }
    if (auto whole = input->checkWhole(); !whole)
      return whole;
    return format->write(input->capture, request.out, {request.hints.rate});
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
