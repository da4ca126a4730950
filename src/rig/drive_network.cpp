#include "rig/drive_network.h"

#include <algorithm>
#include <cmath>

#include "rig/can_driver.h"
#include "rig/chance.h"

namespace bexto::rig {

namespace {

using namespace std::chrono_literals;

constexpr std::uint32_t kGate1 = 0x121;
constexpr std::uint32_t kGate2 = 0x122;
constexpr std::uint32_t kPaddle = 0x131;
constexpr std::uint32_t kReport = 0x100;     // added to the command's identifier
constexpr std::uint32_t kHeartbeat = 0x701;  // and the next two

/// A dominant bit of the data that can be flipped without any stuff bit coming, going or moving: there is a change of
/// level on both sides before five bits are equal. Dominant, because the falling edge of a dip into a recessive bit
/// would move the receivers' grid. Returns 0 when there is none.
std::size_t quietBit(const CanFrameBits& frame)
{
  constexpr std::size_t kReach = 6;
  const auto longestRun = [&](std::size_t at, bool flipped) {
    std::size_t longest = 0;
    std::size_t run = 0;
    for (std::size_t i = at - kReach; i <= at + kReach; ++i) {
      const auto level = [&](std::size_t k) { return frame.bits[k].recessive != (flipped && k == at); };
      run = i > at - kReach && level(i) == level(i - 1) ? run + 1 : 1;
      longest = std::max(longest, run);
    }
    return longest;
  };
  for (std::size_t i = frame.data + kReach; i + kReach < frame.crc; ++i) {
    if (!frame.bits[i].recessive && longestRun(i, false) < 4 && longestRun(i, true) < 4)
      return i;
  }
  return 0;
}

class Network {
 public:
  Network(std::uint64_t seed, Picoseconds glitch, Picoseconds late)
      : m_glitchAt(glitch), m_lateAt(late), m_chance(seed ^ 0x6472697665U), m_bus(m_pace)
  {
  }

  DriveNetwork run(Picoseconds end)
  {
    Picoseconds next = 3ms;
    for (int round = 0; next < end - 6ms; ++round) {
      m_bus.waitUntil(m_chance.around(next, 60us));
      exchange(kGate1, round, false);
      exchange(kGate2, round, next >= m_lateAt && m_out.late == Picoseconds{0});
      exchange(kPaddle, round, false);
      if (round % 25 == 12) {
        for (std::uint32_t node = 0; node < 3; ++node)
          heartbeat(kHeartbeat + node);
      }
      next += 20ms;
    }
    m_out.rx = m_bus.track();
    return m_out;
  }

 private:
  Picoseconds now() const { return std::chrono::floor<std::chrono::nanoseconds>(m_bus.now()); }

  static CanMessage fast(std::uint32_t id, std::vector<std::uint8_t> data)
  {
    CanMessage message;
    message.id = id;
    message.fd = message.brs = true;
    message.dlc = static_cast<unsigned>(data.size()) <= 8 ? static_cast<unsigned>(data.size())
                  : data.size() == 12                     ? 9
                                                          : 10;
    message.data = std::move(data);
    return message;
  }

  /// Command, wanted position, wanted speed, a running number.
  CanMessage command(std::uint32_t id, int round)
  {
    const double s = toSeconds(m_bus.now());
    const bool moving = id == kPaddle ? s > 0.4 && s < 3.4 : s > 4.2;
    const auto speed = static_cast<std::uint8_t>(moving ? 0x52 + m_chance.between(0, 5) : 0);
    return fast(id,
                {static_cast<std::uint8_t>(moving ? 0x0b : 0x06), 0x00, static_cast<std::uint8_t>(moving ? 0xe8 : 0x10),
                 0xa5, speed, 0x33, static_cast<std::uint8_t>(id & 0xffU), static_cast<std::uint8_t>(round)});
  }

  CanMessage report(std::uint32_t id, int round)
  {
    std::vector<std::uint8_t> data{0x0b};
    for (int i = 0; i < 9; ++i)
      data.push_back(static_cast<std::uint8_t>(m_chance.between(0x20, 0xe0)));
    data.push_back(static_cast<std::uint8_t>(id & 0xffU));
    data.push_back(static_cast<std::uint8_t>(round));
    return fast(id + kReport, std::move(data));
  }

  void exchange(std::uint32_t id, int round, bool late)
  {
    const CanMessage sent = command(id, round);
    if (late) {
      m_bus.waitUntil(m_bus.now() + 12ms);
      m_out.late = now();
    }
    if (id == kGate2 && now() >= m_glitchAt && m_out.corrupted == Picoseconds{0})
      corrupt(sent);
    m_bus.send(sent);
    m_bus.waitUntil(m_bus.now() + Picoseconds{m_chance.between(180, 420) * 1000000});
    m_bus.send(report(id, round));
    m_bus.waitUntil(m_bus.now() + Picoseconds{m_chance.between(90, 600) * 1000000});
  }

  /// The wire rises for 90 ns just where the bit is sampled. The receivers' error flag follows the ACK
  /// delimiter, the others join in.
  void corrupt(const CanMessage& message)
  {
    const CanFrameBits frame = canFrame(message, m_pace);
    const std::size_t bit = quietBit(frame);
    if (bit == 0)
      return;
    m_out.corrupted = now();
    double at = static_cast<double>(m_bus.now().count());
    for (std::size_t i = 0; i < bit; ++i)
      at += frame.bits[i].length;
    const double sample = at + frame.bits[bit].length * m_pace.fdSamplePoint;
    m_bus.glitch(Picoseconds{static_cast<std::int64_t>(sample)} - 50ns, 90ns);
    m_bus.drive(frame.bits, frame.crcDelimiter + 3);
    m_bus.flag(11);
    m_bus.waitUntil(m_bus.now() + 140us);
    m_out.repeated = now();
  }

  void heartbeat(std::uint32_t id)
  {
    CanMessage message;
    message.id = id;
    message.dlc = 1;
    message.data = {0x05};
    m_bus.send(message);
    m_bus.waitUntil(m_bus.now() + 140us);
  }

  CanPace m_pace;
  Picoseconds m_glitchAt;
  Picoseconds m_lateAt;
  Chance m_chance;
  CanDriver m_bus;
  DriveNetwork m_out;
};

}  // namespace

DriveNetwork simulateDrives(std::uint64_t seed, Picoseconds end, Picoseconds glitch, Picoseconds late)
{
  return Network(seed, glitch, late).run(end);
}

}  // namespace bexto::rig
