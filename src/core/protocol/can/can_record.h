#pragma once

#include <memory>
#include <span>
#include <string>
#include <vector>

#include "core/decode/decoder.h"
#include "core/protocol/can/can_frame.h"
#include "core/protocol/can/can_settings.h"

namespace bexto {

/// The link type whose records are CAN frames: LINKTYPE_CAN_SOCKETCAN in the registry of link types. A record is the
/// identifier and its flags (4 bytes, the highest first), the number of data bytes, FD flags, a byte of nothing, the
/// DLC where it says more than the number of bytes, and the data. What its bits mean is that of the operating system's
/// own headers, linux/can.h and linux/can/error.h.
inline constexpr LinkType kCanLinkType = 227;

/// Reads records. A controller hands over frames that were whole and right, so nothing is known of stuff bits, CRC and
/// ACK; and, where it was asked to, reports of what went wrong: they are error frames (and overload frames), with what
/// the report says as errors and as canReport(). A record that is cut is an incomplete frame; of one of CAN XL
/// only the identifier is read. `settings` give each
/// frame its least length, without stuff bits, when the bit rate is set; it ends where the next begins at the latest.
std::unique_ptr<Decoder> makeCanRecordDecoder(const CanSettings& settings, const StreamInput& input);

/// Whether the frame is a report that came from a record.
bool isCanReport(const Frame& frame);
/// What a report says, in words: "bus off, transmit errors 248". Empty for a frame that is none.
std::string canReportText(const Frame& frame);
/// Whether one of the report's classes is `error` (CAN_ERR_BUSOFF and its like).
bool hasCanReport(const Frame& frame, std::uint32_t error);

/// Appends the record that says what the frame does. What no receiver would have taken for a frame becomes the report
/// that a controller would make of it. False, and nothing is appended: it was cut by the capture's end, so that nobody
/// knows what it was.
bool appendCanRecord(const Frame& frame, std::vector<std::uint8_t>& bytes);

}  // namespace bexto
