#pragma once

#include <cstddef>
#include <cstdint>

#include "core/signal/edge_block.h"

namespace bexto {

/// Whole blocks, one behind the other, back to times: by vectors of what processor the program finds itself on
/// (Highway, dispatched at run time), which is why they are asked for many at a time.
///
/// Block i is written as layouts[i] says in `bytes` and begins with firsts[i] ps; its kBlockEdges times go to `out`
/// from i * kBlockEdges on. Neither need be aligned; nothing behind a block's last delta is read and nothing behind the
/// last time is written. Requires: each of the `blocks` holds kBlockEdges times.
void unpackWholeBlocks(const BlockLayout* layouts, const std::int64_t* firsts, std::size_t blocks,
                       const std::uint8_t* bytes, std::int64_t* out);

}  // namespace bexto
