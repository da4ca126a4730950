#pragma once

#include <string>
#include <vector>

#include "core/decode/property.h"

namespace bexto {

// What the language knows besides its own keys: what the rooms of all protocols declare, each word once. Made at first
// use; constant from then on, for any thread.

/// A key that asks for a property. Rooms that declare the same one agree in sort and choices; phrase and example are
/// those of the first, the help is that of all.
struct PropertyKey {
  std::string key;
  Property::Sort sort = Property::Sort::Decimal;
  std::vector<std::string> choices;
  std::string phrase;
  std::string example;
  std::string help;
  bool isName = false;
};
/// Without those that the language has a meaning of its own for.
const std::vector<PropertyKey>& propertyKeys();

/// A word that stands alone: a room's own, a kind or an error. What it means to a frame, the frame's room says.
struct LoneWord {
  std::string word;
  std::string phrase;  ///< of all rooms that have it: "a 29-bit identifier or a 10-bit address"
};
const std::vector<LoneWord>& loneWords();

const std::vector<std::string>& protocolNames();
/// Of kinds and errors in any protocol, in the order of the rooms.
const std::vector<std::string>& kindWords();
const std::vector<std::string>& allErrorWords();
/// Directions that have a stream of their own.
const std::vector<std::string>& lineNames();

}  // namespace bexto
