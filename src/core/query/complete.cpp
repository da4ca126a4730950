// Tested by tests/core/query_test.cpp.
#include "core/query/complete.h"

#include <fmt/core.h>

#include <algorithm>
#include <unordered_map>

#include "core/base/number_text.h"
#include "core/base/say.h"
#include "core/decode/protocol.h"
#include "core/query/term.h"
#include "core/query/vocabulary.h"

namespace bexto {

namespace {

bool isWordEnd(char c)
{
  return c == ' ' || c == '\t' || c == '(' || c == ')';
}

bool startsWith(const std::string& text, const std::string& begin)
{
  return text.size() >= begin.size() && std::equal(begin.begin(), begin.end(), text.begin(), [](char a, char b) {
           return std::tolower(static_cast<unsigned char>(a)) == std::tolower(static_cast<unsigned char>(b));
         });
}

/// What a key can be whatever the traffic says.
std::vector<Occurring::Value> fixedValues(const std::string& key)
{
  std::vector<std::string> words;
  if (key == "error")
    words = allErrorWords();
  else if (key == "kind")
    words = kindWords();
  else if (key == "protocol")
    words = protocolNames();
  else if (key == "line")
    words = lineNames();
  for (const PropertyKey& p : propertyKeys()) {
    if (p.key == key)
      words = p.sort == Property::Sort::Flag ? std::vector<std::string>{"yes", "no"} : p.choices;
  }
  std::vector<Occurring::Value> values;
  values.reserve(words.size());
  for (const std::string& word : words)
    values.push_back({word, 0});
  return values;
}

/// Values of one property that stands in the key column, by how often they occur.
void countKeys(const Bus& bus, const Property& property, const FrameIndex& frames, Occurring& all)
{
  constexpr std::size_t kMost = 4096;
  struct Seen {
    std::uint64_t count = 0;
    Frame frame;  ///< one of them: digits depend on it
  };
  std::unordered_map<std::uint32_t, Seen> seen;
  for (const auto& chunk : frames.chunks()) {
    for (std::size_t i = 0; i < chunk->size(); ++i) {
      if (!property.isKey(*chunk, i))
        continue;
      const auto found = seen.find(chunk->key[i]);
      if (found != seen.end())
        ++found->second.count;
      else if (seen.size() < kMost)
        seen.emplace(chunk->key[i], Seen{1, chunk->frame(i)});
    }
  }
  for (const auto& [number, s] : seen)
    all.byKey[property.key].push_back({termText(property, {bus, s.frame, {}}), s.count});
}

}  // namespace

std::string quotedForQuery(const std::string& text)
{
  const bool plain = text.find_first_of(" \t(),\":=<>!") == std::string::npos && text.find("..") == std::string::npos;
  if (plain)
    return text;
  std::string quoted = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\')
      quoted += '\\';
    quoted += c;
  }
  return quoted + "\"";
}

void countOccurring(const Bus& bus, const Transactions& transactions, Occurring& all)
{
  all.byKey["bus"].push_back({bus.name, transactions.size()});
  for (const Property& property : bus.protocol().facts().properties) {
    if (property.isKey != nullptr)
      countKeys(bus, property, transactions.frames(), all);
  }
  // What devices can say, whether or not they do.
  const QueryNames names = namesOf({bus});
  for (const std::string& device : names.devices)
    all.byKey["device"].push_back({device, 0});
  for (const std::string& subject : names.subjects)
    all.byKey["message"].push_back({subject, 0});
  for (const ValueWord& value : names.values) {
    for (const std::string& word : value.words)
      all.byKey[value.name].push_back({word, 0});
    const bool known =
        std::any_of(all.values.begin(), all.values.end(), [&](const ValueWord& v) { return v.name == value.name; });
    if (!known)
      all.values.push_back(value);
  }
}

void sortOccurring(Occurring& all)
{
  for (auto& [key, values] : all.byKey) {
    // Of several buses the same value is one.
    std::sort(values.begin(), values.end(), [](const auto& a, const auto& b) { return a.text < b.text; });
    std::vector<Occurring::Value> merged;
    for (Occurring::Value& value : values) {
      if (!merged.empty() && merged.back().text == value.text)
        merged.back().count += value.count;
      else
        merged.push_back(std::move(value));
    }
    std::stable_sort(merged.begin(), merged.end(), [](const auto& a, const auto& b) { return a.count > b.count; });
    values = std::move(merged);
  }
}

Completions completionsAt(std::string_view text, std::size_t cursor, const Occurring& occurring)
{
  cursor = std::min(cursor, text.size());
  Completions out;
  std::size_t begin = 0;
  bool quoted = false;
  std::size_t value = std::string_view::npos;  // where the value begins, when a key stands before it
  std::size_t keyEnd = 0;
  for (std::size_t i = 0; i < cursor; ++i) {
    if (text[i] == '"' && (i == 0 || text[i - 1] != '\\'))
      quoted = !quoted;
    if (quoted)
      continue;
    if (isWordEnd(text[i])) {
      begin = i + 1;
      value = std::string_view::npos;
    } else if (std::string_view(":=<>!").find(text[i]) != std::string_view::npos) {
      if (value == std::string_view::npos)
        keyEnd = i;
      value = i + 1;
    } else if (text[i] == ',' && value != std::string_view::npos) {
      value = i + 1;
    }
  }
  if (quoted)
    return out;
  std::size_t end = cursor;
  while (end < text.size() && !isWordEnd(text[end]) && text[end] != ',')
    ++end;
  if (value != std::string_view::npos) {
    const std::string key(text.substr(begin, keyEnd - begin));
    const std::string typed(text.substr(value, cursor - value));
    out.replaces = {value, end};
    const auto known = occurring.byKey.find(key);
    const std::vector<Occurring::Value> values = known != occurring.byKey.end() ? known->second : fixedValues(key);
    for (const Occurring::Value& v : values) {
      if (startsWith(v.text, typed))
        out.items.push_back({quotedForQuery(v.text), v.count == 0 ? "" : countText(v.count) + " ×"});
    }
    return out;
  }
  out.replaces = {begin, end};
  const std::string typed(text.substr(begin, cursor - begin));
  for (const TermHelp& key : queryKeys()) {
    if (startsWith(key.key, typed))
      out.items.push_back({key.key + ":", say("{}, like {}", say(key.help), key.example)});
  }
  for (const ValueWord& value : occurring.values) {
    const std::string unit = value.unit.empty() ? value.help : say("{}, in {}", value.help, value.unit);
    if (startsWith(value.name, typed))
      out.items.push_back({value.name + ":", say("a value {}", unit)});
  }
  for (const TermHelp& word : queryWords()) {
    if (startsWith(word.key, typed))
      out.items.push_back({word.key, say("lines with {}", say(word.help))});
  }
  const auto buses = occurring.byKey.find("bus");
  if (buses != occurring.byKey.end()) {
    for (const Occurring::Value& bus : buses->second) {
      if (startsWith(bus.text, typed))
        out.items.push_back({quotedForQuery(bus.text) == bus.text ? bus.text : "bus:" + quotedForQuery(bus.text),
                             say("what this bus says")});
    }
  }
  for (const auto& [word, help] :
       {std::pair("not", say("the next term does not hold")), std::pair("or", say("one side holds")),
        std::pair("from", say("everything from the first line on for which the next term holds"))}) {
    if (startsWith(word, typed))
      out.items.push_back({word, help});
  }
  return out;
}

}  // namespace bexto
