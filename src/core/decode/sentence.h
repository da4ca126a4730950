#pragma once

#include <span>
#include <string>
#include <vector>

#include "core/decode/anatomy.h"
#include "core/decode/transactions.h"

namespace bexto {

/// What a part of a sentence is, for its colour and its type: addresses and payload are data, Device is what a
/// device's sheet makes of them, the rest words.
enum class Tone : std::uint8_t { Plain, Address, Payload, Fault, Device };

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

/// One line of an opened transaction: "data", "7F", "acked".
struct Detail {
  Role role = Role::Data;   ///< for its colour, and for fieldOf()
  std::string name;         ///< "byte 3"
  std::string value;        ///< in the bus's format
  std::string meaning;      ///< may be empty
  bool wrong = false;       ///< it is why the frame has an error
  std::uint64_t frame = 0;  ///< number of the frame in its stream
  std::size_t field = 0;    ///< its number among the frame's fields of this role, from 0
  bool isValue = false;     ///< not a field of the frame but what a device's sheet finds in it
  bool operator==(const Detail&) const = default;
};

/// Puts a sentence together, for the rooms.
class SentenceWriter {
 public:
  /// Parts of one tone that follow one another become one.
  void add(Tone tone, std::string text);
  bool empty() const { return m_sentence.parts.empty(); }
  /// The sentence, led by what is wrong: the end of a long one is cut off where room is short. The writer is empty
  /// then.
  Sentence takeWithFaults(const std::string& faults);

 private:
  Sentence m_sentence;
};

/// "10 7F 3C", ending in … and the number of them when there are more than `most`.
std::string rowOfBytes(std::span<const std::uint8_t> bytes, ValueFormat format, std::size_t most);

/// Collects what is wrong in a few words: each once, in the order in which it was said.
class FaultList {
 public:
  /// Nothing happens for an empty text.
  void add(const std::string& text);
  /// Of `bus`'s frame all but the errors in `saidElsewhere`.
  void addAllBut(FrameErrors saidElsewhere, const Bus& bus, Frame frame);
  bool empty() const { return m_faults.empty(); }
  const std::string& first() const { return m_faults.front(); }
  /// "CRC is wrong, not acknowledged".
  std::string text() const;

 private:
  std::vector<std::string> m_faults;
};

/// "acked; then cut short": what a line means, and what went wrong behind it.
std::string andThen(const std::string& meaning, const std::string& faults);

/// "2A write 10 · read 01 7F 3C". Long payloads end in … with their length after `mostValues` values. The cost is that
/// of what is written, not of the transaction.
Sentence sentenceOf(const Bus& bus, const Transactions& transactions, std::uint64_t number,
                    std::size_t mostValues = 48);

/// How many lines a transaction opens to: values of its devices first, then the fields of its frames. Constant time a
/// frame.
std::uint64_t detailCount(const Bus& bus, const Transactions& transactions, std::uint64_t number);
/// Line `index` of those. Requires: index < detailCount().
Detail detailAt(const Bus& bus, const Transactions& transactions, std::uint64_t number, std::uint64_t index);

/// The field that the line speaks of: where on the wires it is. nullptr when `anatomy` has none; else it points into
/// it.
const Field* fieldOf(const Anatomy& anatomy, const Detail& detail);

/// How a name of a sheet is shown: "paddle up" for "paddle_up".
std::string shownName(std::string name);

/// What is wrong with a frame, in a few words for people: "parity is wrong". Empty when nothing is.
std::string faultText(const Bus& bus, const Frame& frame);
/// The same for a transaction: what its frames say, each once.
std::string faultText(const Bus& bus, const Transactions& transactions, std::uint64_t number);

}  // namespace bexto
