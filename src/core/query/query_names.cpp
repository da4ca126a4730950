#include "core/query/query_names.h"

#include <algorithm>

#include "core/decode/bus.h"

namespace bexto {

void addOnce(std::vector<std::string>& list, const std::string& text)
{
  if (std::find(list.begin(), list.end(), text) == list.end())
    list.push_back(text);
}

const ValueWord* QueryNames::value(const std::string& name) const
{
  const auto found = std::find_if(values.begin(), values.end(), [&](const ValueWord& v) { return v.name == name; });
  return found == values.end() ? nullptr : &*found;
}

QueryNames namesOf(const std::vector<Bus>& buses)
{
  QueryNames names{std::vector<std::string>()};
  for (const Bus& bus : buses) {
    names.buses.push_back(bus.name);
    const auto describer = describerOf(bus);
    if (!describer)
      continue;
    for (const std::string& device : describer->devices())
      addOnce(names.devices, device);
    for (const std::string& subject : describer->subjects())
      addOnce(names.subjects, subject);
    for (const ValueWord& word : describer->values()) {
      auto known = std::find_if(names.values.begin(), names.values.end(),
                                [&](const ValueWord& v) { return v.name == word.name; });
      if (known == names.values.end()) {
        names.values.push_back(word);
        continue;
      }
      for (const std::string& each : word.words)
        addOnce(known->words, each);
    }
  }
  return names;
}

}  // namespace bexto
