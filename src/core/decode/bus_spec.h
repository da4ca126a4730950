#pragma once

#include <string>
#include <string_view>

#include "core/decode/bus.h"

namespace bexto {

/// Reads `NAME=PROTOCOL,key=value,...`, as docs/command-line.md describes it. A name or value that holds a comma stands
/// in quotes, inside which "" is a quote.
/// Errors: BadArgument with the offending part and what would be right.
Result<Bus> parseBusSpec(std::string_view text);

/// The shortest spec that parses to the same bus (its ValueFormat aside).
std::string busSpecText(const Bus& bus);

/// A channel's name as a spec takes it: in quotes where it needs them.
std::string specName(const std::string& channel);

}  // namespace bexto
