#pragma once

#include <string>
#include <vector>

#include "core/decode/anatomy.h"
#include "core/decode/transactions.h"

namespace bexto {

/// What a part of a sentence is, for its colour.
enum class Tone : std::uint8_t { Plain, Address, Payload, Fault };

struct SentencePart {
  Tone tone = Tone::Plain;
  std::string text;
  bool operator==(const SentencePart&) const = default;
};

/// A transaction in words. The parts follow one another without anything between.
struct Sentence {
  std::vector<SentencePart> parts;
  std::string text() const;
};

/// "2A write 10 · read 01 7F 3C". Long payloads end in … with their length after `mostValues` values.
Sentence sentenceOf(const Bus& bus, const Transactions& transactions, std::uint64_t number,
                    std::size_t mostValues = 48);

/// One line of an opened transaction: "data", "7F", "acked".
struct Detail {
  Role role = Role::Data;
  std::string name;
  std::string value;
  std::string meaning;
  bool wrong = false;
  std::uint64_t frame = 0;
  std::size_t field = 0;  ///< its number among the frame's fields of this role, from 0
  bool operator==(const Detail&) const = default;
};

/// How many lines a transaction opens to. Constant time a frame.
std::uint64_t detailCount(const Bus& bus, const Transactions& transactions, std::uint64_t number);
/// Line `index` of those. Requires: index < detailCount().
Detail detailAt(const Bus& bus, const Transactions& transactions, std::uint64_t number, std::uint64_t index);

/// The field that the line speaks of: where on the wires it is. nullptr when `anatomy` has none.
const Field* fieldOf(const Anatomy& anatomy, const Detail& detail);

/// What is wrong with a frame, in a few words for people: "parity is wrong". Empty when nothing is.
std::string faultText(const Bus& bus, const Frame& frame);
/// The same for a transaction: what its frames say, each once.
std::string faultText(const Bus& bus, const Transactions& transactions, std::uint64_t number);

}  // namespace bexto
