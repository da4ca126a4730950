#include "cli/input.h"

#include <fmt/core.h>

#include "cli/output.h"
#include "core/base/number_text.h"
#include "core/format/capture_format.h"

namespace bexto::cli {

namespace {

Result<void> chooseSegment(const std::string& wanted, SessionFile& file, const std::string& path)
{
  if (wanted.empty())
    return {};
  const auto number = parseInteger(wanted);
  for (std::size_t i = 0; i < file.segments.size(); ++i) {
    if (file.segments[i].name == wanted || (number && *number == static_cast<std::int64_t>(i) + 1)) {
      file.shown = i;
      return {};
    }
  }
  return fail(ErrorCode::BadArgument, fmt::format("there is no segment '{}'", wanted), path,
              file.segments.size() == 1
                  ? "there is only one, 1"
                  : fmt::format("there are 1 to {}; `bexto-cli info` lists them", file.segments.size()));
}

Result<Input> openSession(const Request& request)
{
  auto opened = SessionStore::open(request.capture);
  if (!opened)
    return tl::unexpected(opened.error());
  SessionFile& file = opened->file;
  if (file.segments.empty())
    return fail(ErrorCode::Malformed, "nothing is recorded in the session", request.capture, "open a capture in it");
  if (auto chosen = chooseSegment(request.segment, file, request.capture); !chosen)
    return tl::unexpected(chosen.error());
  Input input{*file.segments[file.shown].capture, {}, {}, opened->store};
  for (Channel& channel : input.capture.channels) {
    const auto how = file.session.conditioning.find(channel.path);
    if (how != file.session.conditioning.end())
      channel.conditioning = how->second;
  }
  for (const SessionBus& bus : file.session.buses)
    input.buses.push_back(bus.bus);
  input.session = std::move(file);
  return input;
}

}  // namespace

Result<void> Input::checkWhole() const
{
  if (store && store->lost() > 0)
    return tl::unexpected(store->loss());
  return {};
}

Result<Input> openInput(const Request& request)
{
  Result<Input> input = Input{};
  if (looksLikeSession(request.capture)) {
    input = openSession(request);
  } else {
    TerminalProgress progress(request.quiet);
    auto capture = readCapture(request.capture, request.hints, std::stop_token(), progress);
    if (!capture)
      return tl::unexpected(capture.error());
    input->session.segments.push_back({{}, {}, {}, true, std::make_shared<const Capture>(*capture)});
    if (auto chosen = chooseSegment(request.segment, input->session, request.capture); !chosen)
      return tl::unexpected(chosen.error());
    input->buses = busesOfRecords(*capture, {});
    takeCapture(input->session.session, request.capture, request.buses.empty() ? input->buses : std::vector<Bus>());
    input->capture = std::move(*capture);
  }
  if (input && !request.quiet) {
    for (const std::string& note : input->capture.notes)
      fmt::print(stderr, "note: {}: {}\n", input->capture.source, note);
  }
  return input;
}

}  // namespace bexto::cli
