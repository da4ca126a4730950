// What is made of wires that are cut, noisy and wrong, on record: frames, anatomies, sentences, judgements and what
// "auto" finds. Beside what is short there are only sums of what is said: BEXTO_TELL=uart/7 writes all of that case to
// the standard output, before a change and after it.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <iostream>

#include "core/export/check_writer.h"
#include "core/export/frame_writer.h"
#include "core/query/query.h"
#include "core/query/scan.h"
#include "core/view/bus_lane.h"
#include "core/view/byte_stream.h"
#include "core/view/overview.h"
#include "support/checks.h"
#include "support/each_processor.h"
#include "support/kept_text.h"
#include "support/random_traffic.h"
#include "support/text_sum.h"
#include "support/told.h"

using namespace bexto;
using namespace bexto::test;

namespace {

constexpr std::array<const char*, 6> kProtocols{"uart", "i2c", "spi", "can", "lin", "onewire"};
constexpr int kSeeds = 120;

std::string framesText(const Bus& bus, const FrameIndex& frames)
{
  std::string text;
  for (const FrameFormat format : {FrameFormat::Jsonl, FrameFormat::Csv, FrameFormat::Text}) {
    for (const Frame& frame : framesOf(frames))
      text += frameRecord(frame, {&bus, {}}, format);
  }
  return text;
}

std::string anatomiesText(const RandomTraffic& t, const FrameIndex& frames)
{
  std::string text;
  for (std::uint64_t i = 0; i < std::min<std::uint64_t>(frames.size(), 60); ++i) {
    text += "  frame " + std::to_string(i) + "\n" + anatomyText(t.bus, t.input, frames, i);
    // And which bits are shown of it, wherever one points.
    const Anatomy anatomy = anatomyOf(t.bus, t.input, frames, i);
    const TimeRange time = frames.frame(i).time;
    for (int at = -1; at <= 9; ++at) {
      const auto [first, end] = t.bus.protocol().bitsAround(anatomy, time.begin + at * (time.length() / 8));
      EXPECT_TRUE(first <= end && end <= anatomy.bits.size());
      text += " " + std::to_string(first) + "-" + std::to_string(end);
    }
    text += "\n";
  }
  return text;
}

std::string linesText(const RandomTraffic& t, const FrameIndex& frames)
{
  const LedgerSource source{t.bus, {}, Transactions(t.bus, frames), nullptr, false};
  std::string text;
  for (std::uint64_t i = 0; i < std::min<std::uint64_t>(source.transactions.size(), 40); ++i)
    text += told(source, i, false, t.input);
  return text;
}

/// Each of its values, in every way that it can be read.
std::string bytesText(const Bus& bus, const FrameIndex& frames)
{
  std::string text;
  for (const PayloadWay way : bus.protocol().waysOf(bus)) {
    const ByteStream bytes = *ByteStream::make(bus, frames, way, std::stop_token());
    for (const ByteStream::Byte& byte : bytes.read(bytes.size() / 3, 200))
      text += fmt::format("{} {:02X}{}{}\n", byte.frame, byte.value, byte.first ? " first" : "",
                          byte.fault ? " faulty" : "");
  }
  return text;
}

std::string judgedText(const RandomTraffic& t)
{
  const BusCheck check = checked(checkInputOf(t.bus, t.input));
  // Not as CSV, whose means have all their digits: vectors add up in another order.
  std::string text = checkText(CheckFormat::Text, {}, {{&t.bus, &check}});
  for (const Remark& remark : check.remarks)
    text += "remark " + remark.what + " " + span(remark.time) + "\n";
  for (const Finding& f : check.findings) {
    text += check.rules[f.rule].rule + " " + f.what + " " + span(f.time) +
            (f.cause ? " cause " + f.cause->why + " " + span(f.cause->time) : "") + "\n";
  }
  for (const RuleResult& rule : check.rules) {
    for (const RuleGroup& group : rule.groups)
      text += rule.rule + " " + group.name + " " + valueText(rule, group.spread.min) + ".." +
              valueText(rule, group.spread.max) + " " + std::to_string(group.spread.count) + "\n";
  }
  return text;
}

/// What is shown of it, from afar and from near by.
std::string shownText(const RandomTraffic& t, const FrameIndex& frames)
{
  const Transactions lines(t.bus, frames);
  const std::vector<std::uint32_t> faulty = faultyFrames(lines);
  const TimeRange whole{Picoseconds{0}, t.input.until};
  std::string text = span(firstActiveStretch({lines}, whole)) + "\n";
  for (const std::uint8_t part : trafficDensity(frames, whole, 100))
    text += std::to_string(part) + " ";
  for (const int column : faultColumns(frames, faulty, whole, 100))
    text += std::to_string(column) + " ";
  for (const int pixels : {50, 700, 9000}) {
    const BusLane lane = busLane(t.bus, t.input, lines, faulty, TimeAxis(whole, pixels));
    for (const LaneSentence& part : lane.sentences)
      text += fmt::format("\n{:.3f} {:.3f} {}+{} {}", part.x0, part.x1, part.transaction, part.count, part.fault);
    for (const LaneField& part : lane.fields)
      text += fmt::format("\n{:.3f} {:.3f} {} {} {} {} {} {}", part.x0, part.x1, static_cast<int>(part.role), part.text,
                          part.brief, part.frame, part.fault, part.line);
    for (const LaneBit& part : lane.bits)
      text +=
          fmt::format("\n{:.3f} {} {} {} {}", part.x, part.level, static_cast<int>(part.role), part.fault, part.line);
  }
  return text + "\n";
}

/// How many of its lines, and of its frames, each term finds.
std::string askedText(const RandomTraffic& t, const FrameIndex& frames)
{
  std::vector<std::string> terms{"error",         "not error",      "from error not incomplete",
                                 "length>2",      "length:1..3",    "byte0>=80",
                                 "byte1!=0",      "data:\"0? *\"",  "last<40",
                                 "data:\"| 0?\"", "text:a or sent", "lasts>20us",
                                 "pause>100us",   "time>1ms",       "time:0..300us"};
  for (const Property& property : t.bus.protocol().facts().properties) {
    if (!property.example.empty())
      terms.push_back(property.example);
  }
  std::string text;
  for (const std::string& term : terms) {
    const auto query = Query::parse(term, {t.bus.name});
    EXPECT_TRUE(query) << term << ": " << query.error().text();
    if (!query)
      continue;
    for (const Transactions& lines : {Transactions(t.bus, frames), Transactions::eachFrame(frames)})
      text += std::to_string(scanLines(*query, {{t.bus, {}, lines}}, std::stop_token())->front().size()) + " ";
    text += term + "\n";
  }
  return text;
}

/// What the rate, or whatever else can be "auto", is found to be.
std::string foundText(const RandomTraffic& t)
{
  std::vector<std::pair<std::string, EdgeTrack>> wires;
  for (std::size_t i = 0; i < t.bus.wires.size() && i < t.input.tracks.size(); ++i)
    wires.emplace_back(t.bus.wires[i].channel, t.input.tracks[i].track);
  const Capture capture = captureOf(wires, t.input.until);
  std::string text;
  for (const SettingSpec& setting : t.bus.settings.specs()) {
    Bus asked = t.bus;
    if (!asked.set(setting.key, "auto"))
      continue;
    const auto found = resolveBus(asked, capture);
    text += setting.key + " " + (found ? busSpecText(found->bus) : found.error().text()) + "\n";
  }
  return text;
}

std::string all(const std::string& protocol, std::uint64_t seeds)
{
  const char* const asked = std::getenv("BEXTO_TELL");
  std::string text;
  for (std::uint64_t seed = 0; seed < seeds; ++seed) {
    const std::string name = protocol + "/" + std::to_string(seed);
    const RandomTraffic t = seed % 6 == 5 ? nonsense(protocol, seed) : dirtyTraffic(protocol, seed);
    const FrameIndex frames = decodeAll(t.bus, t.input);
    text += "== " + name + " " + busSpecText(t.bus) + "\n" + foundText(t);
    const std::array<std::pair<const char*, std::string>, 7> parts{{{"frames", framesText(t.bus, frames)},
                                                                    {"anatomy", anatomiesText(t, frames)},
                                                                    {"lines", linesText(t, frames)},
                                                                    {"bytes", bytesText(t.bus, frames)},
                                                                    {"judged", judgedText(t)},
                                                                    {"shown", shownText(t, frames)},
                                                                    {"asked", askedText(t, frames)}}};
    for (const auto& [part, said] : parts) {
      text += std::string(part) + " " + sumOf(said) + "\n";
      if (asked != nullptr && name == asked)
        std::cout << "-- " << part << "\n" << said;
    }
  }
  return text;
}

class SaidOfDirt : public testing::TestWithParam<const char*> {};
class SaidOfDirtOnEach : public EachProcessor {};

/// The first cases alone.
void expectBeginKept(const std::string& protocol, int seeds)
{
  const std::string text = all(protocol, static_cast<std::uint64_t>(seeds));
  std::ifstream in(std::string(BEXTO_TEST_DATA) + "/said/dirt_" + protocol + ".txt", std::ios::binary);
  std::ostringstream kept;
  kept << in.rdbuf();
  EXPECT_EQ(kept.str().substr(0, text.size()), text) << "see what SaidOfDirt says";
}

TEST_P(SaidOfDirt, IsOnRecord)
{
  if (cases(kSeeds) >= kSeeds)
    expectKept(std::string("said/dirt_") + GetParam() + ".txt", all(GetParam(), kSeeds));
  else
    expectBeginKept(GetParam(), cases(kSeeds));  // sanitizers find what they find in a few
}

TEST_P(SaidOfDirtOnEach, IsTheSame)
{
  for (const char* const protocol : kProtocols)
    expectBeginKept(protocol, std::min(12, cases(12)));
}

INSTANTIATE_TEST_SUITE_P(Protocols, SaidOfDirt, testing::ValuesIn(kProtocols),
                         [](const auto& info) { return info.param; });
BEXTO_EACH_PROCESSOR(SaidOfDirtOnEach);

}  // namespace
