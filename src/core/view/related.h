#pragma once

#include <optional>

#include "core/view/ledger.h"

namespace bexto {

/// In what two transactions are alike.
enum class Alike : std::uint8_t {
  Name,  ///< the same address or identifier, as the protocol has it (Protocol::Facts::likeness)
  Kind   ///< the same kind and direction: reads, remote frames, breaks, error frames
};

/// The next transaction of the same source after `number`, or the previous one before it, that is like it.
std::optional<std::uint64_t> alike(const LedgerSource& source, std::uint64_t number, Alike how, bool forward);

/// The same among the lines that a filter shows, a part at a time: with nothing alike it may take millions. A value.
class AlikeSearch {
 public:
  /// From the transaction on that is called `number`, be it shown or not.
  AlikeSearch(LedgerSource source, std::uint64_t number, Alike how, bool forward);

  /// Looks at `lines` more. True when the search is over.
  bool run(std::uint64_t lines);
  /// Of a search that is over: nothing when there is none.
  std::optional<std::uint64_t> found() const { return m_found; }

 private:
  LedgerSource m_source;
  Alike m_how;
  bool m_forward;
  std::uint64_t m_wanted;
  std::uint64_t m_next;  ///< of the lines shown: the one to look at next; backward, the one behind it
  std::optional<std::uint64_t> m_found;
};

/// Where the answer to a request stands, or the request to an answer: as a device sheet says; else where the protocol
/// says so (Protocol::sideOf):
/// the nearest of the same name, within 10 000 transactions; or what the bus's other line says nearest to it. `rows` is
/// the whole list. Nothing when there is none, or none is known.
std::optional<LedgerRow> partnerOf(const MergedRows& rows, LedgerRow row);

}  // namespace bexto
