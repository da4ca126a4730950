#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "core/signal/capture.h"

namespace bexto {

/// How busy a wire is in each of `columns` equal parts of the whole: 0 where it rests, else 1 to 255, which is what a
/// column with `most` transitions has; in steps of doubling, so that a slow wire beside a fast one still shows. Costs a
/// search a column.
std::vector<std::uint8_t> wireDensity(const EdgeTrack& track, TimeRange whole, int columns, std::uint64_t most);

/// The most transitions that any of `columns` equal parts of the whole has. Costs a search a column.
std::uint64_t mostTransitions(const EdgeTrack& track, TimeRange whole, int columns);

/// Numbers of the channels that move, of more than `most` those with the most transitions; rising. A wire with several
/// names counts once, by the first of them.
std::vector<std::size_t> busiestWires(const std::vector<Channel>& channels, std::size_t most);

/// The first stretch in which wires do something, as long as its edges can be told apart on `pixels`: a handful of
/// pixels lie between most neighbours. Wires that are a thousand times slower than others do not count as activity, nor
/// does an edge that stands alone before a long rest, unless there is nothing else. The whole when nothing ever moves.
/// Looks at the begin of each wire only.
TimeRange firstActiveStretch(std::span<const Channel> channels, TimeRange whole, int pixels);

}  // namespace bexto
