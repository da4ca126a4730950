#pragma once

#include <cstddef>
#include <optional>
#include <vector>

#include "core/decode/bus.h"
#include "core/format/csv_layout.h"

namespace bexto {

/// What a file does not say of itself, and somebody does.
struct ReadHints {
  double rate = 0;                       ///< samples a second; 0: not said
  std::size_t channels = 0;              ///< of packed samples; 0: not said
  std::optional<CsvLayout> layout = {};  ///< of rows of text; none: as it is recognised
};

/// What a file is to hold besides what the capture says.
struct WriteHints {
  /// Samples a second; 0: as the capture has it, else so that every transition falls on one.
  double rate = 0;
  std::vector<Bus> buses = {};  ///< of which files of frames are made
};

}  // namespace bexto
