#pragma once

#include <array>

#include "core/protocol/can/can_crc.h"
#include "core/protocol/can/can_frame.h"

namespace bexto::can {

// Frame::flags of data and remote frames.
inline constexpr unsigned kExtended = 1U << 0U;
inline constexpr unsigned kFd = 1U << 1U;
inline constexpr unsigned kBrs = 1U << 2U;
inline constexpr unsigned kEsi = 1U << 3U;
inline constexpr unsigned kAck = 1U << 4U;
inline constexpr unsigned kReachShift = 5;  ///< 3 bits: a Reach
inline constexpr unsigned kDlcShift = 8;    ///< 4 bits
inline constexpr unsigned kAckRead = 1U << 12U;
inline constexpr unsigned kCrcRead = 1U << 13U;   ///< the payload ends with three bytes of CRC, low one first
inline constexpr unsigned kRecorded = 1U << 14U;  ///< it came as a record: nobody saw its bits
inline constexpr std::size_t kCrcBytes = 3;

/// How much of the header has been read.
enum class Reach : std::uint8_t { Nothing, Ide, Id, Format, Brs, Esi, Dlc };

/// The bits of one CAN frame from SOF to the end of its CRC: what they say, and how the next ones are to be taken. It
/// knows no times. The machine that samples the wire (can_machine.h) derives from it, and appends runs itself.
class FrameReader {
 protected:
  explicit FrameReader(bool iso) : m_iso(iso) {}

  /// For the next frame.
  void clear();
  /// Forgets the dominant run that the row ends with: an error flag began with it, so nothing of it was said.
  void dropRun();

  /// What a bit that m_target counted up to means for those after it.
  enum class Decision : std::uint8_t {
    None,
    FormatIsFd,         ///< the next falling edge, before res, synchronises hard
    ResRead,            ///< and now no longer
    ProtocolException,  ///< res is recessive
    SwitchRate,         ///< BRS is recessive
    ClassicCrcRead,
    FdCrcBegins,
  };
  /// Requires: m_bits.size() == m_target. Sets the next target. What only has to be known in the end, such as the
  /// identifier, waits for that: each stop costs more than several runs.
  Decision decide();
  /// Decides as far as the row goes, up to what the caller has to follow: a switch of the rate, an exception, a CRC.
  /// Else the last of what was decided.
  Decision decideAll();

  // The CRC of FD frames: a fixed stuff bit, then four bits, and so on.
  /// False when it is not the inverse of the bit before.
  bool fixedStuffBit(bool level);
  bool isStuffCountNext() const { return m_iso && m_checkBits < 4; }
  /// A bit of stuff count or CRC. True when it was the last.
  bool checkBit(bool level);
  /// Bits of all that, the fixed stuff bits with them. Requires: the DLC has been read.
  unsigned fdCheckLength() const;
  /// All of it, which begins at bit `from` of m_raw and is `length` bits long. False when a fixed stuff bit is wrong.
  bool checkRow(std::size_t from, unsigned length);

  bool checkFailed() const;
  /// Fills in all but the times. The payload is this object's until the next call.
  void describe(Frame& frame);

  BitRow<11> m_bits;  ///< header, data, classic CRC; without stuff bits
  BitRow<13> m_raw;   ///< the same with stuff bits, for the CRCs of FD
  bool m_keepRaw = false;
  unsigned m_target = 0;  ///< length of m_bits at which something is decided
  unsigned m_run = 0;     ///< equal bits in a row
  bool m_runLevel = true;
  std::size_t m_runFrom = 0;  ///< length of m_bits before that run
  unsigned m_stuffBits = 0;
  bool m_fd = false;
  bool m_ack = false;
  bool m_ackRead = false;
  std::uint16_t m_errors = 0;
  bool m_lastLevel = true;  ///< of an FD frame's CRC: the bit before

  unsigned bitsToBrs() const { return resPosition() + 1; }
  /// Header and DLC are read: m_target is where the stuffed part ends.
  bool isLengthKnown() const { return m_stop == Stop::End; }

 private:
  /// The bit that m_target counts up to.
  enum class Stop : std::uint8_t { Format, Res, Brs, Dlc, End };

  Reach reach();
  unsigned resPosition() const { return m_extended ? 35 : 16; }  ///< bits of an FD frame up to and with res
  /// Bits up to and with the DLC. Requires: the format is known.
  unsigned headerEnd() const { return m_fd ? resPosition() + 6 : m_extended ? 39 : 19; }
  CanCrc crcKind() const { return m_length > 16 ? CanCrc::Crc21 : CanCrc::Crc17; }
  void endClassicCrc();
  void endFdCrc();
  std::span<const std::uint8_t> payload();

  bool m_iso;
  Stop m_stop = Stop::Format;
  bool m_extended = false;
  bool m_remote = false;
  bool m_brs = false;
  bool m_esi = false;
  bool m_crcRead = false;
  unsigned m_dlc = 0;
  unsigned m_length = 0;      ///< data bytes that the DLC announces
  unsigned m_header = 0;      ///< bits of the header
  std::uint64_t m_check = 0;  ///< stuff count and CRC of an FD frame
  unsigned m_checkBits = 0;
  std::uint32_t m_crc = 0;
  std::array<std::uint8_t, 64 + kCrcBytes> m_payload{};
};

}  // namespace bexto::can
