#pragma once

#include <array>
#include <optional>
#include <string>
#include <vector>

#include "core/view/ledger.h"

namespace bexto {

/// What the Ledger can say of a transaction, a column each.
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
  Duration
};
inline constexpr std::size_t kLedgerColumns = 12;

struct LedgerColumnSpec {
  LedgerColumn column;
  const char* key;    ///< in files and settings: "since_previous"
  const char* label;  ///< in the window
  const char* help;   ///< one sentence
  bool atFirst;       ///< shown before anybody chooses
};
const std::array<LedgerColumnSpec, kLedgerColumns>& ledgerColumns();
const LedgerColumnSpec& specOf(LedgerColumn column);
/// Whether the column says anything about a bus of that kind.
bool appliesTo(LedgerColumn column, Protocol protocol);

/// One transaction, and what its cells depend on besides.
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
  std::optional<double> number = {};
  std::optional<Picoseconds> time = {};
};
LedgerCell cellOf(LedgerColumn column, const LedgerCellContext& context, std::size_t mostValues);

/// A term of the filter language that the cell's content answers to: "address:2A"; empty when there is none.
std::string termOf(LedgerColumn column, const LedgerCellContext& context);
/// The same of a line under the row: "byte2:7F".
std::string termOfDetail(const LedgerCellContext& context, std::uint64_t detail);

/// Exact seconds, without the gaps that are for eyes: "0.001208162000".
std::string exactSeconds(Picoseconds t);

}  // namespace bexto
