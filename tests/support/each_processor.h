#pragma once

#include <gtest/gtest.h>
#include <hwy/targets.h>

#include <cstdint>

namespace bexto::test {

/// What is compiled once for each kind of processor, on each kind that this one can stand in for: derive from it, and
/// say BEXTO_EACH_PROCESSOR.
class EachProcessor : public testing::TestWithParam<std::int64_t> {
 protected:
  void SetUp() override { use(GetParam()); }
  void TearDown() override { use(0); }

 private:
  static void use(std::int64_t target)
  {
    hwy::SetSupportedTargetsForTest(target);
    hwy::GetChosenTarget().Update(hwy::SupportedTargets());
  }
};

// NOLINTNEXTLINE(cppcoreguidelines-macro-usage): what it says is a macro too
#define BEXTO_EACH_PROCESSOR(suite)                                                                   \
  INSTANTIATE_TEST_SUITE_P(Processors, suite, testing::ValuesIn(hwy::SupportedAndGeneratedTargets()), \
                           [](const auto& info) { return hwy::TargetName(info.param); })

}  // namespace bexto::test
