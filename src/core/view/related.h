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

/// Where the answer to a request stands, or the request to an answer, where the protocol says so (Protocol::sideOf):
/// the nearest of the same name, within 10 000 transactions; or what the bus's other line says nearest to it. `rows` is
/// the whole list. Nothing when there is none, or none is known.
std::optional<LedgerRow> partnerOf(const MergedRows& rows, LedgerRow row);

}  // namespace bexto
