#pragma once

#include <optional>
#include <span>
#include <string>

#include "core/decode/meaning.h"
#include "core/device/sheet.h"

namespace bexto {

/// What a value of a sheet is in a row of bytes. `out` and `in` are what its message, command or register says each
/// way; of a register both are its own bytes.
struct FieldBytes {
  std::span<const std::uint8_t> out;
  std::span<const std::uint8_t> in;

  std::span<const std::uint8_t> of(const BitPlace& place) const { return place.inward ? in : out; }
};

/// The number as it was sent: two's complement and BCD already understood, scale and offset not. Nothing when there are
/// too few bytes, or it is no number. Of a float its bits.
std::optional<std::int64_t> rawOf(const SheetField& field, const FieldBytes& bytes);
/// Scaled. `raw` came from rawOf().
double scaledOf(const SheetField& field, std::int64_t raw);
/// Scaled; nothing when there are too few bytes, or it is no number.
std::optional<double> numberOf(const SheetField& field, const FieldBytes& bytes);
/// Why the number cannot be; empty: it can.
std::string wrongOf(const SheetField& field, const FieldBytes& bytes, std::int64_t raw);
/// The same without the words, for going through millions.
bool isWrong(const SheetField& field, const FieldBytes& bytes, std::int64_t raw);

/// Whether the field is there at all, as other fields decide.
bool isThere(const std::vector<SheetField>& fields, const SheetField& field, const FieldBytes& bytes);

/// All about it; nothing when there are too few bytes.
std::optional<ToldValue> valueOf(const SheetField& field, const FieldBytes& bytes);

/// Those of `fields` that are there.
std::vector<ToldValue> valuesOf(const std::vector<SheetField>& fields, const FieldBytes& bytes);

/// The template with its values put in; a value that is not there leaves "?".
std::string filledIn(const std::string& text, const std::vector<ToldValue>& values);
/// Where nobody wrote a template: "level = 98.108 m, status = ok"; flags that are set by their names.
std::string sentenceOf(const std::vector<ToldValue>& values);

/// Values of a line of text as its template has it: "[{time}] level {level} m". False: it is another line.
bool matchLine(const std::string& pattern, std::string_view line, const std::vector<SheetField>& fields,
               std::vector<ToldValue>* values);

}  // namespace bexto
