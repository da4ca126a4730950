#include "traffic.h"

#include <fmt/core.h>

#include <algorithm>
#include <random>

#include "core/decode/bus_spec.h"
#include "core/signal/edge_stream.h"
#include "core/signal/edge_track_builder.h"
#include "rig/can_driver.h"
#include "rig/spi_driver.h"

namespace bexto::bench {

StreamInput i2cTraffic(std::uint64_t transitions)
{
  std::mt19937_64 random(1);
  EdgeTrackBuilder scl(3);
  EdgeTrackBuilder sda(3);
  scl.set(0, true);
  sda.set(0, true);
  std::int64_t now = 1000;
  while (scl.size() + sda.size() < transitions) {
    sda.set(now += 1200, false);
    scl.set(now += 1200, false);
    const std::uint64_t bytes = 3 + random() % 16;
    // A board's bus has a handful of devices, and random data.
    const std::uint64_t address = (0x20 + random() % 8) << 1U | random() % 2;
    for (std::uint64_t bit = 0; bit < bytes * 9; ++bit) {
      sda.set(now += 300, bit % 9 == 8 ? false : bit < 8 ? (address >> (7 - bit) & 1U) != 0 : random() % 2 == 0);
      scl.set(now += 1000 + static_cast<std::int64_t>(random() % 40), true);
      scl.set(now += 1220, false);
    }
    sda.set(now += 300, false);
    scl.set(now += 1000, true);
    sda.set(now += 1200, true);
    now += 50000;
  }
  return {{scl.snapshot(), sda.snapshot()}, Picoseconds{(now + 1000) * 1000}, true};
}

StreamInput uartTraffic(std::uint64_t transitions)
{
  std::mt19937_64 random(2);
  EdgeTrackBuilder line(3);
  line.set(0, true);
  constexpr double kBit = 1e9 / 115200.0;
  double now = 1000.0;
  while (line.size() < transitions) {
    for (std::uint64_t n = 1 + random() % 64; n > 0; --n) {
      const std::uint64_t word = (random() % 256 | 0x100U) << 1U;
      for (int i = 0; i < 10; ++i)
        line.set(static_cast<std::int64_t>(now + i * kBit), (word >> i & 1U) != 0);
      now += 10 * kBit;
    }
    now += 500000.0;
  }
  return {{line.snapshot()}, Picoseconds{static_cast<std::int64_t>(now) * 1000}, true};
}

StreamInput spiTraffic(std::uint64_t transitions)
{
  std::mt19937_64 random(3);
  rig::SpiDriver driver(1);
  rig::SpiPace pace;
  std::uint64_t words = 0;
  // About 24 transitions a word.
  while (words * 24 < transitions) {
    driver.select(0, pace);
    for (std::uint64_t n = 1 + random() % 64; n > 0; --n, ++words)
      driver.word(static_cast<std::uint32_t>(random() & 0xffU), static_cast<std::uint32_t>(random() & 0xffU), pace);
    driver.release(0, pace);
  }
  return {{driver.clock(), driver.mosi(), driver.miso(), driver.selectOf(0)}, driver.now(), true};
}

StreamInput canTraffic(std::uint64_t transitions, bool fd, bool acknowledged)
{
  std::mt19937_64 random(4);
  rig::CanDriver wire{rig::CanPace{}};
  wire.hold(true, 12);
  std::uint64_t bits = 0;
  // A little less than half of the bits end in an edge.
  while (bits * 45 < transitions * 100) {
    rig::CanMessage m;
    m.id = static_cast<std::uint32_t>(random() % 0x800);
    m.fd = m.brs = fd;
    m.acknowledged = acknowledged;
    m.dlc = fd ? 9 + static_cast<unsigned>(random() % 4) : 8;
    for (unsigned n = rig::canBytes(m.dlc, fd); n > 0; --n)
      m.data.push_back(static_cast<std::uint8_t>(random()));
    const rig::CanFrameBits frame = rig::canFrame(m, rig::CanPace{});
    wire.drive(frame.bits);
    wire.hold(true, 3);
    bits += frame.bits.size();
  }
  wire.hold(true, 12);
  return {{wire.track()}, wire.now(), true};
}

EdgeTrack burstyWire(std::uint64_t transitions, std::uint64_t seed)
{
  std::mt19937_64 random(seed);
  EdgeTrackBuilder line(3);
  line.set(0, false);
  std::int64_t now = 0;
  for (std::uint64_t i = 0; i < transitions; ++i)
    line.toggle(now += i % 200 == 0 ? 100000 : 400 + static_cast<std::int64_t>(random() % 1600));
  return line.snapshot();
}

std::string vcdText(const StreamInput& input)
{
  std::string text =
      "$timescale 1 ns $end $var wire 1 ! scl $end $var wire 1 \" sda $end $enddefinitions $end\n#0\n1!\n1\"\n";
  EdgeStream scl(input.tracks[0], Picoseconds{0}, input.until, true);
  EdgeStream sda(input.tracks[1], Picoseconds{0}, input.until, true);
  while (std::min(scl.next(), sda.next()) != kNever.count()) {
    const std::int64_t now = std::min(scl.next(), sda.next());
    fmt::format_to(std::back_inserter(text), "#{}\n", now / 1000);
    for (const auto& [stream, id] : {std::pair{&scl, '!'}, std::pair{&sda, '"'}}) {
      if (stream->next() != now)
        continue;
      text += stream->level() ? '0' : '1';
      text += id;
      text += '\n';
      stream->advance();
    }
  }
  return text;
}

Bus i2cBus()
{
  return *parseBusSpec("i=i2c,scl=scl,sda=sda");
}

Bus uartBus()
{
  return *parseBusSpec("u=uart,rx=rx,baud=115200");
}

Bus spiBus()
{
  return *parseBusSpec("s=spi,clk=c,mosi=o,miso=i,cs=s");
}

Bus canBus()
{
  return *parseBusSpec("c=can,rx=rx,bitrate=500000,fd_bitrate=2000000");
}

std::uint64_t transitionsOf(const StreamInput& input)
{
  std::uint64_t n = 0;
  for (const ConditionedTrack& wire : input.tracks)
    n += wire.track.size();
  return n;
}

}  // namespace bexto::bench
