#pragma once

#include <gtest/gtest.h>

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <string>
#include <vector>

namespace bexto::test {

inline std::vector<std::string> linesIn(const std::string& text)
{
  std::vector<std::string> lines;
  std::istringstream in(text);
  for (std::string line; std::getline(in, line);)
    lines.push_back(line);
  return lines;
}

/// Fails where `text` is another than what is kept in tests/data/`file`, and says in which lines; `heading`: with what
/// those begin that tell where in the text one is. With BEXTO_RECORD=1 in the environment the file is written anew
/// instead; look at what `git diff` says of it, and keep what was meant.
inline void expectKept(const std::string& file, const std::string& text, const std::string& heading = "== ")
{
  const std::filesystem::path path = std::filesystem::path(BEXTO_TEST_DATA) / file;
  if (std::getenv("BEXTO_RECORD") != nullptr) {
    std::filesystem::create_directories(path.parent_path());
    std::ofstream(path, std::ios::binary) << text;
    return;
  }
  std::ifstream in(path, std::ios::binary);
  ASSERT_TRUE(in) << "nothing is on record: " << path;
  std::ostringstream kept;
  kept << in.rdbuf();
  if (kept.str() == text)
    return;
  const std::vector<std::string> was = linesIn(kept.str());
  const std::vector<std::string> is = linesIn(text);
  std::string where;
  int told = 0;
  for (std::size_t i = 0; i < std::max(was.size(), is.size()) && told < 12; ++i) {
    const std::string before = i < was.size() ? was[i] : "(nothing)";
    const std::string now = i < is.size() ? is[i] : "(nothing)";
    if (before.compare(0, heading.size(), heading) == 0)
      where = before;
    if (before == now)
      continue;
    ++told;
    ADD_FAILURE() << path.string() << ':' << i + 1 << ' ' << where << "\n  on record: " << before << "\n  now: " << now;
  }
}

}  // namespace bexto::test
