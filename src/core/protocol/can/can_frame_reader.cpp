// Tested by tests/core/can_test.cpp and tests/core/properties_test.cpp.
#include "core/protocol/can/can_frame_reader.h"

#include <algorithm>

namespace bexto::can {

namespace {
constexpr unsigned kIde = 13;  // number of the IDE bit
}

void FrameReader::clear()
{
  m_bits.clear();
  m_raw.clear();
  m_keepRaw = true;
  m_run = 0;
  m_runLevel = m_lastLevel = true;
  m_runFrom = 0;
  m_stuffBits = 0;
  m_target = 15;
  m_stop = Stop::Format;
  m_extended = m_remote = m_fd = m_brs = m_esi = false;
  m_ack = m_ackRead = m_crcRead = false;
  m_dlc = m_length = m_checkBits = 0;
  m_check = 0;
  m_errors = 0;
}

void FrameReader::dropRun()
{
  m_bits.truncate(m_runFrom);
  m_target = 15;
  m_stop = Stop::Format;
  m_extended = m_remote = m_fd = m_brs = m_esi = m_crcRead = false;
  m_dlc = m_length = 0;
  m_errors = 0;
  while (m_target <= m_bits.size() && m_stop != Stop::End)
    decide();
}

FrameReader::Decision FrameReader::decide()
{
  const bool last = m_bits.bits(m_target - 1, 1) != 0;
  switch (m_stop) {
    case Stop::Format:
      if (!m_extended && m_bits.bits(kIde, 1) != 0) {
        m_extended = true;
        m_target = 34;
        return Decision::None;
      }
      m_fd = last;
      m_remote = !m_fd && m_bits.bits(m_extended ? 32 : 12, 1) != 0;
      m_keepRaw = m_fd;
      m_stop = m_fd ? Stop::Res : Stop::Dlc;
      m_target = m_fd ? resPosition() : headerEnd();
      return m_fd ? Decision::FormatIsFd : Decision::None;
    case Stop::Res:
      m_stop = Stop::Brs;
      m_target = resPosition() + 1;
      return last ? Decision::ProtocolException : Decision::ResRead;
    case Stop::Brs:
      m_brs = last;
      m_stop = Stop::Dlc;
      m_target = headerEnd();
      return m_brs ? Decision::SwitchRate : Decision::None;
    case Stop::Dlc:
      m_esi = m_fd && m_bits.bits(m_target - 5, 1) != 0;
      m_header = m_target;
      m_dlc = m_bits.bits(m_header - 4, 4);
      m_length = m_remote ? 0 : canDataLength(m_dlc, m_fd);
      m_stop = Stop::End;
      m_target = m_header + 8 * m_length + (m_fd ? 0 : widthOf(CanCrc::Crc15));
      return Decision::None;
    case Stop::End:
      break;
  }
  if (m_fd) {
    m_lastLevel = m_runLevel;
    return Decision::FdCrcBegins;
  }
  endClassicCrc();
  return Decision::ClassicCrcRead;
}

FrameReader::Decision FrameReader::decideAll()
{
  Decision decision = Decision::None;
  while (m_target <= m_bits.size() &&
         (decision == Decision::None || decision == Decision::FormatIsFd || decision == Decision::ResRead))
    decision = decide();
  return decision;
}

/// How much of the header was read, by the number of its bits; fills in what no stop has asked for.
Reach FrameReader::reach()
{
  const std::size_t size = m_bits.size();
  if (size <= kIde)
    return Reach::Nothing;
  if (m_stop == Stop::Format) {
    m_extended = m_bits.bits(kIde, 1) != 0;
    return m_extended && size < 32 ? Reach::Ide : Reach::Id;
  }
  if (m_stop == Stop::End)
    return Reach::Dlc;
  if (!m_fd || size <= resPosition())
    return Reach::Format;
  m_esi = size >= resPosition() + 2 && m_bits.bits(resPosition() + 1, 1) != 0;
  return size >= resPosition() + 2 ? Reach::Esi : Reach::Brs;
}

void FrameReader::endClassicCrc()
{
  const std::size_t covered = m_header + std::size_t{8} * m_length;
  m_crc = m_bits.bits(covered, widthOf(CanCrc::Crc15));
  m_crcRead = true;
  if (crcOf(CanCrcRegister(CanCrc::Crc15), m_bits, covered) != m_crc)
    m_errors |= errorBit(CanError::Crc);
}

bool FrameReader::fixedStuffBit(bool level)
{
  const bool right = level != m_lastLevel;
  m_lastLevel = level;
  return right;
}

bool FrameReader::checkBit(bool level)
{
  m_check = m_check << 1U | (level ? 1U : 0U);
  m_lastLevel = level;
  if (++m_checkBits < (m_iso ? 4 : 0) + widthOf(crcKind()))
    return false;
  endFdCrc();
  return true;
}

unsigned FrameReader::fdCheckLength() const
{
  const unsigned bits = (m_iso ? 4U : 0U) + widthOf(crcKind());
  return bits + (bits + 3) / 4;
}

bool FrameReader::checkRow(std::size_t from, unsigned length)
{
  const std::uint32_t row = m_raw.bits(from, length);
  m_lastLevel = m_raw.bits(from - 1, 1) != 0;
  m_raw.truncate(from);
  // A fixed stuff bit and the four bits behind it, or what is left.
  for (unsigned left = length; left > 0;) {
    const unsigned bits = std::min(left, 5U) - 1;
    left -= bits + 1;
    const std::uint32_t group = row >> left & ((1U << bits) - 1U);
    if (!fixedStuffBit((row >> (left + bits) & 1U) != 0))
      return false;
    m_check = m_check << bits | group;
    m_lastLevel = (group & 1U) != 0;
  }
  m_checkBits = length - (length + 4) / 5;
  endFdCrc();
  return true;
}

void FrameReader::endFdCrc()
{
  const unsigned width = widthOf(crcKind());
  m_crc = static_cast<std::uint32_t>(m_check & ((std::uint64_t{1} << width) - 1));
  m_crcRead = true;
  CanCrcRegister crc(crcKind(), m_iso ? 1U << (width - 1) : 0);
  if (!m_iso) {
    if (crcOf(crc, m_raw, m_raw.size()) != m_crc)
      m_errors |= errorBit(CanError::Crc);
  } else {
    // Stuff bits modulo 8 in Gray code and an even parity bit; the CRC covers them as they were sent.
    const auto sent = static_cast<std::uint32_t>(m_check >> width);
    m_raw.append((sent & 8U) != 0, 1);
    m_raw.append((sent & 4U) != 0, 1);
    m_raw.append((sent & 2U) != 0, 1);
    m_raw.append((sent & 1U) != 0, 1);
    if (crcOf(crc, m_raw, m_raw.size()) != m_crc)
      m_errors |= errorBit(CanError::Crc);
    const std::uint32_t number = m_stuffBits % 8;
    const std::uint32_t gray = number ^ number >> 1U;
    const std::uint32_t parity = (gray ^ gray >> 1U ^ gray >> 2U) & 1U;
    if (sent != (gray << 1U | parity))
      m_errors |= errorBit(CanError::StuffCount);
  }
}

bool FrameReader::checkFailed() const
{
  return (m_errors & (errorBit(CanError::Crc) | errorBit(CanError::StuffCount))) != 0;
}

void FrameReader::describe(Frame& frame)
{
  frame.kind = m_remote ? kCanRemote : kCanData;
  frame.errors = m_errors;
  const Reach read = reach();
  unsigned flags = static_cast<unsigned>(read) << kReachShift | m_dlc << kDlcShift;
  flags |= (m_extended ? kExtended : 0U) | (m_fd ? kFd : 0U) | (m_brs ? kBrs : 0U) | (m_esi ? kEsi : 0U);
  flags |= (m_ack ? kAck : 0U) | (m_ackRead ? kAckRead : 0U) | (m_crcRead ? kCrcRead : 0U);
  frame.flags = static_cast<std::uint16_t>(flags);
  if (read >= Reach::Id)
    frame.key = m_extended ? m_bits.bits(1, 11) << 18U | m_bits.bits(14, 18) : m_bits.bits(1, 11);
  frame.payload = payload();
}

std::span<const std::uint8_t> FrameReader::payload()
{
  std::size_t bytes = 0;
  if (m_stop == Stop::End)
    bytes = std::min<std::size_t>(m_length, (m_bits.size() - m_header) / 8);
  std::size_t i = 0;
  for (; i + 4 <= bytes; i += 4) {
    const std::uint32_t four = m_bits.bits(m_header + 8 * i, 32);
    m_payload[i] = static_cast<std::uint8_t>(four >> 24U);
    m_payload[i + 1] = static_cast<std::uint8_t>(four >> 16U);
    m_payload[i + 2] = static_cast<std::uint8_t>(four >> 8U);
    m_payload[i + 3] = static_cast<std::uint8_t>(four);
  }
  for (; i < bytes; ++i)
    m_payload[i] = static_cast<std::uint8_t>(m_bits.bits(m_header + 8 * i, 8));
  if (m_crcRead) {
    for (unsigned byte = 0; byte < kCrcBytes; ++byte)
      m_payload[bytes++] = static_cast<std::uint8_t>(m_crc >> (8 * byte));
  }
  return std::span(m_payload).first(bytes);
}

}  // namespace bexto::can
