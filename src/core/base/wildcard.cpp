// Tested by tests/core/query_scan_test.cpp and tests/core/device_query_test.cpp.
#include "core/base/wildcard.h"

#include <cctype>

namespace bexto {

bool matchesPattern(std::string_view pattern, std::string_view text, Letters letters)
{
  const auto lower = [](char c) { return std::tolower(static_cast<unsigned char>(c)); };
  const auto same = [&](char wanted, char there) {
    return wanted == '?' || wanted == there || (letters == Letters::Alike && lower(wanted) == lower(there));
  };
  // From the last *, one character further at each mismatch.
  std::size_t p = 0;
  std::size_t t = 0;
  std::size_t star = std::string_view::npos;
  std::size_t mark = 0;
  while (t < text.size()) {
    if (p < pattern.size() && pattern[p] == '*') {
      star = p++;
      mark = t;
    } else if (p < pattern.size() && same(pattern[p], text[t])) {
      ++p;
      ++t;
    } else if (star != std::string_view::npos) {
      p = star + 1;
      t = ++mark;
    } else {
      return false;
    }
  }
  return pattern.find_first_not_of('*', p) == std::string_view::npos;
}

}  // namespace bexto
