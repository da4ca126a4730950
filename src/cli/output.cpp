#include "cli/output.h"

#include <fmt/core.h>
#include <unistd.h>

#include <cerrno>
#include <cstdio>
#include <cstring>

namespace bexto::cli {

namespace {
constexpr std::size_t kPiece = std::size_t{1} << 18U;
}

Result<Output> Output::open(const std::string& path)
{
  Output output;
  if (path.empty())
    return output;
  auto file = AtomicFile::create(path);
  if (!file)
    return tl::unexpected(file.error());
  output.m_file.emplace(std::move(*file));
  return output;
}

Result<void> Output::write(std::string_view text)
{
  m_pending += text;
  return m_pending.size() < kPiece ? Result<void>() : flush();
}

Result<void> Output::flush()
{
  Result<void> done;
  if (m_file)
    done = m_file->write(m_pending);
  else if (std::fwrite(m_pending.data(), 1, m_pending.size(), stdout) != m_pending.size())
    done = fail(ErrorCode::Unwritable, std::string("cannot be written: ") + std::strerror(errno), "standard output");
  m_pending.clear();
  return done;
}

Result<void> Output::finish()
{
  if (auto flushed = flush(); !flushed)
    return flushed;
  if (m_file)
    return m_file->commit();
  if (std::fflush(stdout) != 0)
    return fail(ErrorCode::Unwritable, std::string("cannot be written: ") + std::strerror(errno), "standard output");
  return {};
}

TerminalProgress::TerminalProgress(bool quiet) : m_shows(!quiet && ::isatty(STDERR_FILENO) != 0) {}

TerminalProgress::~TerminalProgress()
{
  if (m_shows && m_percent >= 0)
    fmt::print(stderr, "\r      \r");
}

void TerminalProgress::report(double fraction)
{
  const int percent = static_cast<int>(fraction * 100.0);
  if (!m_shows || percent == m_percent)
    return;
  m_percent = percent;
  fmt::print(stderr, "\r{:3} %", percent);
}

}  // namespace bexto::cli
