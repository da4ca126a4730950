#pragma once

#include <functional>
#include <stop_token>
#include <vector>

#include "core/base/result.h"
#include "core/decode/transactions.h"
#include "core/query/line_set.h"
#include "core/query/query.h"
#include "core/query/sent_times.h"

namespace bexto {

/// The lines of one stream, to be asked. To ask of frames instead, give transactions of one frame each.
struct ScanSource {
  Bus bus;
  std::string line;                                 ///< BusStream::line
  Transactions transactions;                        ///< shared: a scan may go on while the decode publishes longer ones
  std::shared_ptr<const SentTimes> sent = nullptr;  ///< what was sent from here on it; nullptr: nothing
};

/// Called between blocks, on the scanning thread, with what was found so far; `done` is the share of the lines.
using ScanArrived = std::function<void(const std::vector<LineSet>& sofar, double done)>;

/// The lines that the query asks for, a set for each source. Goes through all sources side by side in the order of
/// time, in blocks of 2048 lines (so what was found is known from the capture's begin on, as it is read); terms that
/// cost more see only lines that passed the cheaper ones. Errors: Cancelled only.
Result<std::vector<LineSet>> scanLines(const Query& query, const std::vector<ScanSource>& sources,
                                       const std::stop_token& stop, const ScanArrived& arrived = {});

/// The same for lists that grow: what was asked once is not asked again. Thread-compatible: one thread at a time.
class GrowingScan {
 public:
  explicit GrowingScan(Query query) : m_query(std::move(query)) {}

  /// The lines that the query asks for in all of `sources`. Requires, from the second time on: each source continues
  /// what it was, its last line at most grew. A run that was stopped makes this of no more use.
  /// Errors: Cancelled only.
  Result<std::vector<LineSet>> run(const std::vector<ScanSource>& sources, const std::stop_token& stop,
                                   const ScanArrived& arrived = {});

 private:
  Query m_query;
  std::vector<LineSet> m_found;
  std::vector<std::uint64_t> m_certain;  ///< of each source: lines that will not be asked again
};

}  // namespace bexto
