#pragma once

#include <string>
#include <vector>

#include "core/decode/meaning.h"

namespace bexto {

/// What a query can name besides the words of the language: the buses that there are, and what the sheets of their
/// devices call things.
struct QueryNames {
  /// Buses that have no sheets, by their names.
  explicit QueryNames(std::vector<std::string> names) : buses(std::move(names)) {}

  std::vector<std::string> buses;
  std::vector<ValueWord> values = {};  ///< each name once
  std::vector<std::string> devices = {};
  std::vector<std::string> subjects = {};  ///< registers, commands, messages

  /// nullptr when no device has such a value.
  const ValueWord* value(const std::string& name) const;
};

/// Adds what the list does not have yet.
void addOnce(std::vector<std::string>& list, const std::string& text);

/// Those of these buses.
QueryNames namesOf(const std::vector<Bus>& buses);

}  // namespace bexto
