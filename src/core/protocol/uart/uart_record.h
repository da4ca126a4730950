#pragma once

#include <memory>
#include <span>
#include <string>
#include <vector>

#include "core/decode/decoder.h"
#include "core/decode/telegram.h"
#include "core/protocol/uart/uart_settings.h"

namespace bexto {

/// The link type whose records are characters as a serial port handed them over: how long one takes on the wire, in ns
/// (4 bytes, the lowest first; 0: not known), then the characters. The record's time is when the last of them had
/// arrived. The number is this program's own: no registered type has times of arrival only.
inline constexpr LinkType kUartLinkType = kFirstOwnLinkType + 1;

/// Reads records. Characters that were handed over together lie one behind the other and end at the record's time;
/// where that would be before the end of the record before, they share what is between. What a port makes of a wrong
/// parity or stop bit it does not say, so none has an error.
std::unique_ptr<Decoder> makeUartRecordDecoder(const StreamInput& input);

/// The rate that the first record tells; 0: none.
double uartBaudOfRecords(const UartSettings& settings, const RecordLog& records);

/// Text in quotes and bytes in hexadecimal, `"level?" 0D 0A`, as a record. Errors: BadArgument with the mend.
Result<Telegram> uartTelegram(const UartSettings& settings, const std::string& line);

}  // namespace bexto
