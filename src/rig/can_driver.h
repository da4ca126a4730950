#pragma once

#include <cmath>
#include <cstdint>
#include <vector>

#include "rig/wire.h"

namespace bexto::rig {

/// How a CAN network clocks its bits. `bitrate` and `fdBitrate` are what the sender's oscillator really makes.
struct CanPace {
  double bitrate = 500000.0;
  double samplePoint = 0.8;
  double fdBitrate = 2000000.0;
  double fdSamplePoint = 0.75;
  bool iso = true;  ///< CAN FD with stuff count
};

struct CanMessage {
  std::uint32_t id = 0;
  bool extended = false;
  bool remote = false;
  bool fd = false;
  bool brs = false;
  bool esi = false;
  unsigned dlc = 0;
  std::vector<std::uint8_t> data;  ///< as many bytes as the DLC stands for; none for a remote frame
  bool acknowledged = true;
};

struct CanBit {
  bool recessive = true;
  double length = 0.0;  ///< ps
};

/// A frame from SOF to the last bit of EOF, stuff bits included, with the receivers' answer in the ACK slot.
struct CanFrameBits {
  std::vector<CanBit> bits;
  std::size_t data = 0;          ///< first bit of the data
  std::size_t crc = 0;           ///< first bit of the CRC, or of what precedes it in FD
  std::size_t crcDelimiter = 0;  ///< the ACK slot follows it
  std::uint32_t crcValue = 0;    ///< as sent, without stuff count
};

/// Data bytes that a DLC stands for.
unsigned canBytes(unsigned dlc, bool fd);

CanFrameBits canFrame(const CanMessage& message, const CanPace& pace);

/// The wire of a CAN network: everything on it, whoever sends.
class CanDriver {
 public:
  explicit CanDriver(const CanPace& pace) : m_pace(pace), m_line(true) {}

  Picoseconds now() const { return Picoseconds{std::llround(m_now)}; }
  void waitUntil(Picoseconds t) { m_now = std::max(m_now, static_cast<double>(t.count())); }

  /// A frame and its intermission.
  void send(const CanMessage& message);
  /// The bits [0, count) of a frame, or all.
  void drive(const std::vector<CanBit>& bits, std::size_t count = ~std::size_t{0});
  /// `bits` at the nominal rate.
  void hold(bool recessive, double bits);
  /// An error or overload flag of that many dominant bits, and its delimiter.
  void flag(int dominantBits);
  /// The wire goes to the other level for `width` when the next bits reach `at`, whatever is sent.
  void glitch(Picoseconds at, Picoseconds width);

  EdgeTrack track() const { return m_line.track(); }

 private:
  void level(Picoseconds until, bool recessive);

  CanPace m_pace;
  Wire m_line;
  double m_now = 0.0;
  Picoseconds m_glitchBegin = kNever;
  Picoseconds m_glitchEnd = kNever;
};

}  // namespace bexto::rig
