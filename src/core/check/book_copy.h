#pragma once

#include <string>

#include "core/decode/bus.h"

namespace bexto {

/// The text of a rulebook to begin with: made from the shipped book `base`, it says each of its limits once more, so
/// that they stand there to be changed; without a base, one of that bus with nothing in it yet. Requires: `base` is
/// empty or one of shippedBooks().
std::string bookToBeginWith(const std::string& base, const Bus& bus);

}  // namespace bexto
