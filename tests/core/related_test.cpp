#include "core/view/related.h"

#include "core/decode/sentence.h"
#include "rig/chance.h"
#include "rig/i2c_driver.h"
#include "support/lock_cycle_sources.h"

using namespace bexto;
using namespace bexto::test;

namespace {

std::string said(const LedgerSource& source, std::uint64_t number)
{
  return sentenceOf(source.bus, source.transactions, number).text();
}

/// Frames of an I2C bus from "2A<10" (write) and "2A>01" (read): address, direction, one byte.
LedgerSource exchanges(const std::vector<std::string>& what)
{
  rig::Chance chance(1);
  rig::I2cDriver bus(rig::I2cPace{}, chance);
  bus.waitUntil(Picoseconds{10000000});
  for (const std::string& one : what) {
    const auto address = static_cast<std::uint8_t>(std::stoul(one.substr(0, 2), nullptr, 16));
    const std::vector<std::uint8_t> byte{static_cast<std::uint8_t>(std::stoul(one.substr(3), nullptr, 16))};
    if (one[2] == '<')
      bus.write(address, byte);
    else
      bus.read(address, byte);
    bus.stop();
  }
  const Bus described = *parseBusSpec("s=i2c,scl=c,sda=d");
  return {
      described, "",
      Transactions(described, decodeAll(described, {{bus.scl(), bus.sda()}, bus.now() + Picoseconds{20000000}, true}))};
}

}  // namespace

TEST(Alike, WalksFromOneOfTheSameNameToTheNext)
{
  for (const LedgerSource& source : lockCycleSources()) {
    if (source.bus.isOf(uartProtocol()) || source.bus.isOf(spiProtocol()))
      continue;
    std::uint64_t number = 0;
    const std::string name = said(source, 0).substr(0, said(source, 0).find(' '));
    std::uint64_t steps = 0;
    for (auto next = alike(source, 0, Alike::Name, true); next; next = alike(source, *next, Alike::Name, true)) {
      for (std::uint64_t between = number + 1; between < *next; ++between)
        ASSERT_FALSE(said(source, between).starts_with(name + " ")) << said(source, between);
      ASSERT_EQ(alike(source, *next, Alike::Name, false), number);
      number = *next;
      ++steps;
    }
    EXPECT_GT(steps, 50U) << source.name();
  }
}

TEST(Alike, ASearchInPartsFindsWhatOneWalkFindsAndOnlyWhatIsShown)
{
  for (LedgerSource source : lockCycleSources()) {
    auto some = std::make_shared<LineSet>();
    for (std::uint64_t n = 0; n < source.transactions.size(); n += 3)
      some->add(n);
    for (const bool filtered : {false, true}) {
      source.shown = filtered ? some : nullptr;
      for (const Alike how : {Alike::Name, Alike::Kind}) {
        for (const bool forward : {true, false}) {
          for (std::uint64_t n = 0; n < source.transactions.size(); n += 97) {
            std::optional<std::uint64_t> plain = n;
            do {
              plain = alike(source, *plain, how, forward);
            } while (plain && !source.isShown(*plain));
            AlikeSearch search(source, n, how, forward);
            while (!search.run(5)) {
            }
            ASSERT_EQ(search.found(), plain) << source.name() << " " << n;
          }
        }
      }
    }
  }
}

TEST(Alike, KindsAreReadsWritesAndBoth)
{
  const LedgerSource source = exchanges({"2A<10", "2A>01", "21<02", "5D>07"});
  EXPECT_EQ(alike(source, 0, Alike::Kind, true), 2U);
  EXPECT_EQ(alike(source, 1, Alike::Kind, true), 3U);
  EXPECT_EQ(alike(source, 3, Alike::Kind, true), std::nullopt);
  EXPECT_EQ(alike(source, 0, Alike::Kind, false), std::nullopt);
  EXPECT_EQ(alike(source, 0, Alike::Name, true), 1U);
}

TEST(Partner, AReadAnswersTheWriteBeforeIt)
{
  const MergedRows rows({exchanges({"2A<10", "21<02", "2A>01", "2A<11", "2A<12"})});
  EXPECT_EQ(partnerOf(rows, {0, 0}), (LedgerRow{0, 2}));
  EXPECT_EQ(partnerOf(rows, {0, 2}), (LedgerRow{0, 0}));
  EXPECT_EQ(partnerOf(rows, {0, 1}), std::nullopt) << "nobody read 21";
  EXPECT_EQ(partnerOf(rows, {0, 3}), std::nullopt) << "another write came first";
}

TEST(Partner, AUartsAnswerComesOnItsOtherLine)
{
  std::vector<LedgerSource> sonar;
  for (const LedgerSource& source : lockCycleSources()) {
    if (source.bus.name == "sonar")
      sonar.push_back(source);
  }
  const MergedRows rows(sonar);
  const std::size_t tx = sonar[0].line == "tx" ? 0 : 1;
  std::size_t answered = 0;
  for (std::uint64_t n = 0; n + 1 < sonar[tx].transactions.size(); n += 5) {
    const auto answer = partnerOf(rows, {tx, n});
    if (!answer)
      continue;
    ++answered;
    EXPECT_NE(answer->source, tx);
    EXPECT_GT(rows.beginOf(*answer), rows.beginOf({tx, n}));
    EXPECT_LT(rows.beginOf(*answer), rows.beginOf({tx, n + 1}));
    EXPECT_EQ(partnerOf(rows, *answer), (LedgerRow{tx, n}));
  }
  EXPECT_GT(answered, 10U);
}

TEST(Partner, TheLastQuestionHasAnAnswerAndTheLastAnswerAQuestion)
{
  // One of each: every neighbour is the end of a line.
  const Bus bus = *parseBusSpec("u=uart,rx=r,tx=t,baud=100000");
  const auto said = [&](double at, std::uint32_t value) {
    LineWriter line(true);
    line.hold(true, at);
    sendCharacter(line, UartSettings{}, value, 1e7);
    line.hold(true, 1e9);
    return line.track();
  };
  const auto source = [&](const char* name, const EdgeTrack& track) {
    return LedgerSource{bus, name, Transactions(bus, decodeAll(bus, {{track}, Picoseconds{3000000000}, true}))};
  };
  const MergedRows rows(std::vector<LedgerSource>{source("tx", said(1e8, 0x51)), source("rx", said(8e8, 0x41))});
  ASSERT_EQ(rows.size(), 2U);
  EXPECT_EQ(partnerOf(rows, {0, 0}), (LedgerRow{1, 0}));
  EXPECT_EQ(partnerOf(rows, {1, 0}), (LedgerRow{0, 0}));
}

TEST(Partner, ALineWithoutOneHasNone)
{
  const MergedRows rows(lockCycleSources());
  for (std::size_t s = 0; s < rows.sources().size(); ++s) {
    if (rows.sources()[s].bus.name == "log" || rows.sources()[s].bus.name == "console") {
      EXPECT_EQ(partnerOf(rows, {s, 3}), std::nullopt);
    }
  }
}
