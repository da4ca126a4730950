#pragma once

// The command line as a script runs it, in a folder of its own.

#include <gtest/gtest.h>
#include <sys/wait.h>

#include <cstdlib>
#include <nlohmann/json.hpp>
#include <sstream>
#include <string>
#include <vector>

#include "support/sessions.h"

namespace bexto::test {

struct Outcome {
  int status = -1;
  std::string out;
  std::string err;
};

/// Of JSON lines.
inline std::vector<nlohmann::json> linesOf(const std::string& text)
{
  std::vector<nlohmann::json> lines;
  std::istringstream stream(text);
  for (std::string line; std::getline(stream, line);)
    lines.push_back(nlohmann::json::parse(line));
  return lines;
}

class CliTest : public testing::Test {
 protected:
  /// What it says is in the outcome unless it goes elsewhere.
  Outcome run(const std::string& arguments, const std::string& elsewhere = {}) const
  {
    const std::string command = std::string(BEXTO_BIN) + "/bexto-cli " + arguments + " >" +
                                (elsewhere.empty() ? path("stdout") : elsewhere) + " 2>" + path("stderr");
    const int status = std::system(command.c_str());
    return {WEXITSTATUS(status), contentOf(path("stdout")), contentOf(path("stderr"))};
  }
  static std::string data(const std::string& name) { return std::string(BEXTO_TEST_DATA) + "/" + name; }
  std::string path(const std::string& name) const { return m_folder / name; }

  Folder m_folder;
};

}  // namespace bexto::test
