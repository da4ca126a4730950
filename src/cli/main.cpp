#include <fmt/core.h>
#include <unistd.h>

#include <csignal>
#include <cstdio>
#include <exception>
#include <new>

#include "cli/commands.h"
#include "cli/exit_status.h"
#include "cli/output.h"
#include "core/base/atomic_file.h"

namespace bexto::cli {

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

Result<void> printed(const std::string& text)
{
  auto output = Output::open({});
  if (!output)
    return tl::unexpected(output.error());
  if (auto written = output->write(text); !written)
    return written;
  return output->finish();
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
      done = printed(request->helpText);
      break;
    case Command::Version:
      done = printed(fmt::format("bexto-cli {}\n", BEXTO_VERSION));
      break;
    case Command::Info:
      done = runInfo(*request, format);
      break;
    case Command::Decode:
      done = runDecode(*request, format);
      break;
    case Command::Check: {
      const Result<bool> passed = runCheck(*request, format);
      return !passed ? report(passed.error()) : *passed ? kDone : kRuleFailed;
    }
    case Command::Convert:
      done = runConvert(*request);
      break;
    case Command::Capture:
      done = runCapture(*request);
      break;
  }
  return done ? kDone : report(done.error());
}

}  // namespace
}  // namespace bexto::cli

int main(int argc, char** argv)
{
  // A reader that goes away, or a file that may not grow, is an output that cannot be written, not a reason to die
  // without a word.
  std::signal(SIGPIPE, SIG_IGN);
  std::signal(SIGXFSZ, SIG_IGN);
  bexto::removeTemporaryFilesAtSignals();
  try {
    return bexto::cli::run(argc, argv);
  } catch (const std::bad_alloc&) {
    std::fputs("bexto-cli: the memory does not suffice; decode fewer buses at once\n", stderr);
  } catch (const std::exception& e) {
    fmt::print(stderr, "bexto-cli: {}\n", e.what());
  }
  return bexto::cli::kBadInput;
}
