#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <vector>

namespace bexto {

/// A Zstandard frame (RFC 8878) with a check sum and its content size: how session files hold what was recorded.
std::vector<std::uint8_t> packFrame(std::span<const std::uint8_t> bytes);
/// The content size that it claims; nullopt: it is none.
std::optional<std::size_t> frameSize(std::span<const std::uint8_t> frame);
/// nullopt unless it is a frame of exactly `size` bytes with a check sum that is right.
std::optional<std::vector<std::uint8_t>> unpackFrame(std::span<const std::uint8_t> frame, std::size_t size);

}  // namespace bexto
