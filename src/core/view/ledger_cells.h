#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/view/ledger.h"

namespace bexto {

/// What the Ledger can say of a transaction, a column each. Behind these stand the properties that rooms declare, a
/// column each: their numbers follow.
enum class LedgerColumn : std::uint8_t {
  Number,
  Time,
  SincePrevious,
  Bus,
  Transaction,
  Address,
  Kind,
  Payload,
  Text,
  Size,
  Faults,
  Duration,
  Answer
};
inline constexpr std::size_t kCommonColumns = 13;
/// Whether it is one of a property: its key is the property's.
constexpr bool isProperty(LedgerColumn column)
{
  return static_cast<std::size_t>(column) >= kCommonColumns;
}

struct LedgerColumnSpec {
  LedgerColumn column;
  std::string key;    ///< in files and settings: "since_previous"
  std::string label;  ///< in the window
  std::string help;   ///< one sentence
  bool atFirst;       ///< shown before anybody chooses
};
/// All of them; a column's number is its place. Constant; they live as long as the program.
const std::vector<LedgerColumnSpec>& ledgerColumns();
const LedgerColumnSpec& specOf(LedgerColumn column);
/// Whether the column says anything about a bus of that protocol.
bool appliesTo(LedgerColumn column, const Protocol& protocol);

/// One transaction, and what its cells depend on besides. Borrows the source.
struct LedgerCellContext {
  const LedgerSource* source = nullptr;
  std::uint64_t number = 0;
  std::uint64_t row = 0;                   ///< in the list
  std::optional<Picoseconds> before = {};  ///< begin of the row before
  Picoseconds zero{0};                     ///< what times count from
};

/// A cell for files: its text, and its number where it is one.
struct LedgerCell {
  std::string text;
  std::optional<double> number = {};     ///< of a time, its seconds
  std::optional<Picoseconds> time = {};  ///< of a time
};
/// `mostValues`: longer payloads end in ….
LedgerCell cellOf(LedgerColumn column, const LedgerCellContext& context, std::size_t mostValues);

/// A term of the filter language that the cell's content answers to: "address:2A"; empty when there is none.
std::string termOf(LedgerColumn column, const LedgerCellContext& context);
/// The same of a line under the row: "byte2:7F".
std::string termOfDetail(const LedgerCellContext& context, std::uint64_t detail);

/// Exact seconds, without the gaps that are for eyes: "0.001208162000".
std::string exactSeconds(Picoseconds t);

}  // namespace bexto
