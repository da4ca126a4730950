#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <vector>

namespace bexto::fuzz {

/// "sheet": any text as a device sheet. "devices": any frames with sheets that use every way there is.
std::vector<std::string> deviceTargetNames();
/// False: the target is none of these.
bool runDeviceTarget(const std::string& target, std::span<const std::uint8_t> input);

}  // namespace bexto::fuzz
