#include "core/query/event_watch.h"

#include <random>

#include "core/decode/bus_spec.h"
#include "core/signal/edge_stream.h"
#include "support/lock_cycle.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

/// The wires of [from, to), from 0 on.
std::shared_ptr<const Capture> cut(Picoseconds from, Picoseconds to)
{
  auto capture = std::make_shared<Capture>(lockCycle().capture);
  for (Channel& channel : capture->channels) {
    EdgeTrackBuilder builder;
    builder.set(0, channel.track.levelAt(from));
    for (EdgeStream edges({channel.track, {}}, from + Picoseconds{1}, kNever, true); edges.next() < to.count();
         edges.advance())
      builder.toggle(edges.next() - from.count());
    channel.track = builder.snapshot();
  }
  capture->end = to - from;
  capture->trigger.reset();
  return capture;
}

std::vector<Bus> buses(const std::vector<std::string>& specs)
{
  std::vector<Bus> all;
  for (const std::string& spec : specs)
    all.push_back(*parseBusSpec(spec));
  return all;
}

std::unique_ptr<EventWatch> watchFor(const std::string& query, const std::vector<std::string>& specs)
{
  const std::vector<Bus> all = buses(specs);
  std::vector<std::string> names;
  for (const Bus& bus : all)
    names.push_back(bus.name);
  return std::make_unique<EventWatch>(all, *Query::parse(query, names));
}

/// What was found, and when it begins.
struct Found {
  Picoseconds begin{0};
  std::string bus;
  bool operator==(const Found&) const = default;
};

/// What is found when the stretch comes in pieces that end at those moments.
std::vector<Found> found(const std::string& query, const std::vector<std::string>& specs, Picoseconds from,
                         const std::vector<Picoseconds>& ends)
{
  const auto watch = watchFor(query, specs);
  std::vector<Found> all;
  for (const Picoseconds end : ends) {
    for (const EventWatch::Event& event : watch->look(*cut(from, end))) {
      EXPECT_LT(event.time.begin, event.time.end);
      EXPECT_LE(event.time.end, end - from);
      all.push_back({event.time.begin + from, event.bus});
    }
  }
  return all;
}

const char* const kSensorBus = "sensors=i2c,scl=SCL,sda=SDA";
const char* const kConsole = "console=uart,tx=CONSOLE_TX,baud=115200";
const char* const kDrives = "drives=can,rx=CAN_RX,bitrate=500000,fd_bitrate=2000000";

}  // namespace

TEST(EventWatch, FindsTheEventWhereverTheStreamIsCut)
{
  // The abandoned read, cut at every place around it: once in each 3 us, and right beside each of its edges.
  const Picoseconds at = lockCycle().faults.stretchedRead;
  const Picoseconds from = at - 1ms;
  const Picoseconds to = at + 1ms;
  const auto whole = found("unexpected-start", {kSensorBus}, from, {to});
  ASSERT_EQ(whole.size(), 1U);
  EXPECT_GE(whole[0].begin, at);
  EXPECT_LT(whole[0].begin, at + 300us);
  std::vector<Picoseconds> places;
  for (Picoseconds place = from + 3us; place < to; place += 3us)
    places.push_back(place);
  for (const Channel* wire : {&lockCycle().capture.channels[0], &lockCycle().capture.channels[1]}) {
    for (std::uint64_t i = wire->track.countBefore(at); wire->track.at(i) < at + 500us; ++i)
      places.insert(places.end(), {wire->track.at(i), wire->track.at(i) + Picoseconds{1}});
  }
  for (const Picoseconds place : places)
    ASSERT_EQ(found("unexpected-start", {kSensorBus}, from, {place, to}), whole) << place.count();
}

TEST(EventWatch, ATextIsFoundOnceWhicheverCharacterCameLast)
{
  const Picoseconds from = lockCycle().faults.stretchedRead;
  const Picoseconds to = from + 150ms;
  const auto whole = found("text:timeout", {kConsole}, from, {to});
  ASSERT_EQ(whole.size(), 1U);
  std::vector<Picoseconds> ends;
  for (Picoseconds place = whole[0].begin; place < whole[0].begin + 4ms; place += 29us)
    ASSERT_EQ(found("text:timeout", {kConsole}, from, {place, to}), whole) << place.count();
  for (Picoseconds place = from + 1ms; place < to; place += 137us)
    ends.push_back(place);
  ends.push_back(to);
  EXPECT_EQ(found("text:timeout", {kConsole}, from, ends), whole);
}

TEST(EventWatch, ManySmallPiecesAndManyBusesFindWhatOneFinds)
{
  std::mt19937_64 random(5);
  const Picoseconds from = 5100ms;
  const Picoseconds to = 5300ms;
  const std::vector<std::string> all{kSensorBus, kConsole, kDrives};
  const std::string query = "error or id:122 byte0:0B or address:21 write";
  auto whole = found(query, all, from, {to});
  EXPECT_GT(whole.size(), 20U);
  for (int round = 0; round < 5; ++round) {
    std::vector<Picoseconds> ends;
    for (Picoseconds at = from + 1us; at < to;
         at += Picoseconds{1 + static_cast<std::int64_t>(random() % 4'000'000'000)})
      ends.push_back(at);
    ends.push_back(to);
    auto pieces = found(query, all, from, ends);
    // Buses are sure of their frames at different times: within a piece they stand in order.
    const auto byTime = [](const Found& a, const Found& b) {
      return std::pair(a.begin, a.bus) < std::pair(b.begin, b.bus);
    };
    std::sort(pieces.begin(), pieces.end(), byTime);
    std::sort(whole.begin(), whole.end(), byTime);
    ASSERT_EQ(pieces, whole);
  }
}

TEST(EventWatch, OldSamplesCanBeLetGoWithoutLosingOrRepeatingAnEvent)
{
  // In steps of 10 ms the watch looks at the last 60 ms only.
  const Picoseconds from = 4900ms;
  const Picoseconds to = 5500ms;
  const std::string query = "error or id:122 byte0:0B or address:21 write or text:level";
  const std::vector<std::string> all{kSensorBus, kConsole, kDrives};
  auto whole = found(query, all, from, {to});
  const auto watch = watchFor(query, all);
  std::vector<Found> rolling;
  Picoseconds base = from;
  for (Picoseconds end = from + 10ms; end <= to; end += 10ms) {
    for (const EventWatch::Event& event : watch->look(*cut(base, end)))
      rolling.push_back({event.time.begin + base, event.bus});
    if (end - base > 60ms) {
      const Picoseconds next = end - 40ms;
      watch->moveTo(next - base);
      base = next;
    }
  }
  const auto byTime = [](const Found& a, const Found& b) {
    return std::pair(a.begin, a.bus) < std::pair(b.begin, b.bus);
  };
  std::sort(rolling.begin(), rolling.end(), byTime);
  std::sort(whole.begin(), whole.end(), byTime);
  const auto text = [](const std::vector<Found>& events) {
    std::vector<std::string> lines;
    for (const Found& event : events)
      lines.push_back(event.bus + ' ' + std::to_string(event.begin.count()));
    return lines;
  };
  const std::vector<std::string> got = text(rolling);
  const std::vector<std::string> expected = text(whole);
  for (const std::string& line : got)
    EXPECT_NE(std::find(expected.begin(), expected.end(), line), expected.end()) << "not there: " << line;
  for (const std::string& line : expected)
    EXPECT_EQ(std::count(got.begin(), got.end(), line), 1) << line;
}

TEST(EventWatch, WaitsForARateThatIsToBeFoundAndSaysWhatIsMissing)
{
  const auto watch =
      watchFor("text:ready", {"console=uart,tx=CONSOLE_TX,baud=auto", "other=uart,rx=NOWHERE,baud=9600"});
  EXPECT_TRUE(watch->look(*cut(Picoseconds{0}, Picoseconds(1ms))).empty());
  EXPECT_EQ(watch->errors().size(), 2U);
  const auto events = watch->look(*cut(Picoseconds{0}, Picoseconds(20ms)));
  ASSERT_EQ(events.size(), 1U);
  EXPECT_EQ(events[0].bus, "console");
  ASSERT_EQ(watch->errors().size(), 1U);
  EXPECT_NE(watch->errors()[0].text().find("NOWHERE"), std::string::npos);
}
