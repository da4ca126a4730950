#pragma once

#include <vector>

#include "core/check/talk_check.h"

namespace bexto {

/// What the sheets of a bus's devices exclude, as rules under each device's name: "checksum" and "answer" where its
/// sheet has them, and "sheet" for everything else. In the order of the sheets.
std::vector<TalkResult> checkSheets(const CheckInput& input);

}  // namespace bexto
