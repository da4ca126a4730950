#pragma once

#include <algorithm>
#include <filesystem>
#include <string>
#include <vector>

namespace bexto::test {

/// The captures with known truth in tests/data, by name.
inline std::vector<std::string> sampleNames()
{
  std::vector<std::string> names;
  for (const auto& entry : std::filesystem::directory_iterator(BEXTO_TEST_DATA)) {
    if (entry.path().extension() == ".vcd")
      names.push_back(entry.path().stem().string());
  }
  std::sort(names.begin(), names.end());
  return names;
}

}  // namespace bexto::test
