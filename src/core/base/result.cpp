#include "core/base/result.h"

#include <algorithm>
#include <numeric>

namespace bexto {

namespace {

std::size_t editDistance(const std::string& a, const std::string& b)
{
  std::vector<std::size_t> row(b.size() + 1);
  std::iota(row.begin(), row.end(), std::size_t{0});
  for (std::size_t i = 0; i < a.size(); ++i) {
    std::size_t diagonal = row[0];
    row[0] = i + 1;
    for (std::size_t j = 0; j < b.size(); ++j) {
      const std::size_t above = row[j + 1];
      row[j + 1] = std::min({above + 1, row[j] + 1, diagonal + (a[i] == b[j] ? 0U : 1U)});
      diagonal = above;
    }
  }
  return row[b.size()];
}

}  // namespace

std::string Error::text() const
{
  std::string line = where.empty() ? message : where + ": " + message;
  if (!mend.empty())
    line += "; " + mend;
  // Names and file contents may hold anything, but an error stays on one line.
  std::replace_if(
      line.begin(), line.end(), [](char c) { return static_cast<unsigned char>(c) < 0x20 || c == 0x7f; }, '?');
  return line;
}

std::string nearest(const std::string& typed, const std::vector<std::string>& known)
{
  std::string best;
  std::size_t bestDistance = std::max<std::size_t>(1, typed.size() / 3) + 1;
  for (const std::string& name : known) {
    const std::size_t distance = editDistance(typed, name);
    if (distance < bestDistance) {
      bestDistance = distance;
      best = name;
    }
  }
  return best;
}

}  // namespace bexto
