#pragma once

#include <cstddef>
#include <optional>

#include "core/format/csv_layout.h"

namespace bexto {

/// What a file does not say of itself, and somebody does.
struct ReadHints {
  double rate = 0;                       ///< samples a second; 0: not said
  std::size_t channels = 0;              ///< of packed samples; 0: not said
  std::optional<CsvLayout> layout = {};  ///< of rows of text; none: as it is recognised
};

/// The rate that is written of samples: every transition falls on one when none is said and there is such a rate.
struct WriteHints {
  double rate = 0;  ///< samples a second; 0: as the capture has it
};

}  // namespace bexto
