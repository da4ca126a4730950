#pragma once

// The targets that read files: captures and sessions.

#include <cstdint>
#include <span>
#include <string>
#include <vector>

namespace bexto::fuzz {

/// Ends the program with what does not hold.
void require(bool holds, const char* what);

const std::vector<std::string>& fileTargetNames();

/// False: `target` is none of them.
bool runFileTarget(const std::string& target, std::span<const std::uint8_t> input);

}  // namespace bexto::fuzz
