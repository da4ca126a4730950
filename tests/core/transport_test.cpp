// Messages in several frames (ISO 15765-2), whole and in parts.
#include "core/device/transport.h"

#include <gmock/gmock.h>

#include <random>

#include "core/device/reading.h"
#include "support/device_traffic.h"

using namespace bexto;
using namespace bexto::test;
using testing::ElementsAre;
using Bytes = std::vector<std::uint8_t>;

namespace {

using namespace std::chrono_literals;

constexpr const char* kTransportSheet =
    "sheet: 1\ndevice: drives\nbus: can\norder: big\n"
    "transport:\n  tester: {id: 0x6E0, flow: 0x6E8, from: bench}\n  gate: {id: 0x6E8, flow: 0x6E0, from: gate 1}\n"
    "messages:\n"
    "  ask:\n    over: tester\n    match: {byte: 0, value: 0x22}\n    fields: {what: {byte: 1, bytes: 2, hex: yes}}\n"
    "    text: \"asks for {what}\"\n"
    "  tell:\n    over: gate\n    match: {byte: 0, value: 0x62}\n    answers: ask\n    within: 100 ms\n"
    "    fields: {what: {byte: 1, bytes: 2, hex: yes}, hours: {byte: 9, bytes: 2, unit: h}}\n"
    "    text: \"{what}: {hours}\"\n"
    "  alive: {id: 0x100}\n";

/// The bytes 00, 01, 02 …
Bytes counting(std::size_t count, std::uint8_t first = 0)
{
  Bytes bytes;
  for (std::size_t i = 0; i < count; ++i)
    bytes.push_back(static_cast<std::uint8_t>(first + i));
  return bytes;
}

/// The frames of a message as its sender says them, eight bytes each.
std::vector<Bytes> inParts(const Bytes& message)
{
  std::vector<Bytes> parts;
  if (message.size() <= 7) {
    parts.push_back({static_cast<std::uint8_t>(message.size())});
    parts.back().insert(parts.back().end(), message.begin(), message.end());
    return parts;
  }
  parts.push_back({static_cast<std::uint8_t>(0x10U | message.size() >> 8U), static_cast<std::uint8_t>(message.size())});
  std::size_t at = 0;
  const auto fill = [&](Bytes& part) {
    while (part.size() < 8 && at < message.size())
      part.push_back(message[at++]);
  };
  fill(parts.back());
  for (std::uint8_t number = 1; at < message.size(); ++number) {
    parts.push_back({static_cast<std::uint8_t>(0x20U | (number & 0x0fU))});
    fill(parts.back());
  }
  return parts;
}

class Talker {
 public:
  explicit Talker(const std::string& sheet = kTransportSheet) { t.describe(sheet); }
  void send(std::uint32_t id, const Bytes& message, std::uint32_t flow = 0)
  {
    const auto parts = inParts(message);
    for (std::size_t i = 0; i < parts.size(); ++i) {
      t.can(id, parts[i]);
      if (i == 0 && parts.size() > 1 && flow != 0)
        t.can(flow, {0x30, 8, 5});
    }
  }
  /// What the frames say, and behind it the whole messages.
  std::vector<Transactions> together(bool final = true) const
  {
    std::vector<Transactions> streams{t.transactions()};
    if (auto wholes = Transactions::wholesIn(t.bus(), streams.front(), {}, final))
      streams.push_back(std::move(*wholes));
    Transactions::putTogether(t.bus(), streams);
    return streams;
  }
  std::vector<std::string> sentences(std::size_t stream, bool final = true) const
  {
    const auto streams = together(final);
    std::vector<std::string> texts;
    for (std::uint64_t i = 0; i < streams.at(stream).size(); ++i)
      texts.push_back(sentenceOf(t.bus(), streams[stream], i).text());
    return texts;
  }
  const Wholes& wholes() const
  {
    m_kept = together();
    return *dynamic_cast<const Reading&>(*m_kept.back().meaning()).wholes();
  }

  DeviceTraffic t{"can"};

 private:
  mutable std::vector<Transactions> m_kept;
};

Bytes bytesOf(const Wholes& wholes, std::uint64_t number)
{
  const auto payload = wholes.frames().frame(number).payload;
  return {payload.begin(), payload.end()};
}

}  // namespace

TEST(Transport, PartsSayWhatTheyAre)
{
  using Kind = TransportPart::Kind;
  const auto kind = [](const Bytes& bytes, bool extended = false) { return transportPart(bytes, extended).kind; };
  EXPECT_EQ(kind({0x02, 1, 2}), Kind::Single);
  EXPECT_EQ(transportPart(Bytes{0x02, 1, 2}, false).length, 2U);
  EXPECT_EQ(kind({0x03, 1, 2}), Kind::None) << "longer than the frame";
  EXPECT_EQ(kind({0x00, 1, 2}), Kind::None);
  EXPECT_EQ(kind({}), Kind::None);
  Bytes fd = counting(12);
  fd[0] = 0;
  fd[1] = 10;
  EXPECT_EQ(kind(fd), Kind::Single) << "of a longer frame";
  EXPECT_EQ(transportPart(fd, false).data, 2U);
  EXPECT_EQ(transportPart(Bytes{0x11, 0x05, 9}, false).length, 0x105U);
  EXPECT_EQ(transportPart(Bytes{0x10, 0, 0, 1, 0, 0, 9}, false).length, 0x10000U);
  EXPECT_EQ(transportPart(Bytes{0x10, 0, 0, 1, 0, 0, 9}, false).data, 6U);
  EXPECT_EQ(kind({0x10}), Kind::None);
  EXPECT_EQ(transportPart(Bytes{0x2F, 1}, false).number, 15);
  EXPECT_EQ(kind({0x30, 0}), Kind::None);
  EXPECT_EQ(kind({0x30, 0, 0}), Kind::Flow);
  EXPECT_EQ(kind({0x40, 0, 0}), Kind::None);
  EXPECT_EQ(kind({0x55, 0x01, 7}, true), Kind::Single) << "an address in front";
  EXPECT_EQ(transportPart(Bytes{0x55, 0x01, 7}, true).data, 2U);
  EXPECT_EQ(apartOf(0x14), Picoseconds{20ms});
  EXPECT_EQ(apartOf(0xF3), Picoseconds{300us});
  EXPECT_EQ(apartOf(0x80), Picoseconds{127ms});
}

TEST(Transport, AMessageIsWholeAndKnowsItsParts)
{
  Talker talk;
  talk.t.can(0x100, {1});
  Bytes answer{0x62, 0xF1, 0x90};
  for (const std::uint8_t b : counting(17))
    answer.push_back(b);
  talk.send(0x6E0, {0x22, 0xF1, 0x90});
  talk.send(0x6E8, answer, 0x6E0);
  const auto streams = talk.together();
  ASSERT_EQ(streams.size(), 2U);
  EXPECT_THAT(talk.sentences(0), ElementsAre(testing::HasSubstr("alive"), "bench tester, all of it: 22 F1 90",
                                             "gate 1 gate, first part of 20 bytes: 62 F1 90 00 01 02",
                                             "bench gate: go on, 8 at a time, 5.00 ms apart",
                                             testing::HasSubstr("gate, part 1"), testing::HasSubstr("gate, part 2")));
  EXPECT_THAT(talk.sentences(1), ElementsAre("bench asks for 0xF190", "gate 1 0xF190: 1543 h"));
  EXPECT_EQ(bytesOf(talk.wholes(), 1), answer);
  // There and back.
  const auto parts = streams[1].meaning()->kinOf({1, 2});
  ASSERT_TRUE(parts);
  EXPECT_TRUE(parts->areParts);
  EXPECT_EQ(parts->stream, 0);
  EXPECT_THAT(parts->frames, ElementsAre(2, 3, 4, 5));
  for (const std::uint64_t part : parts->frames) {
    const auto whole = streams[0].meaning()->kinOf({part, part + 1});
    ASSERT_TRUE(whole);
    EXPECT_FALSE(whole->areParts);
    EXPECT_EQ(whole->stream, 1);
    EXPECT_THAT(whole->frames, ElementsAre(1));
  }
  EXPECT_FALSE(streams[0].meaning()->kinOf({0, 1}));
  // It lasts from its first part to its last, and answers what was asked.
  EXPECT_EQ(streams[1].timeOf(1).begin, streams[0].beginOf(2));
  EXPECT_EQ(streams[1].timeOf(1).end, streams[0].timeOf(5).end);
  const auto partner = streams[1].meaning()->partnerOf({1, 2});
  ASSERT_TRUE(partner);
  EXPECT_TRUE(partner->isAnswer);
  EXPECT_EQ(partner->frame, 0U);
}

TEST(Transport, ManyAtOnceAreToldApart)
{
  Talker talk;
  const auto one = inParts(counting(30));
  const auto other = inParts(counting(40, 100));
  for (std::size_t i = 0; i < std::max(one.size(), other.size()); ++i) {
    if (i < one.size())
      talk.t.can(0x6E0, one[i]);
    if (i < other.size())
      talk.t.can(0x6E8, other[i]);
    talk.t.can(0x100, {1});
  }
  const Wholes& wholes = talk.wholes();
  ASSERT_EQ(wholes.frames().size(), 2U);
  EXPECT_EQ(bytesOf(wholes, 0), counting(30));
  EXPECT_EQ(bytesOf(wholes, 1), counting(40, 100));
}

TEST(Transport, WhatIsBrokenIsSaidAndTheRestGoesOn)
{
  Talker talk;
  const auto parts = inParts(counting(30));
  const auto begin = [&](std::size_t count) {
    for (std::size_t i = 0; i < count; ++i)
      talk.t.can(0x6E0, parts[i]);
  };
  talk.t.can(0x6E0, parts[2]);  // its begin was before the capture
  begin(2);
  talk.send(0x6E0, {0x22, 1, 2});  // interrupts it
  begin(2);
  talk.t.can(0x6E0, parts[3]);  // one is missing
  talk.t.can(0x6E0, parts[4]);
  begin(3);
  talk.t.rest(2s);  // nothing more
  talk.t.can(0x100, {1});
  begin(1);
  talk.t.can(0x6E8, {0x32, 0, 0});  // overflow
  talk.send(0x6E0, {0x22, 1, 3});
  begin(2);  // goes on behind the capture
  const auto wholes = talk.together();
  EXPECT_THAT(talk.sentences(1),
              ElementsAre(testing::HasSubstr("another message began"), "no answer · bench asks for 0x0102",
                          testing::HasSubstr("a part is missing"), testing::HasSubstr("never came"),
                          testing::HasSubstr("no room"), "bench asks for 0x0103"));
  EXPECT_THAT(wholes[1].meaning()->faulty(0), ElementsAre(0, 1, 2, 3, 4));
  EXPECT_FALSE(wholes[0].meaning()->isFaulty({0, 1}));
}

TEST(Transport, UnknownMessagesAndReservedPartsAreFaults)
{
  Talker talk;
  talk.send(0x6E0, {0x3E, 0x00});
  talk.t.can(0x6E0, {0x50, 1, 2});
  const auto streams = talk.together();
  EXPECT_THAT(talk.sentences(1), ElementsAre(testing::HasSubstr("3E 00")));
  EXPECT_TRUE(streams[1].isFaulty(0));
  EXPECT_FALSE(streams[0].isFaulty(0));
  EXPECT_TRUE(streams[0].isFaulty(1));
}

TEST(Transport, WhatGrowsIsTheBeginOfTheWhole)
{
  std::mt19937 random(5);
  for (int round = 0; round < 10; ++round) {
    Talker talk;
    std::vector<std::vector<Bytes>> queues(2);
    std::vector<Bytes> begun;
    for (int i = 0; i < 120; ++i) {
      const std::size_t who = random() % 2;
      if (queues[who].empty()) {
        queues[who] = inParts(counting(random() % 60 + 1));
        std::reverse(queues[who].begin(), queues[who].end());
      }
      talk.t.can(who == 0 ? 0x6E0 : 0x6E8, queues[who].back());
      queues[who].pop_back();
      if (random() % 20 == 0)
        queues[who].clear();
      // What is there now is what will be there.
      const auto now = talk.together(false);
      for (std::size_t n = 0; n < begun.size(); ++n) {
        const auto payload = now[1].frames().frame(n).payload;
        ASSERT_EQ(begun[n], Bytes(payload.begin(), payload.end())) << round;
      }
      begun.clear();
      for (std::uint64_t n = 0; n < now[1].size(); ++n) {
        const auto payload = now[1].frames().frame(n).payload;
        begun.emplace_back(payload.begin(), payload.end());
      }
    }
    EXPECT_GE(talk.together(true)[1].size(), begun.size());
  }
}

TEST(Transport, AnyBytesAtAll)
{
  std::mt19937 random(9);
  for (int round = 0; round < 200; ++round) {
    Talker talk(round % 2 == 0
                    ? std::string(kTransportSheet)
                    : std::string(kTransportSheet)
                          .replace(std::string(kTransportSheet).find("flow: 0x6E8,"), 12, "addressing: extended,"));
    for (int i = 0; i < 40; ++i) {
      Bytes bytes = counting(random() % 65);
      for (std::uint8_t& b : bytes)
        b = static_cast<std::uint8_t>(random() % 4 == 0 ? random() : random() % 0x40);
      talk.t.can(random() % 2 == 0 ? 0x6E0 : 0x6E8, bytes);
    }
    const auto streams = talk.together();
    for (std::size_t s = 0; s < 2; ++s)
      EXPECT_EQ(talk.sentences(s).size(), streams[s].size());
    for (std::uint64_t i = 0; i < streams[1].size(); ++i)
      EXPECT_FALSE(streams[1].meaning()->kinOf({i, i + 1})->frames.empty());
  }
}

TEST(Transport, ASheetSaysWhatIsWrongWithIt)
{
  const auto problem = [](const std::string& from, const std::string& to) {
    std::string text = kTransportSheet;
    text.replace(text.find(from), from.size(), to);
    const auto problems = readSheet(text).problems;
    return problems.empty() ? std::string("none") : problems.front().message;
  };
  EXPECT_EQ(problem("order: big", "order: big"), "none");
  EXPECT_EQ(problem("over: tester", "over: nobody"), "there is no transport 'nobody'");
  EXPECT_THAT(problem("{id: 0x100}", "{id: 0x6E0}"), testing::HasSubstr("is that of the transport 'tester'"));
  EXPECT_THAT(problem("gate: {id: 0x6E8", "gate: {id: 0x6E0"), testing::HasSubstr("has the identifier of 'tester'"));
  EXPECT_THAT(problem("flow: 0x6E8,", "addressing: odd,"), testing::HasSubstr("odd"));
  EXPECT_THAT(problem("    over: tester\n", "    over: tester\n    id: 0x100\n"), testing::HasSubstr("id"));
}
