#pragma once

#include <array>
#include <cstdint>
#include <string_view>

namespace bexto {

/// Colours of wires and probe leads, with the letters that IEC 60757:2021, table 1, has for them.
enum class WireColour : std::uint8_t { Black, Brown, Red, Orange, Yellow, Green, Blue, Violet, Grey, White };

struct WireColourFacts {
  WireColour colour;
  std::string_view letters;  ///< "BK"
  std::string_view name;     ///< "black"; for say()
};

/// In the order of the standard's table, which is that of the resistor code.
inline constexpr std::array<WireColourFacts, 10> kWireColours{{{WireColour::Black, "BK", "black"},
                                                               {WireColour::Brown, "BN", "brown"},
                                                               {WireColour::Red, "RD", "red"},
                                                               {WireColour::Orange, "OG", "orange"},
                                                               {WireColour::Yellow, "YE", "yellow"},
                                                               {WireColour::Green, "GN", "green"},
                                                               {WireColour::Blue, "BU", "blue"},
                                                               {WireColour::Violet, "VT", "violet"},
                                                               {WireColour::Grey, "GY", "grey"},
                                                               {WireColour::White, "WH", "white"}}};

}  // namespace bexto
