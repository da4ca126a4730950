#pragma once

#include <string>

#include "core/base/result.h"
#include "core/decode/bus.h"
#include "core/decode/telegram.h"

namespace bexto {

/// "9F read 3", "write 02 00 10 A5": words out, then zeros while so many words are read, all under one select; in the
/// mode, word length and bit order of the bus, at 1 MHz. Errors: BadArgument with the mend.
Result<Telegram> spiTelegram(const Bus& bus, const std::string& line);

}  // namespace bexto
