#pragma once

// What the fuzzers throw bytes at. Anything that must hold and does not ends the program, so that a sanitizer, a fuzzer
// and a test see it alike.

#include <cstdint>
#include <span>
#include <string>
#include <vector>

namespace bexto::fuzz {

/// The kinds of files ("vcd", "csv", "packed", "session"), "query", and each protocol.
const std::vector<std::string>& targetNames();

/// Runs one input. Requires: `target` is one of targetNames().
void runTarget(const std::string& target, std::span<const std::uint8_t> input);

}  // namespace bexto::fuzz
