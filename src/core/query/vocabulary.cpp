// Tested by tests/core/query_test.cpp and tests/core/protocol_test.cpp.
#include "core/query/vocabulary.h"

#include <algorithm>
#include <array>

#include "core/decode/protocol.h"
#include "core/query/query_names.h"

namespace bexto {

namespace {

/// Keys that mean the same for every protocol: the language has them (query/term.cpp), whatever rooms call their own.
bool isOwnKey(const std::string& key)
{
  static constexpr std::array<const char*, 2> kOwn{"data", "line"};
  return std::find(kOwn.begin(), kOwn.end(), key) != kOwn.end();
}

/// Adds what a second room says to what the first did, unless it says the same.
void join(std::string& said, const std::string& more, const char* between)
{
  if (said.empty())
    said = more;
  else if (said != more)
    said += between + more;
}

void addWord(std::vector<LoneWord>& words, const std::string& word, const std::string& phrase)
{
  if (phrase.empty())
    return;
  const auto known = std::find_if(words.begin(), words.end(), [&](const LoneWord& w) { return w.word == word; });
  if (known == words.end())
    words.push_back({word, phrase});
  else
    join(known->phrase, phrase, " or ");
}

}  // namespace

const std::vector<PropertyKey>& propertyKeys()
{
  static const std::vector<PropertyKey> kKeys = [] {
    std::vector<PropertyKey> keys;
    for (const Protocol* protocol : protocols()) {
      for (const Property& p : protocol->facts().properties) {
        if (isOwnKey(p.key))
          continue;
        const auto known = std::find_if(keys.begin(), keys.end(), [&](const PropertyKey& k) { return k.key == p.key; });
        if (known == keys.end())
          keys.push_back({p.key, p.sort, p.choices, p.phrase, p.example, p.help, p.isName});
        else
          join(known->help, p.help, "; ");
      }
    }
    return keys;
  }();
  return kKeys;
}

const std::vector<LoneWord>& loneWords()
{
  static const std::vector<LoneWord> kWords = [] {
    std::vector<LoneWord> words;
    for (const Protocol* protocol : protocols()) {
      for (const PropertyWord& word : protocol->facts().words)
        addWord(words, word.word, word.phrase);
    }
    for (const Protocol* protocol : protocols()) {
      for (const KindSpec& kind : protocol->facts().kinds)
        addWord(words, kind.word, kind.phrase);
    }
    for (const Protocol* protocol : protocols()) {
      for (const ErrorSpec& error : protocol->facts().errors)
        addWord(words, error.word, error.phrase);
    }
    return words;
  }();
  return kWords;
}

const std::vector<std::string>& protocolNames()
{
  static const std::vector<std::string> kNames = [] {
    std::vector<std::string> names;
    for (const Protocol* protocol : protocols())
      names.push_back(protocol->name());
    return names;
  }();
  return kNames;
}

const std::vector<std::string>& kindWords()
{
  static const std::vector<std::string> kWords = [] {
    std::vector<std::string> words;
    for (const Protocol* protocol : protocols()) {
      for (const KindSpec& kind : protocol->facts().kinds)
        addOnce(words, kind.word);
    }
    return words;
  }();
  return kWords;
}

const std::vector<std::string>& allErrorWords()
{
  static const std::vector<std::string> kWords = [] {
    std::vector<std::string> words;
    for (const Protocol* protocol : protocols()) {
      for (const ErrorSpec& error : protocol->facts().errors)
        addOnce(words, error.word);
    }
    return words;
  }();
  return kWords;
}

const std::vector<std::string>& lineNames()
{
  static const std::vector<std::string> kNames = [] {
    std::vector<std::string> names;
    for (const Protocol* protocol : protocols()) {
      for (const RoleSpec& role : protocol->facts().roles) {
        if (role.isLine)
          addOnce(names, role.name);
      }
    }
    return names;
  }();
  return kNames;
}

}  // namespace bexto
