#pragma once

#include <span>

#include "core/signal/conditioning.h"

namespace bexto {

/// The bit rate, in bit/s, that best explains the pulse lengths of an asynchronous line: the largest unit of which
/// they are whole multiples. Looks at the first 20 000 pulses. 0 when there are fewer than 8.
double estimateBitRate(const ConditionedTrack& track);

/// The customary ones of asynchronous lines, in bit/s, lowest first.
std::span<const double> standardRates();

/// The customary rate within 3 % of `measured`, else `measured` itself.
double nearestStandardRate(double measured);

}  // namespace bexto
