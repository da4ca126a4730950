// Tested by tests/core/can_test.cpp.
#include "core/protocol/can/can_frame.h"

#include <algorithm>
#include <array>

#include "core/protocol/can/can_frame_reader.h"

namespace bexto {

CanFrame canFrame(const Frame& frame)
{
  const auto has = [&frame](unsigned flag) { return (frame.flags & flag) != 0; };
  const auto reach = static_cast<can::Reach>(frame.flags >> can::kReachShift & 7U);
  CanFrame f;
  f.extended = has(can::kExtended);
  f.hasExtended = reach > can::Reach::Nothing;
  f.hasId = reach >= can::Reach::Id;
  f.id = frame.key;
  f.hasFormat = reach >= can::Reach::Format;
  f.fd = has(can::kFd);
  f.hasBrs = f.fd && reach >= can::Reach::Brs;
  f.brs = has(can::kBrs);
  f.hasEsi = f.fd && reach >= can::Reach::Esi;
  f.esi = has(can::kEsi);
  f.hasDlc = reach == can::Reach::Dlc;
  f.dlc = frame.flags >> can::kDlcShift & 15U;
  f.hasAck = has(can::kAckRead);
  f.ack = has(can::kAck);
  f.hasCrc = has(can::kCrcRead);
  f.data = frame.payload;
  if (f.hasCrc) {
    const auto crc = f.data.last(can::kCrcBytes);
    f.data = f.data.first(f.data.size() - can::kCrcBytes);
    f.crc = static_cast<std::uint32_t>(crc[0] | crc[1] << 8U | crc[2] << 16U);
  }
  return f;
}

CanHead canHead(FrameKind kind, std::uint16_t flags, std::uint32_t key)
{
  if (kind != kCanData && kind != kCanRemote)
    return {};
  const auto reach = static_cast<can::Reach>(flags >> can::kReachShift & 7U);
  return {reach >= can::Reach::Id, (flags & can::kExtended) != 0, key};
}

std::span<const std::uint8_t> canData(const Frame& frame)
{
  const std::size_t crc = (frame.flags & can::kCrcRead) != 0 ? can::kCrcBytes : 0;
  return frame.payload.first(frame.payload.size() - crc);
}

unsigned canDataLength(unsigned dlc, bool fd)
{
  static constexpr std::array<std::uint8_t, 16> kFd{0, 1, 2, 3, 4, 5, 6, 7, 8, 12, 16, 20, 24, 32, 48, 64};
  return fd ? kFd.at(dlc) : std::min(dlc, 8U);
}

}  // namespace bexto
