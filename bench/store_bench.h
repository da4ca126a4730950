#pragma once

namespace bexto::bench {

/// Session files, in the folder for temporary files.
void registerStore();

}  // namespace bexto::bench
