#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/device/yaml_tree.h"

namespace bexto {

/// Where the mistakes of a sheet are collected.
class Problems {
 public:
  void add(const YamlPart& at, std::string message, std::string mend = {})
  {
    m_list.push_back({at.line, at.column, std::move(message), std::move(mend)});
  }
  std::vector<SheetProblem> takeByLine();
  bool empty() const { return m_list.empty(); }

 private:
  std::vector<SheetProblem> m_list;
};

/// A map whose keys are known: each is asked for by its name and sort; what nobody asked for is a mistake, and so is
/// what is of another sort. Borrows the part and the list of problems.
class YamlMap {
 public:
  /// `what` is said in messages: "a register". When `part` is no map, that is the problem.
  YamlMap(const YamlPart& part, std::string what, Problems& problems);
  YamlMap(const YamlMap&) = delete;
  YamlMap& operator=(const YamlMap&) = delete;
  /// Says which keys nobody asked for.
  ~YamlMap();

  const YamlPart& part() const { return m_part; }
  bool has(const std::string& key) const { return m_part.find(key) != nullptr; }
  /// nullptr when there is none.
  const YamlPart* get(const std::string& key);
  /// The same, and a problem when there is none.
  const YamlPart* need(const std::string& key, const std::string& example);
  std::string text(const std::string& key, std::string otherwise = {});
  bool yes(const std::string& key, bool otherwise);
  std::int64_t whole(const std::string& key, std::int64_t otherwise, std::int64_t least, std::int64_t most);
  std::optional<double> number(const std::string& key);
  /// One of several words.
  std::string choice(const std::string& key, const std::vector<std::string>& choices, const std::string& otherwise);
  /// A key that only some sheets have: not counted as unknown, and a problem with that mend where it does not belong.
  void refuse(const std::string& key, const std::string& why);

 private:
  const YamlPart& m_part;
  std::string m_what;
  Problems& m_problems;
  std::vector<std::string> m_known;
};

/// A whole number in those bounds, or a problem.
std::optional<std::int64_t> wholeOf(const YamlPart& part, std::int64_t least, std::int64_t most,
                                    const std::string& what, Problems& problems);
/// One number, or a list of them.
std::vector<std::int64_t> wholesOf(const YamlPart& part, std::int64_t least, std::int64_t most, const std::string& what,
                                   Problems& problems);
/// "7", "4..7": from low to high, in the order in which they stand.
std::optional<std::pair<std::int64_t, std::int64_t>> rangeOf(const YamlPart& part, const std::string& what,
                                                             Problems& problems);

}  // namespace bexto
