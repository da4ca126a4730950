#include <fmt/core.h>
#include <unistd.h>

#include <csignal>
#include <cstdio>

#include "cli/commands.h"
#include "cli/exit_status.h"
#include "cli/output.h"
#include "core/format/vcd_reader.h"

namespace bexto::cli {

Result<Capture> openCapture(const Request& request)
{
  TerminalProgress progress(request.quiet);
  auto capture = readVcd(request.capture, std::stop_token(), progress);
  if (capture && !request.quiet) {
    for (const std::string& note : capture->notes)
      fmt::print(stderr, "note: {}: {}\n", capture->source, note);
  }
  return capture;
}

namespace {

ExitStatus statusOf(const Error& error)
{
  switch (error.code) {
    case ErrorCode::BadArgument:
    case ErrorCode::NotFound:
      return kBadCommandLine;
    case ErrorCode::Unwritable:
      return kBadOutput;
    case ErrorCode::Unreadable:
    case ErrorCode::Malformed:
    case ErrorCode::Cancelled:
      break;
  }
  return kBadInput;
}

ExitStatus report(const Error& error)
{
  fmt::print(stderr, "bexto-cli: {}\n", error.text());
  return statusOf(error);
}

ExitStatus run(int argc, char** argv)
{
  const auto request = parseCommandLine(argc, argv);
  if (!request)
    return report(request.error());
  const FrameFormat format = request->format.value_or(
      request->out.empty() && ::isatty(STDOUT_FILENO) != 0 ? FrameFormat::Text : FrameFormat::Jsonl);
  Result<void> done;
  switch (request->command) {
    case Command::Help:
      fmt::print("{}", request->helpText);
      break;
    case Command::Version:
      fmt::print("bexto-cli {}\n", BEXTO_VERSION);
      break;
    case Command::Info:
      done = runInfo(*request, format);
      break;
    case Command::Decode:
      done = runDecode(*request, format);
      break;
  }
  return done ? kDone : report(done.error());
}

}  // namespace
}  // namespace bexto::cli

int main(int argc, char** argv)
{
  // A reader that goes away is an output that cannot be written, not a reason to die without a word.
  std::signal(SIGPIPE, SIG_IGN);
  return bexto::cli::run(argc, argv);
}
