#include "rig/spi_devices.h"

#include <cmath>
#include <vector>

#include "rig/chance.h"
#include "rig/spi_driver.h"

namespace bexto::rig {

namespace {

using namespace std::chrono_literals;

constexpr std::size_t kLog = 0;
constexpr std::size_t kAdc = 1;

constexpr SpiPace kLogPace{
    0, 8, false, Picoseconds{62000}, Picoseconds{210000}, Picoseconds{120000}, Picoseconds{9000}};
constexpr SpiPace kAdcPace{
    1, 8, false, Picoseconds{250000}, Picoseconds{600000}, Picoseconds{300000}, Picoseconds{60000}};

// NV-32's commands.
constexpr std::uint8_t kReadId = 0x9f;
constexpr std::uint8_t kRead = 0x03;
constexpr std::uint8_t kEnable = 0x06;
constexpr std::uint8_t kProgram = 0x02;
constexpr std::uint8_t kStatus = 0x05;

/// Position of gate 1 or 2 in counts: gate 2 opens from 4.2 s, stops half way, and goes on.
std::uint32_t position(int channel, Picoseconds t)
{
  const double s = toSeconds(t);
  double share = 0.0;
  if (channel == 0)
    share = std::min(1.0, std::max(0.0, (s - 4.2) / 2.6));
  if (channel == 1)
    share = s < 5.2 ? std::max(0.0, (s - 4.2) * 0.473) : s < 6.9 ? 0.473 : std::min(1.0, 0.473 + (s - 6.9) * 0.42);
  return channel < 2 ? 0x0800U + static_cast<std::uint32_t>(share * 0xe800)
                     : 0x7ff0U + static_cast<std::uint32_t>(channel);
}

class Devices {
 public:
  Devices(std::uint64_t seed, Picoseconds flip) : m_flip(flip), m_chance(seed ^ 0x737069U), m_bus(2) {}

  SpiDevices run(Picoseconds end)
  {
    readId();
    Picoseconds next = 5ms;
    for (int round = 0; next < end - 8ms; ++round) {
      m_bus.waitUntil(m_chance.around(next, 40us));
      for (int channel = 0; channel < 4; ++channel)
        convert(channel);
      if (round % 20 == 7)
        storeRecord(round);
      if (round % 90 == 40)
        readBack(round);
      next += 20ms;
    }
    m_out.clock = m_bus.clock();
    m_out.mosi = m_bus.mosi();
    m_out.miso = m_bus.miso();
    m_out.logSelect = m_bus.selectOf(kLog);
    m_out.adcSelect = m_bus.selectOf(kAdc);
    return m_out;
  }

 private:
  void logTransfer(const std::vector<std::uint8_t>& out, const std::vector<std::uint8_t>& in = {})
  {
    m_bus.select(kLog, kLogPace);
    for (std::size_t i = 0; i < out.size(); ++i)
      m_bus.word(out[i], i < in.size() ? in[i] : 0xff, kLogPace);
    m_bus.release(kLog, kLogPace);
    m_bus.waitUntil(m_bus.now() + 2us);
  }

  void readId()
  {
    m_bus.waitUntil(1500us);
    logTransfer({kReadId, 0, 0, 0}, {0xff, 0x6e, 0x32, 0x16});
  }

  /// Write enable, a page of sixteen bytes, and the question whether it is done.
  void storeRecord(int round)
  {
    m_bus.waitUntil(m_bus.now() + 90us);
    logTransfer({kEnable});
    std::vector<std::uint8_t> page{kProgram, 0x01, static_cast<std::uint8_t>(round >> 4U),
                                   static_cast<std::uint8_t>(static_cast<unsigned>(round) << 4U & 0xffU)};
    for (int i = 0; i < 16; ++i)
      page.push_back(static_cast<std::uint8_t>((round * 5 + i * 3) & 0xff));
    logTransfer(page);
    const Picoseconds ready = m_bus.now() + Picoseconds{m_chance.between(300, 620) * 1000000};
    for (bool busy = true; busy;) {
      m_bus.waitUntil(m_bus.now() + 100us);
      busy = m_bus.now() < ready;
      logTransfer({kStatus, 0}, {0xff, static_cast<std::uint8_t>(busy ? 0x03 : 0x00)});
    }
  }

  void readBack(int round)
  {
    m_bus.waitUntil(m_bus.now() + 70us);
    std::vector<std::uint8_t> out{kRead, 0x01, 0x00, static_cast<std::uint8_t>(round & 0xf0)};
    std::vector<std::uint8_t> in(4, 0xff);
    for (int i = 0; i < 32; ++i) {
      out.push_back(0);
      in.push_back(static_cast<std::uint8_t>((round * 5 + i * 3) & 0xff));
    }
    logTransfer(out, in);
  }

  void convert(int channel)
  {
    SpiPace pace = kAdcPace;
    const std::uint32_t value = position(channel, m_bus.now());
    // From 400 ms before on, one word in twelve comes within a few nanoseconds of its sampling edge.
    if (m_bus.now() > m_flip - 400ms && m_chance.oneIn(12))
      pace.answerAfter = pace.half - Picoseconds{m_chance.between(3, 9) * 1000};
    // Bit 6 of the low byte comes after its edge: the level before counts, which differs.
    constexpr int kLate = 1;
    const bool flips = channel == 1 && m_out.flippedBit == Picoseconds{0} && m_bus.now() > m_flip &&
                       (value >> 7U & 1U) != (value >> 6U & 1U);
    m_bus.waitUntil(m_bus.now() + 8us);
    m_bus.select(kAdc, pace);
    if (flips)
      m_out.flippedBit = m_bus.now() - pace.lead;
    m_bus.word(0x84U | static_cast<std::uint32_t>(channel) << 4U, 0xff, pace);
    m_bus.word(0, value >> 8U, pace);
    m_bus.word(0, value & 0xffU, pace, flips ? kLate : -1);
    m_bus.release(kAdc, pace);
  }

  Picoseconds m_flip;
  Chance m_chance;
  SpiDriver m_bus;
  SpiDevices m_out;
};

}  // namespace

SpiDevices simulateSpiDevices(std::uint64_t seed, Picoseconds end, Picoseconds flip)
{
  return Devices(seed, flip).run(end);
}

}  // namespace bexto::rig
