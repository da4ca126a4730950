#include "rig/lock_cycle.h"

#include <fmt/core.h>

#include <array>
#include <cmath>

#include "rig/bearing_probes.h"
#include "rig/chance.h"
#include "rig/drive_network.h"
#include "rig/i2c_driver.h"
#include "rig/lamp_network.h"
#include "rig/sonar_line.h"
#include "rig/spi_devices.h"
#include "rig/uart_driver.h"

namespace bexto::rig {

namespace {

using namespace std::chrono_literals;

constexpr std::uint8_t kLevelHead = 0x2a;     // LT-20
constexpr std::uint8_t kPortExpander = 0x21;  // PX-8
constexpr std::uint8_t kClockChip = 0x5d;     // TK-9
constexpr std::uint8_t kMemoryChip = 0x52;    // EM-4

constexpr Picoseconds kEnd = kLockCycle;
constexpr Picoseconds kMinuteEnds = 5500ms;  // where it is no fault
constexpr double kMetresPerCount = 0.003012;

std::uint8_t bcd(int value)
{
  return static_cast<std::uint8_t>(value / 10 * 16 + value % 10);
}

/// The chamber fills from 95.900 m to 98.108 m and rests there.
int levelCounts(Picoseconds t)
{
  constexpr double kLow = 95.900;
  constexpr double kHigh = 98.108;
  const double share = std::min(1.0, toSeconds(t) / 3.1);
  const double eased = share * share * (3.0 - 2.0 * share);
  return static_cast<int>(std::lround((kLow + (kHigh - kLow) * eased) / kMetresPerCount));
}

/// PX-8's outputs: bit 0 paddle up, bit 1 lamp amber, bit 2 lamp green, bit 3 gate drive enabled.
std::uint8_t outputs(Picoseconds t)
{
  if (t < 400ms)
    return 0x02;
  if (t < 3400ms)
    return 0x03;
  return t < 4200ms ? 0x06 : 0x0c;
}

class Sensors {
 public:
  Sensors(std::uint64_t seed, const CyclePlan& plan)
      : m_plan(plan),
        m_minuteEnds(plan.rollover == kNever ? kMinuteEnds : plan.rollover),
        m_chance(seed),
        m_bus(I2cPace{}, m_chance)
  {
  }

  LockCycleFaults run()
  {
    m_bus.waitUntil(1200us);
    Picoseconds next = 1200us;
    for (int round = 0; m_bus.now() < kEnd - 8ms; ++round) {
      m_bus.waitUntil(m_chance.around(next, 20us));
      readLevel();
      if (round % 5 == 0)
        writeOutputs();
      if (round % 5 == 2)
        readInputs();
      if (round % 60 == 7 || rollsOver(next))
        readTime(rollsOver(next));
      if (round % 100 == 31)
        storeRecord(round);
      next += 4ms;
    }
    return m_faults;
  }

  EdgeTrack scl() const { return m_bus.scl(); }
  EdgeTrack sda() const { return m_bus.sda(); }

 private:
  /// Wires move on whole nanoseconds; a little before is early enough to look for what begins there.
  Picoseconds now() const { return std::chrono::floor<std::chrono::nanoseconds>(m_bus.now()); }

  void readLevel()
  {
    const std::array<std::uint8_t, 1> pointer{0x10};
    const Picoseconds begin = now();
    const bool stretched = m_faults.stretchedRead == Picoseconds{0} && begin >= m_plan.stretch;
    const bool stale = !stretched && m_faults.stretchedRead != Picoseconds{0} && m_faults.staleRead == Picoseconds{0};
    m_bus.write(kLevelHead, pointer);
    if (stretched) {
      // The head holds the clock in the middle of its answer. The firmware waits 200 µs, then starts over at once, and
      // takes the answer that it gets for a fresh one.
      m_faults.stretchedRead = begin;
      m_bus.start();
      m_bus.byte(kLevelHead << 1U | 1U, true);
      m_bus.byte(0x01, true);
      m_bus.bits(static_cast<std::uint8_t>(levelCounts(begin) >> 8), 5);
      m_bus.giveUp(264us);
      m_bus.byte(kPortExpander << 1U, true);
      m_bus.byte(0x02, true);
      m_bus.byte(outputs(begin), true);
      m_bus.stop();
      return;
    }
    // Now and then the head is a little late with its first byte; that is allowed.
    if (m_chance.oneIn(9))
      m_bus.stretch(Picoseconds{m_chance.between(2000, 9000) * 1000});
    const int counts = levelCounts(stale ? begin - 300ms : begin);
    if (stale)
      m_faults.staleRead = begin;
    const std::array<std::uint8_t, 3> answer{static_cast<std::uint8_t>(stale ? 0x03 : 0x01),
                                             static_cast<std::uint8_t>(counts >> 8),
                                             static_cast<std::uint8_t>(counts & 0xff)};
    m_bus.read(kLevelHead, answer);
    m_bus.stop();
  }

  void writeOutputs()
  {
    m_bus.waitUntil(m_bus.now() + 40us);
    const std::array<std::uint8_t, 2> bytes{0x02, outputs(m_bus.now())};
    m_bus.write(kPortExpander, bytes);
    m_bus.stop();
  }

  void readInputs()
  {
    m_bus.waitUntil(m_bus.now() + 55us);
    const std::array<std::uint8_t, 1> pointer{0x00};
    const std::array<std::uint8_t, 1> answer{static_cast<std::uint8_t>(m_bus.now() < 4200ms ? 0x50 : 0x58)};
    m_bus.write(kPortExpander, pointer);
    m_bus.read(kPortExpander, answer);
    m_bus.stop();
  }

  bool rollsOver(Picoseconds round) const
  {
    return m_plan.rollover != kNever && round <= m_minuteEnds - 1ms && round + 4ms > m_minuteEnds - 1ms;
  }

  /// Seconds in one transaction, minutes and hours in the next; `across`: the minute ends between them.
  void readTime(bool across)
  {
    if (across)
      m_bus.waitUntil(m_minuteEnds - 120us);
    m_bus.waitUntil(m_bus.now() + 30us);
    const Picoseconds begin = now();
    readClock(0x00, {bcd(secondsAt(begin) % 60)});
    m_bus.waitUntil(begin + 180us);
    const int minutes = secondsAt(m_bus.now()) / 60;
    if (across) {
      m_faults.rolloverSeconds = begin;
      m_faults.rolloverMinutes = now();
    }
    readClock(0x01, {bcd(minutes % 60), bcd(minutes / 60)});
  }

  /// 06:41:54.5 at the capture's start.
  int secondsAt(Picoseconds t) const
  {
    const Picoseconds minuteBegan = m_minuteEnds - 60s;
    return (6 * 60 + 41) * 60 + static_cast<int>((t - minuteBegan) / Picoseconds(1s));
  }

  void readClock(std::uint8_t pointer, const std::vector<std::uint8_t>& answer)
  {
    m_bus.write(kClockChip, std::array<std::uint8_t, 1>{pointer});
    m_bus.read(kClockChip, answer);
    m_bus.stop();
  }

  /// A page of sixteen bytes; then the firmware asks until the memory answers again.
  void storeRecord(int round)
  {
    m_bus.waitUntil(m_bus.now() + 60us);
    const int counts = levelCounts(m_bus.now());
    std::vector<std::uint8_t> page{static_cast<std::uint8_t>(m_page >> 8U), static_cast<std::uint8_t>(m_page & 0xffU)};
    for (int i = 0; i < 16; ++i)
      page.push_back(static_cast<std::uint8_t>((round * 16 + i * 7 + (i < 2 ? counts >> (8 * i) : 0)) & 0xff));
    m_page = static_cast<std::uint16_t>((m_page + 16U) & 0xfffU);
    m_bus.write(kMemoryChip, page);
    m_bus.stop();
    const Picoseconds ready = m_bus.now() + Picoseconds{m_chance.between(700, 1900) * 1000000};
    m_bus.waitUntil(m_bus.now() + 900us);
    do {
      m_bus.waitUntil(m_bus.now() + 450us);
      m_bus.start();
      m_bus.byte(kMemoryChip << 1U, m_bus.now() >= ready);
      m_bus.stop();
    } while (m_bus.now() < ready);
  }

  CyclePlan m_plan;
  Picoseconds m_minuteEnds;
  Chance m_chance;
  I2cDriver m_bus;
  LockCycleFaults m_faults;
  std::uint16_t m_page = 0x0240;
};

EdgeTrack console(std::uint64_t seed, const LockCycleFaults& faults)
{
  Chance chance(seed ^ 0x636f6e736f6c65U);
  UartDriver line(115190.0, chance);
  const auto stamp = [&line] { return fmt::format("[{:6.3f}] ", toSeconds(line.now())); };
  line.waitUntil(1350us);
  line.send(stamp() + "gate controller ready, cycle 1187\r\n");
  struct Event {
    Picoseconds at;
    const char* text;
  };
  const std::array<Event, 7> events{{{400ms, "paddle 2 up, filling"},
                                     {3400ms, "paddle 2 down, chamber level"},
                                     {4200ms, "gate 2 opening"},
                                     {5200ms, "gate 2 position 47.3 %"},
                                     {6100ms, "gate 2 stalled, retry 1"},
                                     {6900ms, "gate 2 opening"},
                                     {8200ms, "gate 2 open"}}};
  std::size_t event = 0;
  bool warned = false;
  for (Picoseconds next = 100ms; next < kEnd - 20ms; next += 100ms) {
    line.waitUntil(chance.around(next, 2ms));
    if (!warned && faults.stretchedRead != Picoseconds{0} && next > faults.stretchedRead + 1ms) {
      warned = true;
      line.send(stamp() + "W sensor 2A timeout, retry\r\n");
    }
    if (event < events.size() && next >= events.at(event).at)
      line.send(stamp() + events.at(event++).text + "\r\n");
    else
      line.send(stamp() + fmt::format("level {:.3f} m\r\n", levelCounts(line.now()) * kMetresPerCount));
  }
  return line.track();
}

}  // namespace

LockCycle simulateLockCycle(std::uint64_t seed, const CyclePlan& plan)
{
  LockCycle cycle;
  Sensors sensors(seed, plan);
  cycle.faults = sensors.run();
  cycle.capture.source = "lock-cycle";
  const SonarLine sonar = simulateSonar(seed, kEnd, plan.sonarHot);
  const SpiDevices spi = simulateSpiDevices(seed, kEnd, plan.flip);
  const DriveNetwork drives = simulateDrives(seed, kEnd, plan.glitch, plan.lateCommand);
  cycle.faults.sonarErrors = sonar.firstErrors;
  cycle.faults.sonarBroken = sonar.brokenMessage;
  cycle.faults.flippedBit = spi.flippedBit;
  cycle.faults.corruptedFrame = drives.corrupted;
  cycle.faults.repeatedFrame = drives.repeated;
  cycle.faults.lateCommand = drives.late;
  const auto add = [&cycle](const char* name, EdgeTrack track) {
    cycle.capture.channels.push_back({name, name, std::move(track)});
  };
  add("SCL", sensors.scl());
  add("SDA", sensors.sda());
  add("CONSOLE_TX", console(seed, cycle.faults));
  add("SONAR_TX", sonar.tx);
  add("SONAR_RX", sonar.rx);
  add("SPI_CLK", spi.clock);
  add("SPI_MOSI", spi.mosi);
  add("SPI_MISO", spi.miso);
  add("LOG_CS", spi.logSelect);
  add("ADC_CS", spi.adcSelect);
  add("CAN_RX", drives.rx);
  add("LAMPS_LIN", simulateLamps(seed, kEnd));
  add("BEARING_DQ", simulateBearings(seed, kEnd));
  cycle.capture.end = kEnd;
  cycle.capture.tick = 1ns;
  cycle.capture.trigger = 6100ms;  // the gate stands still: what the recording was waiting for
  return cycle;
}

std::vector<std::string> lockCycleBuses()
{
  return {"sensors=i2c,scl=SCL,sda=SDA",
          "console=uart,tx=CONSOLE_TX,baud=115200",
          "sonar=uart,rx=SONAR_RX,tx=SONAR_TX,baud=57600,parity=even",
          "log=spi,clk=SPI_CLK,mosi=SPI_MOSI,miso=SPI_MISO,cs=LOG_CS",
          "adc=spi,clk=SPI_CLK,mosi=SPI_MOSI,miso=SPI_MISO,cs=ADC_CS,mode=1",
          "drives=can,rx=CAN_RX,bitrate=500000,fd_bitrate=2000000",
          "lamps=lin,rx=LAMPS_LIN,baud=19200",
          "bearing=onewire,dq=BEARING_DQ"};
}

}  // namespace bexto::rig
