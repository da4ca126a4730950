#pragma once

#include <cstdint>
#include <vector>

#include "core/decode/transactions.h"
#include "core/view/time_axis.h"

namespace bexto {

/// How busy a stream is in each of `columns` equal parts of the whole: 0 for nothing, else 1 to 255 for the share of
/// time that frames take; of frames without a length, how many there are beside the fullest part. Costs a search a
/// column.
std::vector<std::uint8_t> trafficDensity(const FrameIndex& frames, TimeRange whole, int columns);

/// Numbers of all faulty frames, in order. One pass over two columns of the index.
std::vector<std::uint32_t> faultyFrames(const FrameIndex& frames);

/// The same with those in which devices say what cannot be.
std::vector<std::uint32_t> faultyFrames(const Transactions& transactions);

/// The columns in which at least one of the `faulty` frames begins, rising. Costs a search a column, however many
/// there are.
std::vector<int> faultColumns(const FrameIndex& frames, const std::vector<std::uint32_t>& faulty, TimeRange whole,
                              int columns);

/// The first stretch with traffic: from a little before the first transaction on, as long as shows a handful of
/// transactions. The whole when there is none.
TimeRange firstActiveStretch(const std::vector<Transactions>& streams, TimeRange whole);

/// The span that shows `time` with room around it.
TimeRange spanAround(TimeRange time, double room = 0.2);

}  // namespace bexto
