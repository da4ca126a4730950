#include "rig/instrument/instrument.h"

#include <cstring>

#include "core/signal/edge_stream.h"

using namespace bexto;
using namespace bexto::rig;
using namespace std::chrono_literals;

namespace {

/// One who talks to an instrument whose plant runs as fast as it is asked.
class InstrumentTalk {
 public:
  explicit InstrumentTalk(double speed = 0.0) : m_instrument(1187, Traffic::Lock, speed) {}

  std::string ask(const std::string& line)
  {
    m_instrument.receive(line + "\n");
    return more();
  }
  std::string more()
  {
    std::string out;
    for (int i = 0; i < 500; ++i) {
      out += m_instrument.step(m_now += 0.01, 1U << 22U);
      if (!m_instrument.isBusy())
        break;
    }
    return out;
  }
  std::string step(double seconds) { return m_instrument.step(m_now += seconds, 1U << 22U); }
  Instrument& instrument() { return m_instrument; }

 private:
  Instrument m_instrument;
  double m_now = 0.0;
};

template <typename T>
T littleAt(const std::string& bytes, std::size_t at)
{
  T value{};
  std::memcpy(&value, bytes.data() + at, sizeof value);
  return value;
}

/// A block's content, and what stands behind it.
struct Block {
  std::uint64_t first = 0;
  std::uint64_t count = 0;
  std::int64_t trigger = -1;
  std::uint32_t flags = 0;
  std::vector<std::uint16_t> samples;
  std::string rest;
};

Block readBlock(const std::string& text)
{
  Block block;
  EXPECT_EQ(text.at(0), '#');
  const std::size_t digits = static_cast<std::size_t>(text.at(1) - '0');
  const std::size_t length = std::stoull(text.substr(2, digits));
  const std::string content = text.substr(2 + digits, length);
  EXPECT_EQ(content.size(), length);
  block.rest = text.substr(2 + digits + length);
  block.first = littleAt<std::uint64_t>(content, 0);
  block.count = littleAt<std::uint64_t>(content, 8);
  block.trigger = littleAt<std::int64_t>(content, 16);
  block.flags = littleAt<std::uint32_t>(content, 24);
  const bool runs = (block.flags & 2U) != 0;
  for (std::size_t at = Acquisition::kHead; at < content.size(); at += runs ? 4 : 2) {
    const std::size_t times = runs ? littleAt<std::uint16_t>(content, at + 2) + std::size_t{1} : 1;
    block.samples.insert(block.samples.end(), times, littleAt<std::uint16_t>(content, at));
  }
  EXPECT_EQ(block.samples.size(), block.count);
  return block;
}

/// What an instrument would see that looks at the first cycle, sample by sample: the reference for all else.
std::vector<std::uint16_t> sampled(double rate, std::size_t count)
{
  const LockCycle cycle = simulateLockCycle(1187, planOfCycle(1187, 0));
  std::vector<std::uint16_t> samples(count);
  std::int64_t begin = kNever.count();
  for (const Channel& channel : cycle.capture.channels)
    begin = std::min(begin, channel.track.size() > 0 ? channel.track.at(0).count() : begin);
  for (std::size_t probe = 0; probe < cycle.capture.channels.size(); ++probe) {
    const EdgeTrack& track = cycle.capture.channels[probe].track;
    for (std::size_t n = 0; n < count; ++n) {
      const auto at = begin + static_cast<std::int64_t>(static_cast<double>(n) * 1e12 / rate);
      if (track.levelAt(Picoseconds{at}))
        samples[n] = static_cast<std::uint16_t>(samples[n] | 1U << probe);
    }
  }
  return samples;
}

Block acquired(InstrumentTalk& talk, const std::string& setting)
{
  EXPECT_EQ(talk.ask(setting + ";:INIT;*OPC?"), "1\n");
  EXPECT_EQ(talk.ask("SYST:ERR?"), "0,\"No error\"\n") << setting;
  const std::string status = talk.ask("FETC:STAT?");
  const std::string begin = status.substr(2, status.find(',', 2) - 2);
  return readBlock(talk.ask("FETC? " + begin + ",1E6"));
}

}  // namespace

TEST(Instrument, SaysWhatItIs)
{
  InstrumentTalk talk;
  EXPECT_EQ(talk.ask("*IDN?").substr(0, 26), "Aldermere Works,RIG-16,118");
  EXPECT_EQ(talk.ask("SYSTem:VERSion?"), "1999.0\n");
  EXPECT_EQ(talk.ask("chan:coun?;cat?").substr(0, 12), "16;\"SCL\",\"SD");
}

TEST(Instrument, TakesShortAndLongFormsAndGoesOnInTheTree)
{
  InstrumentTalk talk;
  EXPECT_EQ(talk.ask("SENSE:SAMPLE:RATE 50 MHZ;:samp:rate?"), "50000000\n");
  EXPECT_EQ(talk.ask("SAMP:RATE 2e6;DEPT 5000;PRET 25PCT;RATE?;DEPT?;PRET?"), "2000000;5000;25\n");
  EXPECT_EQ(talk.ask("samp:rate?\r"), "2000000\n") << "a carriage return is white space";
  EXPECT_EQ(talk.ask("SAMP:RATE? MAX;*IDN?;RATE? MIN").substr(0, 9), "500000000");
  EXPECT_EQ(talk.ask("CHAN3:NAME 'a \"b\"';NAME?"), "\"a \"\"b\"\"\"\n") << "the path is CHAN3";
}

TEST(Instrument, ErrorsHaveTheirStandardNumbersAndWaitInAQueue)
{
  InstrumentTalk talk;
  struct Case {
    const char* sent;
    const char* number;
  };
  for (const Case& c :
       {Case{"SAMPel:RATE 1", "-113"}, Case{"SAMP:RATE", "-109"}, Case{"SAMP:RATE 1e6,2", "-108"},
        Case{"SAMP:RATE fast", "-104"}, Case{"SAMP:RATE 1e9", "-222"}, Case{"SAMP:RATE 5 V", "-131"},
        Case{"CHAN17:NAME?", "-114"}, Case{"TRIG:SOUR MOON", "-141"}, Case{"CHAN1:NAME SCL", "-104"},
        Case{"TRIG:PATT \"01\"", "-224"}, Case{"*TRG", "-211"}, Case{"FETC? 0,1", "-230"}, Case{"a b;;c", "-102"},
        Case{"TRIG:WIDT 1,HIGH,2,1", "-221"}, Case{"nan:inf nan", "-113"}, Case{"SAMP:RATE nan", "-222"}}) {
    talk.ask(c.sent);
    const std::string error = talk.ask("SYST:ERR?");
    EXPECT_EQ(error.substr(0, 4), c.number) << c.sent << " gave " << error;
    EXPECT_EQ(talk.ask("SYST:ERR?"), "0,\"No error\"\n") << c.sent;
  }
  EXPECT_EQ(talk.ask("*CLS;*ESR?"), "0\n");
  for (int i = 0; i < 100; ++i)
    talk.ask("nothing");
  EXPECT_EQ(talk.ask("*ESR?"), "32\n") << "a command error";
  EXPECT_EQ(talk.ask("SYST:ERR:COUN?"), "30\n");
  for (int i = 0; i < 29; ++i)
    talk.ask("SYST:ERR?");
  EXPECT_EQ(talk.ask("SYST:ERR?").substr(0, 4), "-350") << "the last one says that others were lost";
  talk.instrument().receive(std::string(2'000'000, 'x'));
  EXPECT_EQ(talk.ask("\nSYST:ERR?").substr(0, 4), "-363") << "a line without an end fills no memory";
}

TEST(Instrument, SamplesAreTheLevelsAtTheirMoments)
{
  constexpr std::size_t kCount = 6'000;
  for (const double rate : {1e6, 3e6, 24e6}) {
    const std::vector<std::uint16_t> expected = sampled(rate, kCount);
    for (const char* const format : {"PACK", "RLEN"}) {
      InstrumentTalk talk;
      const Block block =
          acquired(talk, "SAMP:RATE " + std::to_string(rate) + ";DEPT " + std::to_string(kCount) + ";:FORM " + format);
      ASSERT_EQ(block.count, kCount);
      std::size_t different = 0;
      for (std::size_t n = 0; n < kCount; ++n)
        different += block.samples[n] != expected[n] ? 1U : 0U;
      // 24 MHz has no whole period: a moment may fall on the other side of an edge of the same picosecond.
      EXPECT_LE(different, rate == 24e6 ? 2U : 0U) << rate << ' ' << format;
    }
  }
}

TEST(Instrument, FiresWhereItsConditionIsMetAndKeepsWhatCameBefore)
{
  const auto fired = [](const std::string& trigger) {
    InstrumentTalk talk;
    Block block = acquired(talk, "SAMP:RATE 5E6;DEPT 2000;PRET 30;" + trigger);
    EXPECT_EQ(block.count, 2000U) << trigger;
    EXPECT_EQ(block.trigger - static_cast<std::int64_t>(block.first), 600) << trigger;
    return block;
  };
  const auto levelAt = [](const Block& block, std::size_t n, unsigned channel) {
    return (block.samples.at(n) >> (channel - 1) & 1U) != 0;
  };
  const Block falling = fired(":TRIG:SOUR EDGE;EDGE 3,FALL");
  EXPECT_TRUE(levelAt(falling, 599, 3));
  EXPECT_FALSE(levelAt(falling, 600, 3));
  const Block rising = fired(":TRIG:SOUR EDGE;EDGE 3,RIS");
  EXPECT_FALSE(levelAt(rising, 599, 3));
  EXPECT_TRUE(levelAt(rising, 600, 3));
  const Block low = fired(":TRIG:SOUR LEV;LEV 9,LOW");
  EXPECT_FALSE(levelAt(low, 600, 9));
  EXPECT_TRUE(levelAt(low, 599, 9));
  const Block pattern = fired(":TRIG:SOUR PATT;PATT \"10XXXXXXXXXXXXXX\"");
  EXPECT_TRUE(levelAt(pattern, 600, 1));
  EXPECT_FALSE(levelAt(pattern, 600, 2));
  // The low of a start bit and one data bit of the console: 17.4 us.
  const Block width = fired(":TRIG:SOUR WIDT;WIDT 3,LOW,15us,20us");
  EXPECT_TRUE(levelAt(width, 600, 3));
  std::size_t samples = 0;
  while (!levelAt(width, 599 - samples, 3))
    ++samples;
  EXPECT_GE(samples, 75U);
  EXPECT_LE(samples, 100U);
}

TEST(Instrument, WaitsForItsTriggerAndTellsHowItStands)
{
  InstrumentTalk talk(1.0);
  talk.ask("SAMP:DEPT 1000;:TRIG:SOUR BUS;:INIT");
  talk.step(0.01);
  EXPECT_EQ(talk.ask("STAT:OPER:COND?"), "48\n") << "measuring, waiting for a trigger";
  EXPECT_EQ(talk.ask("SAMP:RATE 1e6;:SYST:ERR?").substr(0, 4), "-221");
  EXPECT_EQ(talk.ask("INIT;:SYST:ERR?").substr(0, 4), "-213");
  talk.ask("*OPC");
  EXPECT_EQ(talk.ask("*ESR?"), "144\n") << "power on and what was refused, not complete yet";
  talk.ask("*TRG");
  EXPECT_EQ(talk.ask("*OPC?"), "1\n");
  EXPECT_EQ(talk.ask("*ESR?"), "1\n");
  EXPECT_EQ(talk.ask("STAT:OPER:COND?"), "0\n");
}

TEST(Instrument, RunsLetMoreTimeIntoTheSameMemory)
{
  const auto taken = [](SampleFormat format) {
    Plant plant(1187);
    AcquisitionSetting setting;
    setting.rate = 500e6;
    setting.depth = std::uint64_t{1} << 40U;
    setting.memory = 1U << 18U;
    setting.format = format;
    Acquisition acquisition(plant, setting);
    while (!acquisition.isDone())
      acquisition.run(acquisition.at() + (1U << 20U), 1000);
    EXPECT_LE(acquisition.used(), setting.memory);
    return acquisition.end() - acquisition.begin();
  };
  const std::uint64_t packed = taken(SampleFormat::Packed);
  EXPECT_EQ(packed, std::uint64_t{1} << 17U) << "two bytes a sample fill it";
  EXPECT_GT(taken(SampleFormat::RunLength), 50 * packed);
}

TEST(Instrument, AStreamIsTheSameSamplesInBlocks)
{
  constexpr std::size_t kCount = 40'000;
  const std::vector<std::uint16_t> expected = sampled(1e6, kCount);
  for (const char* const format : {"PACK", "RLEN"}) {
    InstrumentTalk talk(1.0);
    talk.ask("ACQ:MODE STR;:SAMP:RATE 1e6;:FORM " + std::string(format));
    std::string answer = talk.ask("INIT;:FETC:STR?");
    for (int i = 0; i < 6; ++i)
      answer += talk.step(0.01);
    talk.instrument().receive("ABOR\n");
    answer += talk.step(0.01);
    answer += talk.step(0.01);
    std::vector<std::uint16_t> samples;
    for (Block block;; answer = block.rest.substr(1)) {
      block = readBlock(answer);
      ASSERT_EQ(block.first, samples.size());
      samples.insert(samples.end(), block.samples.begin(), block.samples.end());
      ASSERT_FALSE(block.rest.empty());
      if (block.rest.front() == '\n')
        break;
      ASSERT_EQ(block.rest.front(), ',');
    }
    ASSERT_GE(samples.size(), kCount);
    samples.resize(kCount);
    EXPECT_EQ(samples, expected) << format;
    EXPECT_EQ(talk.ask("*OPC?"), "1\n") << "it can be talked to again";
  }
}

TEST(Instrument, WhatNobodyTakesInTimeIsLostAndSaid)
{
  InstrumentTalk talk(1.0);
  talk.ask("ACQ:MODE STR;:SAMP:RATE 50E6;:INIT");
  for (int i = 0; i < 200; ++i)
    talk.instrument().step(0.02 * i, 0);
  talk.instrument().receive("FETC:STR?\n");
  const Block block = readBlock(talk.instrument().step(4.1, 1U << 20U));
  EXPECT_EQ(block.flags & 1U, 1U);
  EXPECT_GT(block.first, 0U);
}

TEST(Instrument, MisbehavesAsItIsTold)
{
  const auto told = [](const std::string& how) {
    auto talk = std::make_unique<InstrumentTalk>();
    EXPECT_EQ(talk->ask("DIAG:MISB " + how + ";*OPC?").empty(), how == "SIL") << how;
    return talk;
  };
  EXPECT_TRUE(told("SIL")->ask("*IDN?").empty());
  EXPECT_EQ(told("CUT")->ask("*IDN?").find("RIG"), std::string::npos);
  const auto drops = told("DROP");
  drops->ask("*IDN?");
  EXPECT_TRUE(drops->instrument().hangsUp());
  drops->instrument().connected();
  EXPECT_FALSE(drops->instrument().hangsUp()) << "the next one is served";
  EXPECT_EQ(told("HUGE")->ask("*IDN?").find("#219"), std::string::npos) << "it is silent after the first";
  const auto late = told("DEL");
  late->instrument().receive("*OPC?\n");
  EXPECT_EQ(late->step(0.5), "");
  EXPECT_EQ(late->step(0.9), "");
  EXPECT_EQ(late->step(0.2), "1\n") << "a second late";
}

TEST(Instrument, DrivesWiresOnceTheyRestAndSaysInWhichSamples)
{
  const std::string pattern = ":OUTP:PATT 24576,0,3E-5,\"0:0 10000:8192 5000:24576 15000:0\"";  // D13 and D14
  InstrumentTalk idle;
  idle.ask(pattern);
  EXPECT_EQ(idle.ask("SYST:ERR?").substr(0, 4), "-221") << "nothing is acquired";
  InstrumentTalk driven(1.0);
  driven.instrument().receive("SAMP:RATE 10MHZ;DEPT 200000;PRET 0;:TRIG:SOUR IMM;:INIT\n");
  driven.step(0.001);
  driven.instrument().receive(pattern + "\n");
  for (int i = 0; i < 100; ++i)
    driven.step(0.001);
  EXPECT_EQ(driven.ask("SYST:ERR?").substr(0, 2), "0,");
  const std::string answer = driven.ask("FETC? 0,200000");
  const std::size_t digits = static_cast<std::size_t>(answer.at(1) - '0');
  const std::string content = answer.substr(2 + digits);
  ASSERT_EQ(littleAt<std::uint32_t>(content, 28), 1U);
  const auto first = littleAt<std::uint64_t>(content, Acquisition::kHead);
  EXPECT_EQ(littleAt<std::uint64_t>(content, Acquisition::kHead + 8), 300U) << "30 us at 10 MS/s";
  EXPECT_EQ(littleAt<std::uint64_t>(content, Acquisition::kHead + 16), 24576U);
  const auto levelAt = [&](std::uint64_t sample) {
    return littleAt<std::uint16_t>(content, Acquisition::kHead + 24 + 2 * sample) & 0x6000U;
  };
  EXPECT_EQ(levelAt(first + 50), 0U);
  EXPECT_EQ(levelAt(first + 120), 0x2000U);
  EXPECT_EQ(levelAt(first + 200), 0x6000U);
  EXPECT_EQ(levelAt(first + 320), 0U) << "and let go of again";
}

TEST(Instrument, APatternThatIsNoneIsAnError)
{
  InstrumentTalk talk(1.0);
  talk.instrument().receive("SAMP:DEPT 1E6;:INIT\n");
  talk.step(0.0001);
  const auto refused = [&](const std::string& parameters, const char* number) {
    talk.instrument().receive(":OUTP:PATT " + parameters + "\nSYST:ERR?\n");
    std::string answer;
    for (int i = 0; i < 10 && answer.find('\n') == std::string::npos; ++i)
      answer += talk.step(0.0001);
    EXPECT_EQ(answer.substr(0, 4), number) << parameters;
  };
  refused("3,3,1E-3", "-109");
  refused("3,3,1E-3,0:3", "-104");
  refused("3,3,1E-3,\"\"", "-151");
  refused("3,3,1E-3,\"5:3\"", "-151");
  refused("3,3,1E-3,\"0:3,5:1\"", "-151");
  refused("3,3,1E-3,\"0:3 5:99999\"", "-151");
  refused("3,3,1E-3,\"0:3 99999999999:1\"", "-151");
  refused("3,3,1E-6,\"0:3 5000:1\"", "-221");
  refused("99999,3,1E-3,\"0:3\"", "-222");
  refused("3,3,2,\"0:3\"", "-222");
}
