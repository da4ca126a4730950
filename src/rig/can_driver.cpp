// Encodes what src/core/protocol/can decodes, and shares nothing with it on purpose: each is the other's test.
#include "rig/can_driver.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace bexto::rig {

namespace {

/// The bits of a frame with stuff bits put in where they are due.
class Stuffer {
 public:
  void put(bool recessive)
  {
    m_plain.push_back(recessive);
    add(recessive, false);
    if (m_run == 5) {
      add(!recessive, true);
      ++m_stuffed;
    }
  }
  void number(std::uint32_t value, int bits)
  {
    for (int i = bits; i-- > 0;)
      put((value >> i & 1U) != 0);
  }
  /// In FD the last stuff bit may fall where the fixed one goes.
  void takeBackLastStuffBit()
  {
    if (!m_isStuff.empty() && m_isStuff.back()) {
      m_wire.pop_back();
      m_isStuff.pop_back();
      --m_stuffed;
    }
  }
  const std::vector<bool>& plain() const { return m_plain; }
  const std::vector<bool>& wire() const { return m_wire; }
  unsigned stuffBits() const { return m_stuffed; }

 private:
  void add(bool recessive, bool stuff)
  {
    m_run = !m_wire.empty() && m_wire.back() == recessive ? m_run + 1 : 1;
    m_wire.push_back(recessive);
    m_isStuff.push_back(stuff);
  }

  std::vector<bool> m_plain;
  std::vector<bool> m_wire;
  std::vector<bool> m_isStuff;
  int m_run = 0;
  unsigned m_stuffed = 0;
};

std::uint32_t crcOf(const std::vector<bool>& bits, std::uint32_t polynomial, int width, std::uint32_t initial)
{
  const std::uint32_t top = 1U << (width - 1);
  std::uint32_t crc = initial;
  for (const bool bit : bits) {
    const bool out = ((crc & top) != 0) != bit;
    crc = (crc << 1U) & ((top << 1U) - 1U);
    if (out)
      crc ^= polynomial;
  }
  return crc;
}

/// Control bits up to the DLC. Returns the number of wire bits up to and with BRS, 0 when there is none.
std::size_t header(Stuffer& out, const CanMessage& m)
{
  out.put(false);
  if (m.extended) {
    out.number(m.id >> 18U, 11);
    out.put(true);  // SRR
    out.put(true);  // IDE
    out.number(m.id & 0x3ffffU, 18);
  } else {
    out.number(m.id, 11);
  }
  out.put(m.remote);  // RTR; RRS in FD
  if (!m.extended)
    out.put(false);  // IDE
  out.put(m.fd);     // FDF; r0 or r1 in classic frames
  std::size_t brs = 0;
  if (m.fd) {
    out.put(false);  // res
    out.put(m.brs);
    // A stuff bit behind BRS is not possible: res is dominant.
    brs = m.brs ? out.wire().size() : 0;
    out.put(m.esi);
  } else if (m.extended) {
    out.put(false);  // r0
  }
  out.number(m.dlc, 4);
  return brs;
}

void fdCheck(std::vector<bool>& wire, const Stuffer& stuffed, const CanMessage& m, bool iso, CanFrameBits& frame)
{
  std::vector<bool> covered = wire;
  std::vector<bool> check;
  if (iso) {
    static constexpr std::array<unsigned, 8> kGray{0, 1, 3, 2, 6, 7, 5, 4};
    const unsigned code = kGray.at(stuffed.stuffBits() % 8);
    bool odd = false;
    for (unsigned i = 3; i-- > 0;) {
      check.push_back((code >> i & 1U) != 0);
      odd = odd != check.back();
    }
    check.push_back(odd);
    covered.insert(covered.end(), check.begin(), check.end());
  }
  const bool isLong = canBytes(m.dlc, true) > 16;
  const int width = isLong ? 21 : 17;
  frame.crcValue = crcOf(covered, isLong ? 0x102899 : 0x1685b, width, iso ? 1U << (width - 1) : 0);
  for (int i = width; i-- > 0;)
    check.push_back((frame.crcValue >> i & 1U) != 0);
  for (std::size_t i = 0; i < check.size(); ++i) {
    if (i % 4 == 0)
      wire.push_back(!wire.back());
    wire.push_back(check[i]);
  }
}

}  // namespace

unsigned canBytes(unsigned dlc, bool fd)
{
  static constexpr std::array<unsigned, 16> kFd{0, 1, 2, 3, 4, 5, 6, 7, 8, 12, 16, 20, 24, 32, 48, 64};
  return fd ? kFd.at(dlc) : std::min(dlc, 8U);
}

CanFrameBits canFrame(const CanMessage& m, const CanPace& pace)
{
  CanFrameBits frame;
  Stuffer stuffed;
  const std::size_t brs = header(stuffed, m);
  frame.data = stuffed.wire().size();
  for (const std::uint8_t byte : m.data)
    stuffed.number(byte, 8);
  std::vector<bool> wire;
  if (m.fd) {
    stuffed.takeBackLastStuffBit();
    wire = stuffed.wire();
    frame.crc = wire.size();
    fdCheck(wire, stuffed, m, pace.iso, frame);
  } else {
    frame.crc = stuffed.wire().size();
    frame.crcValue = crcOf(stuffed.plain(), 0x4599, 15, 0);
    stuffed.number(frame.crcValue, 15);
    wire = stuffed.wire();
  }
  frame.crcDelimiter = wire.size();
  wire.push_back(true);
  wire.push_back(!m.acknowledged);
  wire.insert(wire.end(), 8, true);  // ACK delimiter and EOF
  const double slow = 1e12 / pace.bitrate;
  const double fast = 1e12 / pace.fdBitrate;
  for (std::size_t i = 0; i < wire.size(); ++i) {
    double length = slow;
    if (brs > 0 && i + 1 == brs)
      length = slow * pace.samplePoint + fast * (1.0 - pace.fdSamplePoint);
    else if (brs > 0 && i >= brs && i < frame.crcDelimiter)
      length = fast;
    else if (brs > 0 && i == frame.crcDelimiter)
      length = fast * pace.fdSamplePoint + slow * (1.0 - pace.samplePoint);
    frame.bits.push_back({wire[i], length});
  }
  return frame;
}

void CanDriver::level(Picoseconds until, bool recessive)
{
  const Picoseconds from = now();
  m_line.drive(from, recessive);
  if (m_glitchBegin >= from && m_glitchBegin < until) {
    m_line.drive(m_glitchBegin, !recessive);
    m_line.drive(std::min(m_glitchEnd, until), recessive);
    m_glitchBegin = kNever;
  }
}

void CanDriver::drive(const std::vector<CanBit>& bits, std::size_t count)
{
  for (std::size_t i = 0; i < std::min(count, bits.size()); ++i) {
    level(Picoseconds{std::llround(m_now + bits[i].length)}, bits[i].recessive);
    m_now += bits[i].length;
  }
}

void CanDriver::hold(bool recessive, double bits)
{
  drive({{recessive, bits * 1e12 / m_pace.bitrate}});
}

void CanDriver::send(const CanMessage& message)
{
  drive(canFrame(message, m_pace).bits);
  hold(true, 3);
}

void CanDriver::flag(int dominantBits)
{
  hold(false, dominantBits);
  hold(true, 8);
}

void CanDriver::glitch(Picoseconds at, Picoseconds width)
{
  m_glitchBegin = at;
  m_glitchEnd = at + width;
}

}  // namespace bexto::rig
