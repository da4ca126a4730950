#pragma once

#include <functional>
#include <stop_token>
#include <vector>

#include "core/base/result.h"
#include "core/decode/transactions.h"
#include "core/query/line_set.h"
#include "core/query/query.h"

namespace bexto {

/// The lines of one stream, to be asked. To ask of frames instead, give transactions of one frame each.
struct ScanSource {
  Bus bus;
  std::string line;           ///< BusStream::line
  Transactions transactions;  ///< shared: a scan may go on while the decode publishes longer ones
};

/// Called between blocks, on the scanning thread, with what was found so far; `done` is the share of the lines.
using ScanArrived = std::function<void(const std::vector<LineSet>& sofar, double done)>;

/// The lines that the query asks for, a set for each source. Goes through all sources side by side in the order of
/// time, in blocks of 2048 lines (so what was found is known from the capture's begin on, as it is read); terms that
/// cost more see only lines that passed the cheaper ones. Errors: Cancelled only.
Result<std::vector<LineSet>> scanLines(const Query& query, const std::vector<ScanSource>& sources,
                                       const std::stop_token& stop, const ScanArrived& arrived = {});

}  // namespace bexto
