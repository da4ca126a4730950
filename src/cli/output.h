#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "core/base/atomic_file.h"
#include "core/base/progress.h"

namespace bexto::cli {

/// Standard output, or a file that appears whole or not at all. Collects small pieces.
class Output {
 public:
  /// An empty path is standard output. Errors: Unwritable.
  static Result<Output> open(const std::string& path);

  Result<void> write(std::string_view text);
  Result<void> finish();

 private:
  Result<void> flush();

  std::optional<AtomicFile> m_file;
  std::string m_pending;
};

/// A percentage on standard error, when that is a terminal.
class TerminalProgress final : public Progress {
 public:
  explicit TerminalProgress(bool quiet);
  ~TerminalProgress() override;
  void report(double fraction) override;

 private:
  bool m_shows;
  int m_percent = -1;
};

}  // namespace bexto::cli
