// A source more for each test program that mutate.py builds: tells reached.cpp where a test begins and ends.
#include <gtest/gtest.h>

#include <cstdlib>
#include <string>

#include "reached.h"

namespace {

std::string nameOf(const testing::TestInfo& test)
{
  return std::string(test.test_suite_name()) + "." + test.name();
}

// What runs before the first test of a suite, like the decoding of a capture that all of them look at, is counted as
// run by that first test.
class Listener : public testing::EmptyTestEventListener {
  void OnTestStart(const testing::TestInfo& test) override { setenv("BEXTO_REACHED_TEST", nameOf(test).c_str(), 1); }
  void OnTestEnd(const testing::TestInfo& test) override
  {
    reachedBy((nameOf(test) + " " + std::to_string(test.result()->elapsed_time())).c_str());
  }
  void OnTestProgramEnd(const testing::UnitTest& /*all*/) override { unsetenv("BEXTO_REACHED_TEST"); }
};

const bool kListening = [] {
  if (std::getenv("BEXTO_REACHED") != nullptr)
    testing::UnitTest::GetInstance()->listeners().Append(new Listener);
  return true;
}();

}  // namespace
