#pragma once

// A device sheet, read: what the bytes of a device mean. docs/device-sheets.md is the reference of the format; the
// words here are those of the keys there.

#include <array>
#include <cstdint>
#include <limits>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "core/base/time.h"
#include "core/device/yaml_tree.h"

namespace bexto {

/// Where the bits of a number are in a row of bytes.
struct BitPlace {
  bool inward = false;      ///< of what the device says, where both sides speak at once
  std::int32_t byte = 0;    ///< the first one; negative: counted from the end, -1 is the last
  std::uint32_t bytes = 1;  ///< 0: all to the end
  std::uint32_t shift = 0;  ///< of the number that those bytes are: its lowest bit
  std::uint32_t bits = 8;   ///< at most 64
  bool big = true;          ///< the first byte is the most significant one
  bool operator==(const BitPlace&) const = default;
};

/// The bytes as one number, shifted and cut; nothing when there are too few. Bits above 64 are lost.
std::optional<std::uint64_t> bitsAt(const BitPlace& place, std::span<const std::uint8_t> bytes);

/// Numbers from `low` to `high`, both included, that have a word, or that must not be.
struct ValueName {
  std::int64_t low = 0;
  std::int64_t high = 0;
  std::string name = {};
};

enum class FieldForm : std::uint8_t { Unsigned, Signed, Bcd, Float, Flag, Text, Bytes };

/// A value in a register, a command or a message.
struct SheetField {
  std::string name;  ///< lower case, digits, _
  int line = 0;      ///< in the sheet
  BitPlace place;
  FieldForm form = FieldForm::Unsigned;
  double scale = 1.0;  ///< value = raw * scale + offset
  double offset = 0.0;
  std::string unit;
  int digits = 0;                                           ///< behind the point
  bool hex = false;                                         ///< shown in hex
  std::vector<ValueName> words;                             ///< rising
  std::vector<ValueName> reserved;                          ///< rising
  double least = -std::numeric_limits<double>::infinity();  ///< scaled
  double most = std::numeric_limits<double>::infinity();
  bool counts = false;  ///< goes up by one from message to message, and around
  // Only there when another field has one of these values.
  std::optional<std::size_t> onlyWith;  ///< its place among the fields
  std::vector<ValueName> onlyWhen;

  /// Every number of it makes sense: nothing has to be looked at to know that it cannot be wrong.
  bool alwaysSound() const
  {
    return form != FieldForm::Bcd && reserved.empty() && least == -std::numeric_limits<double>::infinity() &&
           most == std::numeric_limits<double>::infinity();
  }
  /// The word of a number; nullptr when it has none.
  const std::string* wordOf(std::int64_t raw) const;
};

/// A check over bytes: sum, exclusive or, or a cyclic redundancy check.
struct SheetChecksum {
  enum class Kind : std::uint8_t { Sum, Xor, Crc };
  Kind kind = Kind::Crc;
  unsigned width = 8;            ///< bits: 8 to 32 of a CRC, 8 or 16 of a sum
  std::uint32_t polynomial = 0;  ///< without its highest term
  std::uint32_t initial = 0;
  std::uint32_t finalXor = 0;
  bool reflected = false;  ///< bits of each byte lowest first, and the result as well
  bool negated = false;    ///< of a sum: what makes all together zero
  std::int32_t from = 0;   ///< first byte that it covers; negative: from the end
  std::int32_t until = 0;  ///< first one that it does not; 0: up to where it stands
  std::int32_t at = 0;     ///< its own first byte, mostly negative
  bool big = true;

  std::uint32_t bytes() const { return (width + 7) / 8; }
  /// Over these bytes.
  std::uint32_t of(std::span<const std::uint8_t> bytes) const;
  /// Whether the one in the message is that over its bytes; false too when the message is too short.
  bool holds(std::span<const std::uint8_t> message) const;
};

/// A row of bytes that something has to begin with: those under the mask have to be equal.
struct BytesLike {
  std::int32_t byte = 0;  ///< of the message; negative: from the end
  std::uint8_t value = 0;
  std::uint8_t mask = 0xff;
};

/// A place in a device's space of addresses.
struct SheetRegister {
  std::string name;
  int line = 0;
  std::uint32_t at = 0;  ///< its address
  std::uint32_t bytes = 1;
  bool readable = true;
  bool writable = true;
  std::optional<std::uint64_t> reset;
  std::uint64_t undefined = 0;  ///< bits that no field has and that have to be 0; of the register as one number
  bool big = true;
  std::vector<SheetField> fields;  ///< at least one; places are in the register's own bytes
  std::string text;                ///< the template of its sentence; empty: made of the fields
};

/// What a controller asks of a device by what it says first.
struct SheetCommand {
  std::string name;
  int line = 0;
  std::vector<BytesLike> opcode;        ///< of what the controller says
  std::optional<BitPlace> address;      ///< in the space; of what the controller says
  std::optional<std::uint32_t> reads;   ///< first byte of what comes out of the space, in what the device says
  std::optional<std::uint32_t> writes;  ///< first byte of what goes into it
  std::vector<SheetField> fields;
  std::string text;
};

/// How messages that are too long for a frame are sent in parts: ISO 15765-2.
struct SheetTransport {
  std::string name;
  int line = 0;
  std::uint32_t id = 0;               ///< of its parts; with Talk::kWide
  std::optional<std::uint32_t> flow;  ///< under which the receiver says how to go on
  bool extended = false;              ///< a byte of address stands in front of each part
  std::string from;                   ///< who says it; empty: not said
};

/// A message: a row of characters, or what is said under an identifier.
struct SheetMessage {
  std::string name;
  int line = 0;
  // Under an identifier.
  std::vector<std::uint32_t> ids;     ///< with Talk::kWide
  std::uint32_t idMask = 0xffffffff;  ///< those under it have to be equal
  Picoseconds every{0};               ///< how often it is to come; 0: not said
  std::string from;                   ///< who says it; empty: not said
  std::optional<std::size_t> over;    ///< the transport by which it comes in parts, instead of an identifier
  // A row of characters.
  std::vector<BytesLike> match;
  std::string line_of_text;  ///< a template of a line; empty: it is no text
  std::string answers;       ///< the message that it is the answer to; empty: none
  Picoseconds within{0};     ///< an answer comes no later than that behind its request; 0: not said
  std::vector<SheetField> fields;
  std::optional<SheetChecksum> checksum;
  std::string text;
};

/// What belongs together in a row of characters.
struct SheetFraming {
  std::vector<std::uint8_t> start;  ///< what a message begins with; empty: nothing in particular
  std::vector<std::uint8_t> end;    ///< what it ends with
  std::optional<BitPlace> length;   ///< where its length stands
  std::int64_t plus = 0;            ///< bytes of the message beside that length
  std::uint32_t size = 0;           ///< all are of that many bytes; 0: they are not
  Picoseconds gap{0};               ///< a rest as long as that ends it; 0: none does
  std::uint32_t most = 1024;        ///< longer ones are no messages
  enum class Escape : std::uint8_t {
    None,
    Slip,    ///< RFC 1055
    Cobs,    ///< consistent overhead byte stuffing, ended by 00
    Stuffed  ///< `mark`, then the byte exclusive or `toggle`
  };
  Escape escape = Escape::None;
  std::uint8_t mark = 0;
  std::uint8_t toggle = 0;
};

/// A sentence for several registers that are often accessed together.
struct SheetSentence {
  std::vector<std::size_t> of;  ///< places in Sheet::registers, by address
  std::string text;
};

struct Sheet {
  std::string device;    ///< "LT-20"
  std::string about;     ///< one sentence; may be empty
  std::string protocol;  ///< of the bus that it is for, as a bus spec has it
  bool big = true;       ///< the order of bytes where nothing else is said

  // Addressed.
  std::vector<std::uint32_t> addresses;  ///< with Talk::kWide
  std::uint32_t pointerBytes = 1;        ///< what is written first is where; 0: there is no pointer
  bool pointerBig = true;
  bool increments = true;  ///< the next byte is that of the next address
  std::uint32_t unit = 1;  ///< bytes at each address
  std::uint32_t size = 0;  ///< addresses in the space, after which they begin again; 0: as many as the pointer can say
  std::uint32_t page = 0;  ///< writing goes around inside a page of so many bytes; 0: it does not
  bool isMemory = false;   ///< its space is one of bytes, be there registers or not
  bool packetError = false;  ///< the last byte of a transfer is the packet error code of SMBus 3.2, chapter 5.4
  std::string unanswered;    ///< what it means when the device does not answer; empty: nothing in particular

  // Characters.
  std::optional<SheetFraming> framing;
  std::optional<SheetChecksum> checksum;  ///< of all messages
  std::optional<BitPlace> station;        ///< who speaks or is spoken to, where several share the line
  std::vector<ValueName> stations;

  std::vector<SheetRegister> registers;  ///< by address
  std::vector<SheetCommand> commands;    ///< in the order of the sheet
  std::vector<SheetTransport> transports;
  std::vector<SheetMessage> messages;
  std::vector<SheetSentence> sentences;
};

/// What a sheet says, or why it cannot be read: all that is wrong, by line.
struct SheetRead {
  std::shared_ptr<const Sheet> sheet;  ///< nullptr when there are problems
  std::vector<SheetProblem> problems;
};
SheetRead readSheet(const std::string& text);

/// The JSON Schema (draft 7) that a sheet fits: for editors, and the second look at what readSheet() took.
const std::string& sheetSchema();
/// What in the sheet does not fit the schema; empty: all fits.
std::vector<SheetProblem> checkBySchema(const YamlPart& sheet);

}  // namespace bexto
