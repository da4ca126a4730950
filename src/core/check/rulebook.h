#pragma once

// A rulebook, read: which limits hold on a bus. docs/rulebooks.md is the reference of the format; the words here are
// those of the keys there.

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/base/time.h"
#include "core/decode/tally.h"
#include "core/device/yaml_tree.h"

namespace bexto {

class Protocol;

/// The limits of something that is measured or counted.
struct LimitRule {
  std::string name;  ///< the measurement's symbol, or an error word
  int line = 0;      ///< in the book; 0: it is the original's
  bool isError = false;
  /// In the measurement's unit; with `inBits`, of a time, in bits at the rate that is set.
  Limits limits;
  bool inBits = false;
  std::string clause;  ///< document and place; of one that differs from the original's, this book's own
  /// In a book that is made from another: what the original has. Equal limits: this is the original's.
  std::optional<Limits> original;
  bool originalInBits = false;

  bool differs() const { return original && (*original != limits || (limits.any() && originalInBits != inBits)); }
};

/// What is expected of a conversation. Filters are texts in the language of docs/filter.md.
struct TalkRule {
  enum class Kind : std::uint8_t {
    Never,   ///< nothing is like `of`
    Every,   ///< the next one like `of` comes `within` the limits behind the one before
    Answer,  ///< what is like `to` comes behind what is like `of` within the limits
    Order,   ///< after what is like `of` comes what is like `to`, before anything like `before`
    Value,   ///< the value is within the limits
    Step     ///< what the value changes by, from one time to the next, is
  };
  Kind kind = Kind::Never;
  std::string name;
  int line = 0;
  std::string of;  ///< of Value and Step which messages count; may be empty there
  std::string to;
  std::string before;
  /// Of Value and Step: a sum of values, each times a factor. It is taken when the first one is said.
  struct Part {
    std::string value;
    double factor = 1.0;
  };
  std::vector<Part> sum;
  Limits limits;  ///< in ps, or in the value's own unit
  std::string clause;
};

struct Rulebook {
  std::string name;               ///< "i2c-fast"
  std::string title;              ///< for people
  std::string protocol;           ///< of the bus that it is for, as a bus spec has it
  std::string source;             ///< document that its own limits are from, unless a clause says another
  std::string base;               ///< the shipped book that it is made from; empty: none
  std::vector<LimitRule> limits;  ///< measurements, then errors, each in the order of its protocol
  std::vector<TalkRule> talk;     ///< in the order of the book

  /// nullptr when the book does not have it.
  const LimitRule* limitOf(const std::string& rule) const;
};

/// What a rulebook says, or why it cannot be read: all that is wrong, by line.
struct RulebookRead {
  std::shared_ptr<const Rulebook> book;  ///< nullptr when there are problems
  std::vector<SheetProblem> problems;
};
RulebookRead readRulebook(const std::string& text);

/// The JSON Schema (draft 7) that a rulebook fits.
const std::string& rulebookSchema();

/// A limit as people write it: "1.3 us", "400 kHz", "2.5 %", "3 bits"; `unit` says which. Errors: what would do.
struct Quantity {
  double value = 0.0;
  bool inBits = false;
};
Result<Quantity> parseQuantity(const std::string& text, MeasureUnit unit);
/// The other way round: "1.3 µs".
std::string quantityText(double value, MeasureUnit unit, int digits = 6);

}  // namespace bexto
