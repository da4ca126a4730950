#pragma once

#include <string>

#include "core/base/result.h"
#include "core/decode/telegram.h"

namespace bexto {

/// "2A write 10 read 3": START, address, what follows; a repeated START between parts, a STOP behind the last. Bytes
/// are hexadecimal, or text in quotes. At 100 kHz, with the times of standard mode and room to spare (UM10204 rev. 7,
/// table 10). Errors: BadArgument with the mend.
Result<Telegram> i2cTelegram(const std::string& line);

}  // namespace bexto
