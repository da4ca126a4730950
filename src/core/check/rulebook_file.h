#pragma once

#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/check/rulebook.h"
#include "core/decode/bus.h"

namespace bexto {

/// Names of the rulebooks that come with the program, in their order.
const std::vector<std::string>& shippedBooks();
/// The text of one; nullptr when there is none of that name.
const std::string* shippedBook(const std::string& name);

/// The program's own book of that name, or a file. Errors: Unreadable; Malformed with file, line, what and the mend;
/// BadArgument when there is no such book and no such file, or it is for another kind of bus than `bus`.
Result<SheetText> loadRulebook(const std::string& nameOrFile);
Result<void> fitsBus(const SheetText& book, const Bus& bus);

/// A rulebook and the bus that it goes to: "i2c-fast@sensors"; without a bus it goes to all that it fits.
struct BookOnBus {
  std::string book;
  std::string bus;
};
BookOnBus parseBookOnBus(const std::string& text);
/// Gives the buses their books. Errors: BadArgument (no such bus, or none that it fits), and those of loadRulebook().
Result<void> attachBooks(const std::vector<BookOnBus>& books, std::vector<Bus>& buses);

/// Puts it behind the others of the bus, or in place of the one of that file name.
void attachBook(Bus& bus, const SheetText& book);
void detachBook(Bus& bus, const std::string& name);

/// A rulebook that lies in a folder.
struct FoundBook {
  std::string path;
  SheetText text;
  std::shared_ptr<const Rulebook> book;
};
/// All that can be read there, by name; of two of the same name the first folder's.
std::vector<FoundBook> findBooks(const std::vector<std::string>& folders);

/// Folders where a team's books are looked for: XDG_DATA_HOME and XDG_DATA_DIRS with bexto/rulebooks.
std::vector<std::string> rulebookFolders(const std::string& beside);

}  // namespace bexto
