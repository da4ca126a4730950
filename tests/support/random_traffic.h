#pragma once

// Seeded random traffic for tests of properties: honest, with what was sent beside it, or wires that make no sense.

#include <cstdlib>

#include "core/decode/bus_spec.h"
#include "rig/can_driver.h"
#include "rig/i2c_driver.h"
#include "rig/lin_driver.h"
#include "rig/onewire_driver.h"
#include "rig/spi_driver.h"
#include "support/rooms.h"
#include "support/waves.h"

namespace bexto::test {

using namespace std::chrono_literals;

/// Times as many cases: the long runs of `./dev fuzz` set it. Under sanitizers, which find what they find in a few, a
/// fifth of them.
inline int cases(int usual)
{
#ifdef __SANITIZE_ADDRESS__
  usual /= 5;
#endif
  const char* const times = std::getenv("BEXTO_PROPERTY_TIMES");
  return usual * (times == nullptr ? 1 : std::max(1, std::atoi(times)));
}

struct RandomTraffic {
  Bus bus;
  StreamInput input;
};

inline std::uint32_t masked(std::uint64_t random, int bits)
{
  return static_cast<std::uint32_t>(random & ((std::uint64_t{1} << static_cast<unsigned>(bits)) - 1U));
}

// ---- UART

struct UartCase : RandomTraffic {
  std::vector<std::uint32_t> values;
};

inline UartCase uartCase(std::uint64_t seed)
{
  std::mt19937_64 random(seed);
  UartCase c;
  UartSettings uart;
  uart.baud = 300.0 + static_cast<double>(random() % 4000000);
  uart.bits = 5 + static_cast<int>(random() % 5);
  uart.parity = static_cast<UartParity>(random() % 5);
  uart.halfStopBits = 2 + static_cast<int>(random() % 3);
  uart.order = static_cast<BitOrder>(random() % 2);
  uart.invert = random() % 2 == 0;
  c.bus = Bus("u", uartProtocol());
  c.bus.settings.edit<UartSettings>() = uart;
  c.bus.setChannel("rx", "rx");
  LineWriter line(!uart.invert);
  // What an honest receiver stands: 2 % off.
  const double bit = 1e12 / uart.baud * (1.0 + (static_cast<double>(random() % 4000) - 2000.0) / 1e5);
  line.hold(!uart.invert, 3.0 * bit);
  const std::size_t count = 1 + random() % 30;
  for (std::size_t i = 0; i < count; ++i) {
    c.values.push_back(masked(random(), uart.bits));
    sendCharacter(line, uart, c.values.back(), bit);
    if (random() % 3 == 0)
      line.hold(!uart.invert, bit * static_cast<double>(random() % 500) / 100.0);
  }
  line.hold(!uart.invert, 20.0 * bit);
  c.input = {{line.track()}, line.now(), true};
  return c;
}

// ---- I2C

struct I2cCase : RandomTraffic {
  struct Transfer {
    std::uint8_t address = 0;
    bool read = false;
    std::vector<std::uint8_t> data;
  };
  std::vector<Transfer> transfers;
};

inline I2cCase i2cCase(std::uint64_t seed)
{
  std::mt19937_64 random(seed);
  rig::Chance chance(seed);
  rig::I2cPace pace;
  const auto scale = static_cast<std::int64_t>(1 + random() % 20);
  pace.low *= scale;
  pace.high *= scale;
  pace.dataAfterFall *= scale;
  if (random() % 4 == 0) {
    // Data that moves with the clock's fall, to the picosecond.
    pace.dataAfterFall = Picoseconds{0};
    pace.jitter = Picoseconds{0};
  }
  rig::I2cDriver driver(pace, chance);
  I2cCase c;
  c.bus = *parseBusSpec("i=i2c,scl=scl,sda=sda");
  driver.waitUntil(5us);
  const std::size_t count = 1 + random() % 8;
  for (std::size_t i = 0; i < count; ++i) {
    // 78 to 7B begin addresses of ten bits.
    I2cCase::Transfer t{static_cast<std::uint8_t>(random() % 0x78), random() % 2 == 0, {}};
    for (std::size_t n = random() % 12; n > 0; --n)
      t.data.push_back(static_cast<std::uint8_t>(random()));
    if (random() % 5 == 0)
      driver.stretch(Picoseconds{static_cast<std::int64_t>(random() % 200000000)});
    if (t.read)
      driver.read(t.address, t.data);
    else
      driver.write(t.address, t.data);
    if (random() % 2 == 0 || i + 1 == count)
      driver.stop();
    c.transfers.push_back(std::move(t));
  }
  c.input = {{driver.scl(), driver.sda()}, driver.now() + 10us, true};
  return c;
}

// ---- SPI

struct SpiCase : RandomTraffic {
  std::vector<std::vector<std::array<std::uint32_t, 2>>> transfers;
};

inline SpiCase spiCase(std::uint64_t seed)
{
  std::mt19937_64 random(seed);
  rig::SpiPace pace;
  pace.mode = static_cast<int>(random() % 4);
  pace.bits = 1 + static_cast<int>(random() % 32);
  pace.lsbFirst = random() % 2 == 0;
  pace.half = Picoseconds{static_cast<std::int64_t>(20 + random() % 500) * 1000};
  pace.answerAfter = Picoseconds{static_cast<std::int64_t>(random() % 10) * 1000};
  pace.between = Picoseconds{static_cast<std::int64_t>(random() % 300) * 1000};
  const bool gap = random() % 4 == 0;
  rig::SpiDriver driver(1);
  SpiCase c;
  c.bus = *parseBusSpec(std::string("s=spi,clk=c,mosi=o,miso=i,") + (gap ? "gap=100us" : "cs=s") +
                        ",mode=" + std::to_string(pace.mode) + ",bits=" + std::to_string(pace.bits) +
                        (pace.lsbFirst ? ",order=lsb" : ""));
  // Where gaps part transfers, the clock must not move between them.
  driver.select(0, pace);
  driver.release(0, pace);
  driver.waitUntil(driver.now() + 200us);
  const std::size_t count = 1 + random() % 6;
  for (std::size_t i = 0; i < count; ++i) {
    c.transfers.emplace_back();
    driver.select(0, pace);
    for (std::size_t n = (gap ? 1 : 0) + random() % 9; n > 0; --n) {
      c.transfers.back().push_back({masked(random(), pace.bits), masked(random(), pace.bits)});
      driver.word(c.transfers.back().back()[0], c.transfers.back().back()[1], pace);
    }
    driver.release(0, pace);
    driver.waitUntil(driver.now() + (gap ? 200us : 1us));
  }
  c.input = {{driver.clock(), driver.mosi(), driver.miso()}, driver.now() + 200us, true};
  if (!gap)
    c.input.tracks.push_back(driver.selectOf(0));
  return c;
}

// ---- CAN

struct CanCase : RandomTraffic {
  std::vector<rig::CanMessage> messages;
  std::vector<std::uint32_t> crcs;
  rig::CanPace pace;
};

inline CanCase canCase(std::uint64_t seed)
{
  std::mt19937_64 random(seed);
  CanCase c;
  const double off = 1.0 + (static_cast<double>(random() % 1000) - 500.0) / 1e5;  // half a percent either way
  CanSettings can;
  static constexpr std::array<double, 6> kRates{50000, 100000, 125000, 250000, 500000, 1000000};
  can.bitrate = kRates.at(random() % kRates.size());
  can.fdBitrate = can.bitrate * static_cast<double>(1 + random() % 8);
  can.samplePoint = 0.7 + static_cast<double>(random() % 180) / 1000.0;
  can.fdSamplePoint = 0.65 + static_cast<double>(random() % 150) / 1000.0;
  can.iso = random() % 4 != 0;
  can.invert = random() % 5 == 0;
  c.bus = Bus("c", canProtocol());
  c.bus.settings.edit<CanSettings>() = can;
  c.bus.setChannel("rx", "rx");
  c.pace = {can.bitrate * off, can.samplePoint, can.fdBitrate * off, can.fdSamplePoint, can.iso};
  rig::CanDriver wire(c.pace);
  wire.hold(true, 12.5);
  const std::size_t count = 1 + random() % 6;
  for (std::size_t i = 0; i < count; ++i) {
    rig::CanMessage m;
    m.extended = random() % 2 == 0;
    m.id = masked(random(), m.extended ? 29 : 11);
    m.fd = random() % 2 == 0;
    m.brs = m.fd && random() % 2 == 0;
    m.esi = m.fd && random() % 4 == 0;
    m.remote = !m.fd && random() % 6 == 0;
    m.dlc = static_cast<unsigned>(random() % 16);
    m.acknowledged = random() % 8 != 0;
    // Runs of equal bits are what stuffing is about.
    const std::uint64_t kind = random() % 4;
    for (unsigned n = m.remote ? 0 : rig::canBytes(m.dlc, m.fd); n > 0; --n)
      m.data.push_back(kind == 0   ? std::uint8_t{0}
                       : kind == 1 ? std::uint8_t{0xff}
                       : kind == 2 ? static_cast<std::uint8_t>(random() % 2 == 0 ? 0xf0 : 0x07)
                                   : static_cast<std::uint8_t>(random()));
    c.crcs.push_back(rig::canFrame(m, c.pace).crcValue);
    wire.send(m);
    if (random() % 2 == 0)
      wire.hold(true, static_cast<double>(random() % 3000) / 100.0);
    c.messages.push_back(std::move(m));
  }
  wire.hold(true, 13);
  ConditionedTrack track = wire.track();
  track.how.invert = can.invert;
  c.input = {{track}, wire.now(), true};
  return c;
}

// ---- LIN

struct LinCase : RandomTraffic {
  struct Sent {
    std::uint8_t id = 0;
    std::vector<std::uint8_t> data;
    bool classic = false;
  };
  std::vector<Sent> frames;
};

inline LinCase linCase(std::uint64_t seed)
{
  std::mt19937_64 random(seed);
  LinCase c;
  LinSettings lin;
  lin.baud = 1000.0 + static_cast<double>(random() % 19000);
  c.bus = Bus("l", linProtocol());
  c.bus.settings.edit<LinSettings>() = lin;
  c.bus.setChannel("rx", "rx");
  const auto percent = [&random](int most) {
    return 1.0 + (static_cast<double>(random() % 2000) - 1000.0) / 1e5 * most;
  };
  rig::LinPace pace;
  pace.commander = lin.baud * percent(12);
  pace.responder = pace.commander * percent(2);
  pace.breakBits = 13.0 + static_cast<double>(random() % 20);
  pace.delimiterBits = 1.0 + static_cast<double>(random() % 10);
  pace.responseSpace = static_cast<double>(random() % 30);
  pace.byteSpace = static_cast<double>(random() % 8);
  rig::LinDriver driver(pace);
  driver.rest(20);
  for (std::size_t count = 1 + random() % 8; count > 0; --count) {
    LinCase::Sent sent{static_cast<std::uint8_t>(random() % 60), {}, random() % 2 == 0};
    for (std::size_t n = 1 + random() % 8; n > 0; --n)
      sent.data.push_back(static_cast<std::uint8_t>(random() % 4 == 0 ? 0 : random()));
    driver.frame(sent.id, sent.data, sent.classic ? rig::LinSum::Classic : rig::LinSum::Enhanced);
    driver.rest(static_cast<double>(random() % 200));
    c.frames.push_back(std::move(sent));
  }
  driver.rest(60);
  c.input = {{driver.track()}, driver.now(), true};
  return c;
}

// ---- 1-Wire

struct OneWireCase : RandomTraffic {
  struct Sent {
    std::uint8_t command = 0;
    std::vector<std::uint8_t> rom;
    std::vector<std::uint8_t> data;
    bool isAnswered = true;
  };
  std::vector<Sent> transactions;
};

inline OneWireCase oneWireCase(std::uint64_t seed)
{
  std::mt19937_64 random(seed);
  OneWireCase c;
  c.bus = Bus("w", oneWireProtocol());
  c.bus.setChannel("dq", "dq");
  std::vector<rig::OneWireRom> devices;
  for (std::size_t n = 1 + random() % 4; n > 0; --n)
    devices.push_back(rig::oneWireRom(static_cast<std::uint8_t>(1 + random() % 255), random() % 1000));
  rig::OneWireDriver driver(rig::standardOneWire());
  driver.waitUntil(1ms);
  bool isFast = false;
  for (std::size_t count = 1 + random() % 6; count > 0; --count) {
    // A long reset ends overdrive.
    if (isFast && random() % 2 == 0) {
      isFast = false;
      driver.setPace(rig::standardOneWire());
    }
    constexpr std::array<std::uint8_t, 9> kCommands{0x33, 0x3c, 0x55, 0x69, 0xa5, 0xcc, 0xec, 0xf0, 0x12};
    OneWireCase::Sent sent{kCommands.at(random() % kCommands.size()), {}, {}, random() % 8 != 0};
    const rig::OneWireRom& chosen = devices.at(random() % devices.size());
    driver.reset(sent.isAnswered);
    driver.byte(sent.command);
    if (sent.command == 0x3c || sent.command == 0x69) {
      isFast = true;
      driver.setPace(rig::overdriveOneWire());
    }
    const bool isSearch = sent.command == 0xec || sent.command == 0xf0;
    if (isSearch)
      driver.search(devices, chosen);
    else if (sent.command == 0x33 || sent.command == 0x55 || sent.command == 0x69)
      driver.bytes(chosen);
    if (isSearch || sent.command == 0x33 || sent.command == 0x55 || sent.command == 0x69)
      sent.rom.assign(chosen.begin(), chosen.end());
    for (std::size_t n = random() % 6; n > 0; --n)
      sent.data.push_back(static_cast<std::uint8_t>(random()));
    driver.bytes(sent.data);
    driver.waitUntil(driver.now() + Picoseconds{static_cast<std::int64_t>(random() % 4'000'000'000)});
    c.transactions.push_back(std::move(sent));
  }
  driver.waitUntil(driver.now() + 3ms);
  c.input = {{driver.track()}, driver.now(), true};
  return c;
}

inline RandomTraffic trafficOf(const std::string& protocol, std::uint64_t seed)
{
  if (protocol == "uart")
    return uartCase(seed);
  if (protocol == "i2c")
    return i2cCase(seed);
  if (protocol == "spi")
    return spiCase(seed);
  if (protocol == "onewire")
    return oneWireCase(seed);
  return protocol == "lin" ? RandomTraffic(linCase(seed)) : RandomTraffic(canCase(seed));
}

/// A wire that does anything: long and short pulses, bursts and pauses, around `unit`.
inline EdgeTrack noise(std::mt19937_64& random, std::int64_t unit, std::size_t edges)
{
  std::vector<std::int64_t> times;
  std::int64_t now = 0;
  for (std::size_t i = 0; i < edges; ++i) {
    const std::uint64_t kind = random() % 16;
    const auto share = static_cast<std::int64_t>(random() % 1000);
    now += 1 + (kind == 0 ? unit * share / 20 : kind < 4 ? unit * share / 8000 : unit * (1 + share % 6) + share - 500);
    times.push_back(now);
  }
  return trackOf(random() % 2 == 0, times);
}

/// The same settings as real traffic has, on wires that make no sense.
inline RandomTraffic nonsense(const std::string& protocol, std::uint64_t seed)
{
  std::mt19937_64 random(seed * 77 + 1);
  RandomTraffic t = trafficOf(protocol, seed);
  const std::size_t edges = 1 + random() % 400;
  std::int64_t unit = 1000000;
  if (const double rate = t.bus.protocol().setRate(t.bus); rate > 0.0)
    unit = static_cast<std::int64_t>(1e12 / rate);
  else if (protocol == "onewire")
    unit = 30'000'000;  // slots, and a reset now and then
  t.input.until = Picoseconds{0};
  for (ConditionedTrack& wire : t.input.tracks) {
    wire.track = noise(random, unit, edges);
    if (random() % 4 == 0)
      wire.how.minPulse = Picoseconds{static_cast<std::int64_t>(random() % 1000) * unit / 500};
    wire.how.invert = random() % 2 == 0;
    if (wire.track.size() > 0)
      t.input.until = std::max(t.input.until, wire.track.at(wire.track.size() - 1) + Picoseconds{unit});
  }
  return t;
}

/// A few edges moved, a few glitches, a few edges gone; around `unit`, the length of a bit.
inline EdgeTrack spoilt(const EdgeTrack& track, std::int64_t unit, std::mt19937_64& random)
{
  std::vector<std::int64_t> times;
  std::int64_t last = -1;
  const auto put = [&](std::int64_t t) {
    if (t > last)
      times.push_back(last = t);
  };
  for (const std::int64_t t : timesOf(track)) {
    const std::uint64_t kind = random() % 400;
    const auto share = static_cast<std::int64_t>(random() % 1000);
    if (kind == 0)
      continue;
    put(kind < 4 ? t + unit * (share - 500) / 1000 : kind < 30 ? t + unit * (share - 500) / 20000 : t);
    if (kind < 34 && kind >= 30) {
      put(last + 1 + unit * share / 1000);
      put(last + 1 + unit * share / 4000);
    }
  }
  return trackOf(track.startLevel(), times);
}

/// Honest traffic as bad wires bring it; every fourth seed is left clean.
inline RandomTraffic dirtyTraffic(const std::string& protocol, std::uint64_t seed)
{
  std::mt19937_64 random(seed + 900);
  RandomTraffic t = trafficOf(protocol, seed);
  std::int64_t shortest = kNever.count();
  for (const ConditionedTrack& wire : t.input.tracks) {
    const std::vector<std::int64_t> times = timesOf(wire.track);
    for (std::size_t i = 1; i < times.size(); ++i)
      shortest = std::min(shortest, times[i] - times[i - 1]);
  }
  const double rate = t.bus.protocol().setRate(t.bus);
  const std::int64_t unit = rate > 0.0 ? static_cast<std::int64_t>(1e12 / rate) : 2 * shortest;
  if (seed % 4 != 0) {
    for (ConditionedTrack& wire : t.input.tracks)
      wire.track = spoilt(wire.track, unit, random);
  }
  for (const ConditionedTrack& wire : t.input.tracks) {
    if (wire.track.size() > 0)
      t.input.until = std::max(t.input.until, wire.track.at(wire.track.size() - 1) + Picoseconds{unit});
  }
  return t;
}

}  // namespace bexto::test
