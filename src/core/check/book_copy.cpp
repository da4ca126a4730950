// Tested by tests/core/rulebook_test.cpp.
#include "core/check/book_copy.h"

#include <fmt/core.h>

#include <cctype>
#include <sstream>

#include "core/base/say.h"
#include "core/check/rulebook_file.h"
#include "core/decode/protocol.h"

namespace bexto {

namespace {

/// A bus's name may be anything, that of a book is a word.
std::string wordOf(const std::string& name)
{
  std::string word;
  for (const char c : name)
    word += std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '-' ? c : '-';
  return word;
}

std::string emptyBook(const std::string& name, const Protocol& protocol)
{
  std::string text = fmt::format("rulebook: our-{0}\ntitle: Our limits of {0}\nprotocol: {1}\n", name, protocol.name());
  if (!protocol.facts().measures.empty()) {
    text += "# What is measured; write limits behind: {min: 10 ns, max: 2 us, clause: where it is from}\n#\n";
    for (const MeasureSpec& measure : protocol.facts().measures)
      text += fmt::format("#   {}: {}\n", measure.symbol, say(measure.meaning));
    text += "#\n";
  }
  return text + "limits: {}\n";
}

/// A line of the original without where it is from: while the limit is the original's, that is said anyhow.
std::string withoutClause(const std::string& line)
{
  const std::size_t at = line.find(", clause:");
  return at == std::string::npos ? line : line.substr(0, at) + "}";
}

}  // namespace

std::string bookToBeginWith(const std::string& base, const Bus& bus)
{
  const std::string name = wordOf(bus.name);
  if (base.empty())
    return emptyBook(name, bus.protocol());
  std::string text = fmt::format("rulebook: our-{0}\ntitle: Our limits of {0}\nbase: {1}\n", name, base);
  std::istringstream lines(*shippedBook(base));
  bool isHead = true;
  for (std::string line; std::getline(lines, line);) {
    isHead = isHead && line != "limits:" && line != "errors:" && line != "talk:";
    if (!isHead)
      text += withoutClause(line) + "\n";
  }
  return text;
}

}  // namespace bexto
