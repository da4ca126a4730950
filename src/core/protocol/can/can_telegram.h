#pragma once

#include <string>

#include "core/base/result.h"
#include "core/decode/telegram.h"

namespace bexto {

/// "122 0B 01": an identifier and data, hexadecimal. An identifier of more than three digits, or with the word ext, is
/// an extended one. `remote 8` asks for so many bytes; fd, and brs with it, make it an FD frame. As a record of
/// kCanLinkType. Errors: BadArgument with the mend.
Result<Telegram> canTelegram(const std::string& line);

}  // namespace bexto
