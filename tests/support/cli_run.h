#pragma once

// The command line as a script runs it, in a folder of its own.

#include <gtest/gtest.h>
#include <sys/wait.h>

#include <cstdlib>
#include <string>

#include "support/sessions.h"

namespace bexto::test {

struct Outcome {
  int status = -1;
  std::string out;
  std::string err;
};

class CliTest : public testing::Test {
 protected:
  Outcome run(const std::string& arguments) const
  {
    const std::string command =
        std::string(BEXTO_BIN) + "/bexto-cli " + arguments + " >" + path("stdout") + " 2>" + path("stderr");
    const int status = std::system(command.c_str());
    return {WEXITSTATUS(status), contentOf(path("stdout")), contentOf(path("stderr"))};
  }
  static std::string data(const std::string& name) { return std::string(BEXTO_TEST_DATA) + "/" + name; }
  std::string path(const std::string& name) const { return m_folder / name; }

  Folder m_folder;
};

}  // namespace bexto::test
