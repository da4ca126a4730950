#include <bit>

#include "core/decode/bus_spec.h"
#include "support/lock_cycle.h"
#include "support/rooms.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

FrameIndex sensorsOf(const rig::LockCycle& cycle)
{
  const Bus bus = *parseBusSpec("sensors=i2c,scl=SCL,sda=SDA");
  return decodeAll(bus, {{cycle.capture.channels[0].track, cycle.capture.channels[1].track}, cycle.capture.end, true});
}

std::uint64_t frameAt(const FrameIndex& frames, Picoseconds begin)
{
  const std::uint64_t found = frames.firstFrom(begin);
  EXPECT_LT(found, frames.size());
  EXPECT_LE(frames.frame(found).time.begin - begin, Picoseconds(1us));
  return found;
}

int levelOf(const I2cTransfer& t)
{
  return t.data[1] << 8 | t.data[2];
}

}  // namespace

TEST(LockCycle, SameSeedSameCapture)
{
  const rig::LockCycle a = rig::simulateLockCycle(3);
  const rig::LockCycle b = rig::simulateLockCycle(3);
  const rig::LockCycle c = rig::simulateLockCycle(4);
  for (std::size_t i = 0; i < 3; ++i)
    EXPECT_EQ(timesOf(a.capture.channels[i].track), timesOf(b.capture.channels[i].track));
  EXPECT_NE(timesOf(a.capture.channels[0].track), timesOf(c.capture.channels[0].track));
}

TEST(LockCycle, TheFirstTransitionsNeverChange)
{
  // The seed's meaning is fixed: tutorials and pictures name these times.
  const rig::LockCycle& cycle = lockCycle();
  EXPECT_EQ(cycle.capture.channels[1].track.at(0), Picoseconds{1208162000});
  EXPECT_EQ(cycle.capture.end, Picoseconds(8412ms));
}

TEST(LockCycle, TheAbandonedReadIsAStartInsideAByteAndTheNextLevelIsStale)
{
  for (const std::uint64_t seed : {1187U, 1U, 2U, 3U}) {
    const rig::LockCycle cycle = rig::simulateLockCycle(seed);
    const FrameIndex frames = sensorsOf(cycle);
    const std::uint64_t abandoned = frameAt(frames, cycle.faults.stretchedRead) + 1;
    EXPECT_TRUE(hasError(frames.frame(abandoned).errors, I2cError::UnexpectedStart));
    EXPECT_EQ(i2cTransfer(frames.frame(abandoned)).address, 0x2aU);
    const std::uint64_t stale = frameAt(frames, cycle.faults.staleRead) + 1;
    EXPECT_EQ(i2cTransfer(frames.frame(stale)).data[0], 0x03) << "the head's status says: not fresh";
    // The last good answer before was higher: the chamber had nearly filled since.
    std::uint64_t good = abandoned - 1;
    while (i2cTransfer(frames.frame(good)).address != 0x2a || !i2cTransfer(frames.frame(good)).read)
      --good;
    EXPECT_LT(levelOf(i2cTransfer(frames.frame(stale))), levelOf(i2cTransfer(frames.frame(good))));
    std::uint64_t unexpected = 0;
    for (const Frame& f : framesOf(frames))
      unexpected += hasError(f.errors, I2cError::UnexpectedStart) ? 1U : 0U;
    EXPECT_EQ(unexpected, 1U);
  }
}

TEST(LockCycle, TheClockIsReadAcrossTheMinutesEnd)
{
  const rig::LockCycle& cycle = lockCycle();
  const FrameIndex frames = sensorsOf(cycle);
  const I2cTransfer seconds = i2cTransfer(frames.frame(frameAt(frames, cycle.faults.rolloverSeconds) + 1));
  const I2cTransfer minutes = i2cTransfer(frames.frame(frameAt(frames, cycle.faults.rolloverMinutes) + 1));
  EXPECT_EQ(seconds.address, 0x5dU);
  EXPECT_EQ(seconds.data[0], 0x59);
  EXPECT_EQ(minutes.data[0], 0x42);
  EXPECT_EQ(minutes.data[1], 0x06);
}

TEST(LockCycle, TheConsoleTellsTheStory)
{
  const rig::LockCycle& cycle = lockCycle();
  const Bus bus = *parseBusSpec("console=uart,tx=CONSOLE_TX,baud=115200");
  const FrameIndex frames = decodeAll(bus, {{cycle.capture.channels[2].track}, cycle.capture.end, true});
  EXPECT_EQ(frames.errorCount(), 0U);
  std::string text;
  for (const Frame& f : framesOf(frames))
    text += static_cast<char>(f.key);
  EXPECT_NE(text.find("gate controller ready"), std::string::npos);
  EXPECT_NE(text.find("W sensor 2A timeout, retry"), std::string::npos);
  EXPECT_NE(text.find("gate 2 stalled"), std::string::npos);
}

namespace {

/// One bus of the cycle, decoded; its first stream.
FrameIndex decoded(const rig::LockCycle& cycle, const char* spec, Bus* used = nullptr)
{
  const auto bus = resolveBus(*parseBusSpec(spec), cycle.capture);
  EXPECT_TRUE(bus) << bus.error().text();
  if (used != nullptr)
    *used = bus->bus;
  return decodeAll(bus->bus, inputOf(cycle.capture, bus->streams.front()));
}

}  // namespace

TEST(LockCycle, TheUpperHeadRunsFastUntilParityAndFramingErrorsCome)
{
  for (const std::uint64_t seed : {1187U, 2U}) {
    const rig::LockCycle cycle = rig::simulateLockCycle(seed);
    const FrameIndex frames = decoded(cycle, "sonar=uart,rx=SONAR_RX,baud=57600,parity=even");
    ASSERT_GT(frames.errorCount(), 3U);
    std::uint16_t seen = 0;
    Picoseconds first = kNever;
    for (const Frame& f : framesOf(frames)) {
      seen = static_cast<std::uint16_t>(seen | f.errors);
      if (f.errors != 0)
        first = std::min(first, f.time.begin);
    }
    EXPECT_GE(first, cycle.faults.sonarErrors);
    EXPECT_LT(first, cycle.faults.sonarErrors + 500ms);
    EXPECT_TRUE(hasError(seen, UartError::Parity));
    EXPECT_TRUE(hasError(seen, UartError::Framing));
    EXPECT_GT(cycle.faults.sonarBroken, cycle.faults.sonarErrors);
    // Long before it is hot it is 2 % fast, and that decodes.
    const Frame warm = frames.frame(frames.firstFrom(6s));
    EXPECT_EQ(warm.key, 0x7eU);
    EXPECT_EQ(warm.errors, 0);
    EXPECT_EQ(decoded(cycle, "sonar=uart,tx=SONAR_TX,baud=57600,parity=even").errorCount(), 0U);
  }
}

TEST(LockCycle, ABitOfAPositionFlipsBecauseItsDataComesLate)
{
  for (const std::uint64_t seed : {1187U, 2U}) {
    const rig::LockCycle cycle = rig::simulateLockCycle(seed);
    Bus bus;
    const FrameIndex frames = decoded(cycle, "adc=spi,clk=SPI_CLK,mosi=SPI_MOSI,miso=SPI_MISO,cs=ADC_CS,mode=1", &bus);
    EXPECT_EQ(frames.errorCount(), 0U) << "no frame says so: only the value does";
    const std::uint64_t at = frameAt(frames, cycle.faults.flippedBit);
    const auto position = [&](std::uint64_t frame) {
      const SpiTransfer t = spiTransfer(bus, frames.frame(frame));
      return static_cast<int>(t.word(1, 1) << 8U | t.word(2, 1));
    };
    // The same channel is read every four conversions, and gate 2 stands still.
    EXPECT_EQ(position(at - 4), position(at + 4));
    EXPECT_EQ(std::abs(position(at) - position(at + 4)), 64);
  }
}

TEST(LockCycle, TheLogFlashIsAskedAndAnswers)
{
  const rig::LockCycle& cycle = lockCycle();
  Bus bus;
  const FrameIndex frames = decoded(cycle, "log=spi,clk=SPI_CLK,mosi=SPI_MOSI,miso=SPI_MISO,cs=LOG_CS", &bus);
  EXPECT_EQ(frames.errorCount(), 0U);
  const SpiTransfer id = spiTransfer(bus, frames.frame(0));
  EXPECT_EQ(id.word(0, 0), 0x9fU);
  EXPECT_EQ(id.word(1, 1), 0x6eU);
}

TEST(LockCycle, AGlitchCorruptsACommandThatIsSentAgainAndOneComesLate)
{
  for (const std::uint64_t seed : {1187U, 2U, 3U}) {
    const rig::LockCycle cycle = rig::simulateLockCycle(seed);
    const FrameIndex frames = decoded(cycle, "drives=can,rx=CAN_RX,bitrate=500000,fd_bitrate=2000000");
    EXPECT_EQ(frames.errorCount(), 1U);
    const std::uint64_t at = frameAt(frames, cycle.faults.corruptedFrame);
    EXPECT_EQ(frames.frame(at).errors, errorBit(CanError::Crc)) << seed;
    EXPECT_EQ(frames.frame(at + 1).kind, kCanError);
    EXPECT_LE(std::chrono::abs(frames.frame(at + 2).time.begin - cycle.faults.repeatedFrame), Picoseconds(1ns));
    const CanFrame bad = canFrame(frames.frame(at));
    const CanFrame good = canFrame(frames.frame(at + 2));
    EXPECT_EQ(bad.id, good.id);
    int differing = 0;
    for (std::size_t i = 0; i < good.data.size(); ++i)
      differing += std::popcount(static_cast<unsigned>(bad.data[i] ^ good.data[i]));
    EXPECT_EQ(differing, 1);
    const std::uint64_t late = frameAt(frames, cycle.faults.lateCommand);
    EXPECT_GT(frames.frame(late).time.begin - frames.frame(late - 1).time.begin, Picoseconds(12ms));
  }
}
