// Tested by tests/core/rulebook_test.cpp.
#include "core/check/rulebook_file.h"

#include <fmt/core.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>
#include <map>

#include "core/base/say.h"
#include "core/decode/protocol.h"
#include "core/device/sheet_file.h"

namespace bexto {

namespace fs = std::filesystem;

extern const std::pair<const char*, const char*> kShippedBooks[];

namespace {

/// By the name that the book gives itself, which is that of its file.
const std::map<std::string, std::string>& shipped()
{
  static const std::map<std::string, std::string> kBooks = [] {
    std::map<std::string, std::string> books;
    for (const auto* book = kShippedBooks; book->first != nullptr; ++book)
      books.emplace(fs::path(book->first).stem().string(), book->second);
    return books;
  }();
  return kBooks;
}

}  // namespace

const std::vector<std::string>& shippedBooks()
{
  static const std::vector<std::string> kNames = [] {
    std::vector<std::string> names;
    for (const auto& [name, text] : shipped())
      names.push_back(name);
    return names;
  }();
  return kNames;
}

const std::string* shippedBook(const std::string& name)
{
  const auto found = shipped().find(name);
  return found == shipped().end() ? nullptr : &found->second;
}

Result<SheetText> loadRulebook(const std::string& nameOrFile)
{
  std::error_code ignored;
  if (const std::string* const text = shippedBook(nameOrFile); text != nullptr && !fs::exists(nameOrFile, ignored))
    return SheetText{nameOrFile + ".yaml", *text};
  if (!fs::exists(nameOrFile, ignored) && nameOrFile.find('/') == std::string::npos) {
    const std::string near = nearest(nameOrFile, shippedBooks());
    return fail(ErrorCode::BadArgument, say("there is no rulebook and no file '{}'", nameOrFile), "--rules",
                near.empty() ? say("there are {}", fmt::format("{}", fmt::join(shippedBooks(), ", ")))
                             : say("did you mean {}", near));
  }
  auto text = loadSheet(nameOrFile);
  if (!text)
    return text;
  const RulebookRead read = readRulebook(text->text);
  if (!read.book) {
    const SheetProblem& first = read.problems.front();
    const std::size_t more = read.problems.size() - 1;
    return fail(ErrorCode::Malformed, more == 0 ? first.message : first.message + say(" (and {} more)", more),
                first.line == 0 ? nameOrFile : say("{}, line {}", nameOrFile, first.line), first.mend);
  }
  return text;
}

Result<void> fitsBus(const SheetText& book, const Bus& bus)
{
  const RulebookRead read = readRulebook(book.text);
  if (read.book && read.book->protocol != bus.protocol().name())
    return fail(ErrorCode::BadArgument, say("'{}' is for a bus of {}", read.book->name, read.book->protocol), book.name,
                say("{} is a bus of {}", bus.name, bus.protocol().name()));
  return {};
}

BookOnBus parseBookOnBus(const std::string& text)
{
  const std::size_t at = text.rfind('@');
  if (at == std::string::npos)
    return {text, {}};
  return {text.substr(0, at), text.substr(at + 1)};
}

Result<void> attachBooks(const std::vector<BookOnBus>& books, std::vector<Bus>& buses)
{
  for (const BookOnBus& one : books) {
    auto book = loadRulebook(one.book);
    if (!book)
      return tl::unexpected(book.error());
    bool used = false;
    for (Bus& bus : buses) {
      if (!one.bus.empty() && bus.name != one.bus)
        continue;
      if (auto fits = fitsBus(*book, bus); !fits) {
        if (!one.bus.empty())
          return fits;
        continue;
      }
      attachBook(bus, *book);
      used = true;
    }
    if (used)
      continue;
    std::vector<std::string> names;
    names.reserve(buses.size());
    for (const Bus& bus : buses)
      names.push_back(bus.name);
    if (one.bus.empty())
      return fail(ErrorCode::BadArgument, say("no bus is one that '{}' is for", one.book), "--rules",
                  say("describe one with --bus"));
    const std::string near = nearest(one.bus, names);
    return fail(
        ErrorCode::BadArgument, say("there is no bus '{}'", one.bus), "--rules",
        near.empty() ? say("there are {}", fmt::format("{}", fmt::join(names, ", "))) : say("did you mean {}", near));
  }
  return {};
}

void attachBook(Bus& bus, const SheetText& book)
{
  std::vector<SheetText> books = bus.books.list();
  const auto same = std::find_if(books.begin(), books.end(), [&](const SheetText& b) { return b.name == book.name; });
  if (same == books.end())
    books.push_back(book);
  else
    *same = book;
  bus.books = SheetTexts(std::move(books));
}

void detachBook(Bus& bus, const std::string& name)
{
  std::vector<SheetText> books = bus.books.list();
  std::erase_if(books, [&](const SheetText& b) { return b.name == name; });
  bus.books = SheetTexts(std::move(books));
}

std::vector<FoundBook> findBooks(const std::vector<std::string>& folders)
{
  std::vector<FoundBook> found;
  for (const std::string& folder : folders) {
    for (const std::string& path : yamlFilesIn(folder)) {
      auto text = loadSheet(path);
      if (!text ||
          std::any_of(found.begin(), found.end(), [&](const FoundBook& f) { return f.text.name == text->name; }))
        continue;
      if (auto book = readRulebook(text->text).book)
        found.push_back({path, std::move(*text), std::move(book)});
    }
  }
  return found;
}

std::vector<std::string> rulebookFolders(const std::string& beside)
{
  std::vector<std::string> folders = sheetFolders(beside);
  for (std::string& folder : folders) {
    if (folder.ends_with("/sheets"))
      folder.replace(folder.size() - 6, 6, "rulebooks");
  }
  return folders;
}

}  // namespace bexto
