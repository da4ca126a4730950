#pragma once

#include <gtest/gtest.h>
#include <hwy/targets.h>

#include <cstdint>
#include <string>
#include <vector>

namespace bexto::test {

/// What is compiled once for each kind of processor, on each kind that this one can stand in for: derive from it, and
/// say one of the macros below.
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

inline std::vector<std::int64_t> processorsWithVectors()
{
  std::vector<std::int64_t> targets = hwy::SupportedAndGeneratedTargets();
  std::erase(targets, HWY_SCALAR);
  return targets;
}

inline std::string nameOfProcessor(const testing::TestParamInfo<std::int64_t>& info)
{
  return hwy::TargetName(info.param);
}

// NOLINTBEGIN(cppcoreguidelines-macro-usage): what they say is a macro too
#define BEXTO_EACH_PROCESSOR(suite)                                                                   \
  INSTANTIATE_TEST_SUITE_P(Processors, suite, testing::ValuesIn(hwy::SupportedAndGeneratedTargets()), \
                           bexto::test::nameOfProcessor)
/// For what those without vectors leave to others.
#define BEXTO_EACH_PROCESSOR_WITH_VECTORS(suite)                                                       \
  INSTANTIATE_TEST_SUITE_P(Processors, suite, testing::ValuesIn(bexto::test::processorsWithVectors()), \
                           bexto::test::nameOfProcessor)
// NOLINTEND(cppcoreguidelines-macro-usage)

}  // namespace bexto::test
