#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <type_traits>
#include <variant>
#include <vector>

#include "core/decode/bus.h"
#include "core/decode/frame_index.h"

namespace bexto {

/// A frame and where it stands, which is all that a property may ask. Borrowed for the call. The frame is whole: what a
/// room reads from its flags may stand in its payload.
struct FrameContext {
  const Bus& bus;
  const Frame& frame;
  std::string_view line;  ///< of its stream: BusStream::line
};

/// What a property is for one frame; monostate when the frame has none of it (it was cut, or is of another kind). Bytes
/// point into the frame's payload.
using PropertyValue = std::variant<std::monostate, std::int64_t, bool, std::string, std::span<const std::uint8_t>>;

/// The value when the frame has one.
template <typename T>
PropertyValue valueIf(bool has, const T& value)
{
  if (!has)
    return {};
  if constexpr (std::is_integral_v<T> && !std::is_same_v<T, bool>)
    return std::int64_t{value};
  else
    return value;
}

/// Something that frames of a protocol say of themselves: an address, a length, an acknowledge. Declared once, it is a
/// term of the filter language with its completion and its explanation, what a right click asks for, a column of the
/// Ledger and of lists, and a key of frames in files.
///
/// A plain value, made once by its room; the functions are pure, so any thread may call them. Where two rooms declare
/// the same key, sort, form and choices must be the same: a term asks both.
struct Property {
  /// How its values are written and compared.
  enum class Sort : std::uint8_t {
    Hex,      ///< a number from 0, in hex where people read it
    Decimal,  ///< a number
    Flag,     ///< yes or no
    Word,     ///< one of `choices`
    Text,     ///< any characters
    Bytes     ///< of payload
  };
  /// The value of a frame; in the order of files, properties of a frame stand as their room lists them.
  using Of = PropertyValue (*)(const FrameContext&);
  /// Bits that the value of a frame has: digits follow from it.
  using Bits = int (*)(const FrameContext&);
  /// How the frame says it in a line for eyes; empty: not at all.
  using Said = std::string (*)(const FrameContext&);
  /// For scans: whether the value of frame `i` of the chunk is what stands in its key column. Then scans go through
  /// that column and call `of` never.
  using IsKey = bool (*)(const FrameChunk& chunk, std::size_t i);

  std::string key;    ///< "address": in filters and in files; lower case
  std::string label;  ///< head of its column: "address bits"
  Sort sort = Sort::Decimal;
  Of of = nullptr;
  std::string phrase;                     ///< in an explanation, in front of the value: "identifier"
  std::string example;                    ///< a term: "id:1A0..1AF"
  std::string help;                       ///< what it is, one sentence without a full stop
  Said said = nullptr;                    ///< nullptr: not in lines for eyes
  Bits bits = nullptr;                    ///< of Hex: nullptr when 8
  IsKey isKey = nullptr;                  ///< of Hex and Decimal
  std::vector<std::string> choices = {};  ///< of Word
  bool isName = false;    ///< says whom or what a frame is about: it shares one column with its like in other protocols
  bool hasColumn = true;  ///< of its own; a name and what another column says has none
  bool inTables = true;   ///< a column of frames as CSV; what came later has none, so that those stay as they are
};

/// The value as files have it: numbers in decimal, flags as true and false, bytes as lower-case hex. Empty for none.
std::string fileText(const PropertyValue& value);
/// The value as people read it in a list: by its sort, hex with all its digits and in the bus's format, flags as yes
/// and no, bytes in pairs. Empty for none.
std::string listText(const Property& property, const FrameContext& frame);
/// The value as a term of a filter has it behind the key: "2A", "yes". Empty for none and for what terms cannot ask.
std::string termText(const Property& property, const FrameContext& frame);

/// "a0ff": the bytes as files have them.
std::string hexOf(std::span<const std::uint8_t> bytes);

/// A word of the filter language that stands alone: `read`. `holds` is pure; any thread may call it.
struct PropertyWord {
  std::string word;    ///< lower case
  std::string phrase;  ///< fits behind "lines with": "a read"
  bool (*holds)(const Bus& bus, const Frame& frame) = nullptr;
};

}  // namespace bexto
