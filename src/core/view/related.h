#pragma once

#include <optional>

#include "core/view/ledger.h"

namespace bexto {

/// In what two transactions are alike.
enum class Alike : std::uint8_t {
  Name,  ///< the same address or identifier; of a UART the same line, of SPI the same first byte
  Kind   ///< the same kind and direction: reads, remote frames, breaks, error frames
};

/// The next transaction of the same source after `number`, or the previous one before it, that is like it.
std::optional<std::uint64_t> alike(const LedgerSource& source, std::uint64_t number, Alike how, bool forward);

/// Where the answer to a request stands, or the request to an answer, where protocols say so: a remote frame and the
/// data frame with its identifier; a UART run and the nearest one on the bus's other line; an I2C exchange that only
/// writes and the next one, of the same address, that reads.
/// `rows` is the whole list. Nothing when there is none, or none is known.
std::optional<LedgerRow> partnerOf(const MergedRows& rows, LedgerRow row);

}  // namespace bexto
