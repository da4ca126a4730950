#pragma once

namespace bexto::cli {

/// What the shell gets; docs/command-line.md promises these.
enum ExitStatus : int {
  kDone = 0,
  kRuleFailed = 1,
  kBadCommandLine = 2,
  kBadInput = 3,
  kBadOutput = 4,
};

}  // namespace bexto::cli
