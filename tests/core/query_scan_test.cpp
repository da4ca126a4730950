// What a query finds, against the same question asked of the frames as the command line writes them.
#include "core/query/scan.h"

#include <fstream>
#include <functional>
#include <nlohmann/json.hpp>
#include <random>

#include "core/decode/bus_spec.h"
#include "core/export/frame_writer.h"
#include "core/format/vcd_reader.h"
#include "support/lock_cycle.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;
using nlohmann::json;

namespace {

struct Source {
  ScanSource scan;
  std::vector<json> records;  ///< one a frame
};

void addSources(const Capture& capture, const std::string& spec, std::vector<Source>& out)
{
  const auto resolved = resolveBus(*parseBusSpec(spec), capture);
  ASSERT_TRUE(resolved) << spec;
  for (const BusStream& stream : resolved->streams) {
    const auto decoded = decodeStream(resolved->bus, inputOf(capture, stream), std::stop_token());
    Source source{{resolved->bus, stream.line, Transactions(resolved->bus, decoded->frames)}, {}};
    for (std::uint64_t i = 0; i < decoded->frames.size(); ++i)
      source.records.push_back(
          json::parse(test::frameRecord(decoded->frames.frame(i), {&resolved->bus, stream.line}, FrameFormat::Jsonl)));
    out.push_back(std::move(source));
  }
}

/// The whole lock cycle and every kind of CAN frame and fault that the samples hold.
const std::vector<Source>& sources()
{
  static const std::vector<Source> kSources = [] {
    std::vector<Source> all;
    const rig::LockCycle& cycle = lockCycle();
    for (const char* spec : {"sensors=i2c,scl=SCL,sda=SDA", "console=uart,tx=CONSOLE_TX,baud=115200",
                             "sonar=uart,rx=SONAR_RX,tx=SONAR_TX,baud=57600,parity=even",
                             "log=spi,clk=SPI_CLK,mosi=SPI_MOSI,miso=SPI_MISO,cs=LOG_CS",
                             "drives=can,rx=CAN_RX,bitrate=500000,fd_bitrate=2000000",
                             "lamps=lin,rx=LAMPS_LIN,baud=19200", "bearing=onewire,dq=BEARING_DQ"})
      addSources(cycle.capture, spec, all);
    for (const char* name : {"can_std_500k", "can_stuff_error", "can_overload", "can_no_ack", "i2c_10bit", "uart_break",
                             "lin_wakeup", "lin_19200_lengths", "onewire_overdrive_skip"}) {
      NoProgress none;
      const std::string base = std::string(BEXTO_TEST_DATA) + "/" + name;
      const auto capture = readVcd(base + ".vcd", std::stop_token(), none);
      std::ifstream file(base + ".cmd");
      for (std::string line; std::getline(file, line);) {
        if (!line.empty())
          addSources(*capture, line, all);
      }
    }
    return all;
  }();
  return kSources;
}

std::vector<std::string> wantedBuses()
{
  std::vector<std::string> names;
  for (const Source& s : sources())
    names.push_back(s.scan.bus.name);
  return names;
}

std::vector<LineSet> found(const std::string& text, bool byFrame)
{
  const auto query = Query::parse(text, wantedBuses());
  EXPECT_TRUE(query) << text << ": " << query.error().text();
  std::vector<ScanSource> scanned;
  for (const Source& s : sources()) {
    scanned.push_back(s.scan);
    if (byFrame)
      scanned.back().transactions = Transactions::eachFrame(s.scan.transactions.frames());
  }
  return *scanLines(*query, scanned, std::stop_token());
}

using Asked = std::function<bool(const json&)>;

int byteAt(const json& r, const char* key, std::size_t i)
{
  const std::string hex = r.value(key, "");
  return hex.size() >= 2 * i + 2 ? std::stoi(hex.substr(2 * i, 2), nullptr, 16) : -1;
}
bool hasFault(const json& r, const char* word)
{
  return std::find(r["errors"].begin(), r["errors"].end(), word) != r["errors"].end();
}

struct Case {
  const char* text;
  Asked asked;
};

/// Questions that a frame answers by itself; UARTs, whose lines are more than their frames, have a test of their own.
const std::vector<Case>& questions()
{
  static const std::vector<Case> kCases{
      {"address:2A", [](const json& r) { return r.value("address", -1) == 0x2a; }},
      {"address:21..52",
       [](const json& r) { return r.value("address", -1) >= 0x21 && r.value("address", -1) <= 0x52; }},
      {"address:2A,5D", [](const json& r) { return r.value("address", -1) == 0x2a || r.value("address", -1) == 0x5d; }},
      {"read", [](const json& r) { return r.value("direction", "") == "read"; }},
      {"write", [](const json& r) { return r.value("direction", "") == "write"; }},
      {"error:nack", [](const json& r) { return hasFault(r, "nack"); }},
      {"error:ack,crc", [](const json& r) { return hasFault(r, "ack") || hasFault(r, "crc"); }},
      {"crc", [](const json& r) { return hasFault(r, "crc"); }},
      {"unexpected-start", [](const json& r) { return hasFault(r, "unexpected-start"); }},
      {"error", [](const json& r) { return !r["errors"].empty() || r["kind"] == "error"; }},
      {"kind:error,remote", [](const json& r) { return r["kind"] == "error" || r["kind"] == "remote"; }},
      {"overload", [](const json& r) { return r["kind"] == "overload"; }},
      {"break", [](const json& r) { return r["kind"] == "break"; }},
      {"id>=100", [](const json& r) { return r.value("id", -1) >= 0x100; }},
      {"id!=100", [](const json& r) { return r.contains("id") && r["id"] != 0x100; }},
      {"fd brs", [](const json& r) { return r.value("format", "") == "fd" && r.value("brs", false); }},
      {"classic", [](const json& r) { return r.value("format", "") == "classic"; }},
      {"extended", [](const json& r) { return r.value("extended", false) || r.value("address_bits", 0) == 10; }},
      {"dlc:5..15", [](const json& r) { return r.value("dlc", 0) >= 5; }},
      {"crc>=1000", [](const json& r) { return r.value("crc", 0) >= 0x1000; }},
      {"value:41..5A", [](const json& r) { return r.value("value", 0) >= 0x41 && r.value("value", 0) <= 0x5a; }},
      {"pid:11", [](const json& r) { return r.value("pid", -1) == 0x11; }},
      {"pid>=80", [](const json& r) { return r.value("pid", -1) >= 0x80; }},
      {"checksum:10..80", [](const json& r) { return r.value("checksum", -1) >= 0x10 && r["checksum"] <= 0x80; }},
      {"checksum_model:classic", [](const json& r) { return r.value("checksum_model", "") == "classic"; }},
      {"lin checksum_model:enhanced", [](const json& r) { return r.value("checksum_model", "") == "enhanced"; }},
      {"wakeup", [](const json& r) { return r["kind"] == "wakeup"; }},
      {"no-response", [](const json& r) { return hasFault(r, "no-response"); }},
      {"parity", [](const json& r) { return hasFault(r, "parity"); }},
      {"line:rx", [](const json& r) { return r.value("line", "") == "rx"; }},
      {"can", [](const json& r) { return r["protocol"] == "can"; }},
      {"protocol:i2c,spi", [](const json& r) { return r["protocol"] == "i2c" || r["protocol"] == "spi"; }},
      {"log", [](const json& r) { return r["bus"] == "log"; }},
      {"mosi:\"|9F\"", [](const json& r) { return r.value("mosi", "").starts_with("9f"); }},
      {"miso:\"00|\"",
       [](const json& r) { return r.value("miso", "").ends_with("00") && !r.value("miso", "").empty(); }},
      {"address:2A byte0:10",
       [](const json& r) { return r.value("address", -1) == 0x2a && byteAt(r, "data", 0) == 0x10; }},
      {"time>4s", [](const json& r) { return r["start_ps"].get<std::int64_t>() > 4000000000000; }},
      {"lasts>100us",
       [](const json& r) { return r["end_ps"].get<std::int64_t>() - r["start_ps"].get<std::int64_t>() > 100000000; }},
      {"not (read or id:0..7FF)",
       [](const json& r) { return r.value("direction", "") != "read" && r.value("id", 0x800) > 0x7ff; }},
      {"", [](const json&) { return true; }},
  };
  return kCases;
}

}  // namespace

TEST(Scan, FindsTheFramesThatTheRecordsSay)
{
  for (const Case& c : questions()) {
    const std::vector<LineSet> sets = found(c.text, true);
    std::uint64_t expected = 0;
    for (std::size_t s = 0; s < sources().size(); ++s) {
      for (std::size_t i = 0; i < sources()[s].records.size(); ++i) {
        const bool holds = c.asked(sources()[s].records[i]);
        expected += holds ? 1U : 0U;
        ASSERT_EQ(sets[s].contains(i), holds) << c.text << ": " << sources()[s].records[i].dump();
      }
    }
    EXPECT_GT(expected, 0U) << c.text << " is asked of nothing, so the case proves nothing";
  }
}

TEST(Scan, ATermHoldsForALineWhenItHoldsForOneOfItsFrames)
{
  for (const Case& c : questions()) {
    const bool compound = std::string_view(c.text).find_first_of(" (") != std::string_view::npos;
    if (compound || std::string_view(c.text).starts_with("time") || std::string_view(c.text).starts_with("lasts"))
      continue;
    const std::vector<LineSet> sets = found(c.text, false);
    for (std::size_t s = 0; s < sources().size(); ++s) {
      const Transactions& t = sources()[s].scan.transactions;
      for (std::uint64_t line = 0; line < t.size(); ++line) {
        bool holds = false;
        for (std::uint64_t f = t.framesOf(line).first; f < t.framesOf(line).end; ++f)
          holds = holds || c.asked(sources()[s].records[static_cast<std::size_t>(f)]);
        ASSERT_EQ(sets[s].contains(line), holds) << c.text << ", line " << line << " of " << sources()[s].scan.bus.name;
      }
    }
  }
}

TEST(Scan, SeesARunOfCharactersAsOnePayload)
{
  const std::vector<LineSet> sets = found("console text:\"gate 2\"", false);
  std::uint64_t all = 0;
  for (std::size_t s = 0; s < sources().size(); ++s) {
    const Source& source = sources()[s];
    for (std::uint64_t line = 0; line < source.scan.transactions.size(); ++line) {
      const FrameRange range = source.scan.transactions.framesOf(line);
      std::string text;
      for (std::uint64_t f = range.first; f < range.end && source.scan.bus.name == "console"; ++f)
        text += static_cast<char>(source.records[static_cast<std::size_t>(f)].value("value", 0));
      std::transform(text.begin(), text.end(), text.begin(), [](unsigned char c) { return std::tolower(c); });
      const bool holds = text.find("gate 2") != std::string::npos;
      ASSERT_EQ(sets[s].contains(line), holds) << text;
      all += holds ? 1U : 0U;
    }
  }
  EXPECT_GT(all, 0U);
}

TEST(Scan, FromShowsEverythingFromTheFirstMatchOn)
{
  const std::vector<LineSet> faults = found("sensors error", false);
  Picoseconds first = kNever;
  for (std::size_t s = 0; s < sources().size(); ++s) {
    if (faults[s].size() > 0)
      first = std::min(first, sources()[s].scan.transactions.beginOf(faults[s].at(0)));
  }
  ASSERT_LT(first, kNever);
  const std::vector<LineSet> sets = found("from (sensors error)", false);
  for (std::size_t s = 0; s < sources().size(); ++s) {
    const Transactions& t = sources()[s].scan.transactions;
    EXPECT_EQ(sets[s].size(), t.size() - t.firstFrom(first));
  }
  EXPECT_EQ(found("from id:1FFFFFFF", false)[0].size(), 0U) << "what never comes shows nothing";
}

TEST(Scan, PauseIsTheTimeSinceTheSameStreamSpokeBefore)
{
  const std::vector<LineSet> sets = found("pause>5ms", false);
  for (std::size_t s = 0; s < sources().size(); ++s) {
    const Transactions& t = sources()[s].scan.transactions;
    for (std::uint64_t line = 0; line < t.size(); ++line)
      ASSERT_EQ(sets[s].contains(line), line > 0 && t.beginOf(line) - t.timeOf(line - 1).end > Picoseconds{5000000000})
          << line;
  }
}

TEST(Scan, TermsAndTheirOrderAgree)
{
  EXPECT_EQ(found("read address:2A byte0:10", false), found("byte0:10 read address:2A", false));
  EXPECT_EQ(found("not (read or write)", false), found("not read not write", false));
  EXPECT_EQ(found("read or nack", false), found("nack or read", false));
}

TEST(Scan, OfWhatGrowsFindsTheSameAsOfTheWhole)
{
  std::mt19937_64 random(7);
  for (const char* text : {"address:2A nack", "not error", "console text:\"gate\"", "pause>5ms or lasts>2ms",
                           "from (drives error)", "read or data:\"00 ?? 01\"", "sensors"}) {
    const auto query = Query::parse(text, wantedBuses());
    ASSERT_TRUE(query) << text;
    GrowingScan scan(*query);
    std::vector<FrameIndexBuilder> grown(sources().size());
    std::vector<LineSet> last;
    for (bool whole = false; !whole;) {
      std::vector<ScanSource> now;
      whole = true;
      for (std::size_t s = 0; s < sources().size(); ++s) {
        const ScanSource& all = sources()[s].scan;
        const FrameIndex& frames = all.transactions.frames();
        // Sometimes nothing, mostly some, and some streams far behind others.
        const std::uint64_t have = grown[s].size();
        const std::uint64_t to = std::min<std::uint64_t>(frames.size(), have + random() % (400 + 2500 * s));
        for (std::uint64_t f = have; f < to; ++f)
          grown[s].add(frames.frame(f));
        whole = whole && to == frames.size();
        now.push_back({all.bus, all.line, Transactions(all.bus, grown[s].snapshot())});
      }
      const auto found = scan.run(now, std::stop_token());
      ASSERT_TRUE(found);
      const auto anew = scanLines(*query, now, std::stop_token());
      ASSERT_EQ(*found, *anew) << text;
      last = *found;
    }
    EXPECT_EQ(last, found(text, false)) << text;
  }
}

TEST(Scan, AsksOnlyWhatIsNew)
{
  const ScanSource& all = sources()[0].scan;
  const auto query = Query::parse("read", {});
  GrowingScan scan(*query);
  ASSERT_TRUE(scan.run({all}, std::stop_token()));
  int blocks = 0;
  ASSERT_TRUE(scan.run({all}, std::stop_token(), [&](const std::vector<LineSet>&, double) { ++blocks; }));
  EXPECT_EQ(blocks, 1) << "the last line may have grown";
}

TEST(Scan, StopsWhenAsked)
{
  std::stop_source stop;
  const ScanSource& one = sources()[0].scan;
  int calls = 0;
  const auto query = Query::parse("read", {});
  const auto result = scanLines(*query, {one, one}, stop.get_token(), [&](const std::vector<LineSet>&, double) {
    if (++calls == 2)
      stop.request_stop();
  });
  ASSERT_FALSE(result);
  EXPECT_EQ(result.error().code, ErrorCode::Cancelled);
  EXPECT_EQ(calls, 2);
}

TEST(LineSet, TheNextOfBothIsThatOfAPlainWalk)
{
  std::mt19937_64 random(9);
  for (int round = 0; round < 60; ++round) {
    LineSet a;
    LineSet b;
    const std::uint64_t sparse = 2 + random() % 200;
    const std::uint64_t end = 500 + random() % 3000;
    for (std::uint64_t line = 0; line < end; ++line) {
      if (random() % sparse == 0)
        a.add(line);
      if (random() % sparse == 0 && line < end / 2)
        b.add(line);
    }
    std::vector<std::uint64_t> both;
    for (std::uint64_t line = 0; line < end; ++line) {
      if (a.contains(line) && b.contains(line))
        both.push_back(line);
    }
    for (std::uint64_t line = 0; line < end + 200; line += 1 + random() % 9) {
      const auto after = std::lower_bound(both.begin(), both.end(), line);
      const auto next = LineSet::nextOfBoth(a, b, line, true);
      const auto before = LineSet::nextOfBoth(a, b, line, false);
      ASSERT_EQ(next, after == both.end() ? std::nullopt : std::optional(*after)) << line;
      ASSERT_EQ(before, after == both.begin() ? std::nullopt : std::optional(*(after - 1))) << line;
    }
  }
  EXPECT_FALSE(LineSet::nextOfBoth({}, {}, 0, false));
}

TEST(LineSet, CutIsAsIfTheRestHadNeverBeenAdded)
{
  std::mt19937_64 random(6);
  for (int round = 0; round < 300; ++round) {
    std::vector<std::uint64_t> plain;
    for (std::uint64_t line = 0; line < 3000; ++line) {
      if (random() % 30 == 0)
        plain.push_back(line);
    }
    LineSet set;
    for (const std::uint64_t line : plain)
      set.add(line);
    const std::uint64_t cut = random() % 3200;
    set.cutFrom(cut);
    LineSet fewer;
    for (const std::uint64_t line : plain) {
      if (line < cut)
        fewer.add(line);
    }
    ASSERT_EQ(set, fewer) << cut;
    set.add(std::max<std::uint64_t>(cut, 3500));
    ASSERT_EQ(set.at(set.size() - 1), std::max<std::uint64_t>(cut, 3500));
  }
}

TEST(LineSet, CountsAndFindsLikeAPlainList)
{
  std::mt19937_64 random(5);
  for (const unsigned sparse : {1U, 2U, 40U, 3000U}) {
    LineSet set;
    std::vector<std::uint64_t> plain;
    for (std::uint64_t line = 0; line < 20000; ++line) {
      if (random() % sparse == 0) {
        set.add(line);
        plain.push_back(line);
      }
    }
    ASSERT_EQ(set.size(), plain.size());
    for (std::size_t k = 0; k < plain.size(); ++k)
      ASSERT_EQ(set.at(k), plain[k]);
    for (std::uint64_t line = 0; line < 21000; line += 7) {
      const auto below = std::lower_bound(plain.begin(), plain.end(), line);
      ASSERT_EQ(set.countBelow(line), static_cast<std::uint64_t>(below - plain.begin()));
      ASSERT_EQ(set.contains(line), below != plain.end() && *below == line);
    }
  }
}
