// Tested by tests/live/scpi_source_test.cpp.
#include "live/scpi_source.h"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <thread>

#include "core/base/number_text.h"
#include "core/base/say.h"

namespace bexto::live {

namespace {

constexpr std::size_t kHead = 32;  // bytes in front of the samples of a block,
constexpr std::size_t kSpan = 24;  // and for each stretch in which the instrument drove wires
constexpr std::size_t kMostInputs = 64;
constexpr std::size_t kMostName = 64;

/// Little-endian.
std::uint64_t numberAt(std::span<const std::uint8_t> bytes, std::size_t at, std::size_t size)
{
  std::uint64_t number = 0;
  for (std::size_t i = 0; i < size; ++i)
    number |= std::uint64_t{bytes[at + i]} << (8 * i);
  return number;
}

/// Texts in quotes between commas; nullopt: it is something else.
std::optional<std::vector<std::string>> textsOf(std::string_view answer)
{
  std::vector<std::string> texts;
  for (std::size_t at = 0; at < answer.size(); ++at) {
    if (answer[at] != '"')
      return std::nullopt;
    std::string text;
    for (++at; at < answer.size() && (answer[at] != '"' || answer.substr(at + 1).starts_with('"')); ++at) {
      text += answer[at];
      at += answer[at] == '"' ? 1U : 0U;
    }
    if (at >= answer.size() || (at + 1 < answer.size() && answer[at + 1] != ',') || texts.size() == kMostInputs)
      return std::nullopt;
    ++at;
    // What stands in a name is shown and typed: nothing that moves a cursor, and not without an end.
    std::replace_if(
        text.begin(), text.end(), [](char c) { return static_cast<unsigned char>(c) < ' '; }, ' ');
    texts.push_back(text.substr(0, kMostName));
  }
  return texts;
}

/// As a bus names its channels: whole, or by their trailing part.
bool isCalled(const std::string& channel, const std::string& wanted)
{
  return !wanted.empty() && (channel == wanted || channel.ends_with("." + wanted));
}

std::string numberText(double number)
{
  return fmt::format("{:.12G}", number);
}

}  // namespace

Result<SourceFacts> ScpiSource::open(const std::stop_token& stop)
{
  if (auto connected = m_link.connect(stop); !connected)
    return tl::unexpected(connected.error());
  SourceFacts facts;
  const auto name = m_link.ask("*IDN?", stop);
  if (!name)
    return tl::unexpected(name.error());
  // Manufacturer, model, serial number, version: IEEE 488.2-1992, 10.14.
  const std::size_t maker = name->find(',');
  if (maker == std::string::npos || std::count(name->begin(), name->end(), ',') != 3)
    return m_link.nonsense(say("what answers there does not say what it is"));
  facts.name = name->substr(maker + 1, name->find(',', maker + 1) - maker - 1).substr(0, kMostName);
  if (auto cleared = m_link.set("*CLS;:ABOR", stop); !cleared)
    return tl::unexpected(cleared.error());
  const auto names = m_link.ask("CHAN:CAT?", stop);
  if (!names)
    return tl::unexpected(names.error());
  auto inputs = textsOf(*names);
  if (!inputs || inputs->empty())
    return m_link.nonsense(say("the instrument does not say what its channels are"));
  facts.inputs = std::move(*inputs);
  double memory = 0;
  for (const auto& [query, number] : {std::pair<const char*, double*>{"SAMP:RATE? MIN", &facts.slowest},
                                      {"SAMP:RATE? MAX", &facts.fastest},
                                      {"SAMP:STR:RATE?", &facts.fastestStream},
                                      {"SAMP:MEM?", &memory}}) {
    const auto answer = m_link.askNumber(query, stop);
    if (!answer)
      return tl::unexpected(answer.error());
    *number = *answer;
  }
  if (facts.slowest < SampleClock::lowestRate() || facts.fastest > SampleClock::highestRate() ||
      facts.slowest > facts.fastest || memory < 0 || memory > 1e15)
    return m_link.nonsense(say("the instrument says sample rates that cannot be"));
  facts.memory = static_cast<std::uint64_t>(memory);
  facts.runs = m_link.set("FORM RLEN", stop).has_value();
  facts.sends = true;  // what cannot is refused when it is told to
  if (!m_link.isConnected())
    return fail(ErrorCode::Unreadable, say("the connection is lost"), m_link.where(), say("connect again"));
  m_facts = facts;
  return facts;
}

Result<std::string> ScpiSource::triggerCommands(const CapturePlan& plan, double depth) const
{
  const StartCondition& start = plan.start;
  const auto inputOf = [&plan](const std::string& name) {
    const auto found = std::find_if(plan.channels.begin(), plan.channels.end(),
                                    [&name](const PlannedChannel& channel) { return channel.name == name; });
    return found == plan.channels.end() ? 1U : found->input;
  };
  const char* const level = start.high ? "HIGH" : "LOW";
  switch (start.kind) {
    case StartCondition::Kind::Now:
    case StartCondition::Kind::Event:
      return std::string(";:TRIG:SOUR IMM");
    case StartCondition::Kind::Edge: {
      const char* const slope = start.slope == StartCondition::Slope::Rising    ? "RIS"
                                : start.slope == StartCondition::Slope::Falling ? "FALL"
                                                                                : "EITH";
      return fmt::format(";:TRIG:SOUR EDGE;EDGE {},{}", inputOf(start.channel), slope);
    }
    case StartCondition::Kind::Level:
      return fmt::format(";:TRIG:SOUR LEV;LEV {},{}", inputOf(start.channel), level);
    case StartCondition::Kind::Pattern: {
      std::string pattern(m_facts.inputs.size(), 'X');
      for (const StartCondition::Level& wanted : start.levels)
        pattern.at(inputOf(wanted.channel) - 1) = wanted.high ? '1' : '0';
      return fmt::format(";:TRIG:SOUR PATT;PATT \"{}\"", pattern);
    }
    case StartCondition::Kind::Width:
      return fmt::format(";:TRIG:SOUR WIDT;WIDT {},{},{},{}", inputOf(start.channel), level,
                         numberText(toSeconds(start.shortest)),
                         start.longest == kNever ? "MAX" : numberText(toSeconds(start.longest)));
  }
  return fail(ErrorCode::BadArgument, say("the instrument has no such start"), numberText(depth));
}

Result<void> ScpiSource::begin(const CapturePlan& plan, bool streams, const std::stop_token& stop)
{
  std::uint64_t used = 0;
  for (const PlannedChannel& channel : plan.channels)
    used |= std::uint64_t{1} << (channel.input - 1);
  std::string commands = fmt::format("ABOR;:ACQ:MODE {};:FORM {};:SAMP:RATE {}", streams ? "STR" : "SING",
                                     plan.runs && m_facts.runs ? "RLEN" : "PACK", numberText(plan.rate));
  for (std::size_t i = 0; i < m_facts.inputs.size(); ++i)
    commands += fmt::format(";:CHAN{} {}", i + 1, used >> i & 1U);
  if (streams) {
    commands += ";:TRIG:SOUR IMM";
  } else {
    const bool now = plan.start.kind == StartCondition::Kind::Now;
    const Picoseconds length = now ? plan.length : plan.before + plan.after;
    const double depth = std::ceil(toSeconds(length) * plan.rate);
    const double before = now || depth < 1 ? 0 : toSeconds(plan.before) * plan.rate / depth * 100;
    auto trigger = triggerCommands(plan, depth);
    if (!trigger)
      return tl::unexpected(trigger.error());
    commands += fmt::format(";:SAMP:DEPT {};PRET {}",
                            length > Picoseconds{0} ? numberText(std::max(16.0, depth)) : "MAX", numberText(before));
    commands += *trigger;
  }
  if (auto set = m_link.set(commands, stop); !set)
    return set;
  m_streams = streams;
  m_waits = plan.start.kind != StartCondition::Kind::Now;
  m_acquired = false;
  m_behindBlock = false;
  m_streamEnded = !streams;
  m_heard = std::chrono::steady_clock::now();
  return m_link.send(streams ? "INIT;:FETC:STR?" : "INIT");
}

/// A block with its head; End where a line ends instead.
Result<Taken> ScpiSource::readBlock(const std::stop_token& stop)
{
  constexpr std::uint64_t kRuns = 2;
  const auto got = m_link.block(stop);
  if (!got)
    return tl::unexpected(got.error());
  if (!*got)
    return Taken{Taken::What::End, {}, -1};
  const std::span<const std::uint8_t> bytes = **got;
  if (bytes.size() < kHead)
    return m_link.nonsense(say("the instrument sends a block without a head"));
  m_behindBlock = true;
  Taken taken;
  taken.what = Taken::What::Block;
  // What is out of range here is negative, and refused by who takes it.
  taken.block.first = static_cast<std::int64_t>(numberAt(bytes, 0, 8));
  taken.block.count = static_cast<std::int64_t>(numberAt(bytes, 8, 8));
  taken.trigger = static_cast<std::int64_t>(numberAt(bytes, 16, 8));
  taken.block.runs = (numberAt(bytes, 24, 4) & kRuns) != 0;
  const std::uint64_t spans = numberAt(bytes, 28, 4);
  if (spans > (bytes.size() - kHead) / kSpan)
    return m_link.nonsense(say("the instrument sends a block without a head"));
  for (std::size_t at = kHead; at < kHead + spans * kSpan; at += kSpan)
    taken.block.sent.push_back({static_cast<std::int64_t>(numberAt(bytes, at, 8)),
                                static_cast<std::int64_t>(numberAt(bytes, at + 8, 8)), numberAt(bytes, at + 16, 8)});
  taken.block.bytes = bytes.subspan(kHead + spans * kSpan);
  return taken;
}

Result<Taken> ScpiSource::take(std::chrono::milliseconds patience, const std::stop_token& stop)
{
  return m_streams ? takeStreamed(patience, stop) : takeAcquired(patience, stop);
}

Result<Taken> ScpiSource::takeStreamed(std::chrono::milliseconds patience, const std::stop_token& stop)
{
  if (m_streamEnded)
    return Taken{Taken::What::End, {}, -1};
  const auto there = m_link.wait(patience, stop);
  if (!there)
    return tl::unexpected(there.error());
  if (!*there) {
    if (std::chrono::steady_clock::now() - m_heard > m_link.patience())
      return fail(ErrorCode::Unreadable, say("the instrument sends nothing any more"), m_link.where(),
                  say("look whether it still runs, and connect again"));
    return Taken();
  }
  m_heard = std::chrono::steady_clock::now();
  if (std::exchange(m_behindBlock, false)) {
    const auto next = m_link.byte(stop);
    if (!next)
      return tl::unexpected(next.error());
    if (*next != ',' && *next != '\n')
      return m_link.nonsense(say("the instrument sends something else between two blocks"));
    m_streamEnded = *next == '\n';
    return Taken{m_streamEnded ? Taken::What::End : Taken::What::Nothing, {}, -1};
  }
  auto taken = readBlock(stop);
  m_streamEnded = taken && taken->what == Taken::What::End;
  return taken;
}

Result<Taken> ScpiSource::takeAcquired(std::chrono::milliseconds patience, const std::stop_token& stop)
{
  if (std::exchange(m_behindBlock, false)) {
    const auto end = m_link.byte(stop);
    if (!end)
      return tl::unexpected(end.error());
    if (*end != '\n')
      return m_link.nonsense(say("the instrument sends something else than what it acquired"));
  }
  if (!m_acquired) {
    const auto status = m_link.ask("FETC:STAT?", stop);
    if (!status)
      return tl::unexpected(status.error());
    std::vector<double> fields;
    for (std::string_view rest = *status; fields.size() < 5;) {
      const std::size_t comma = std::min(rest.find(','), rest.size());
      const auto number = parseNumber(rest.substr(0, comma));
      if (!number || !(std::abs(*number) < 1e18))
        return m_link.nonsense(say("the instrument does not say how it stands"));
      fields.push_back(*number);
      if (comma == rest.size())
        break;
      rest.remove_prefix(comma + 1);
    }
    if (fields.size() != 4 || fields[1] > fields[2])
      return m_link.nonsense(say("the instrument does not say how it stands"));
    if (fields[0] == 0) {
      std::this_thread::sleep_for(patience);
      return Taken();
    }
    // Ended by hand before it began: there is nothing that anybody waited for.
    if (fields[3] < 0 && m_waits)
      return Taken{Taken::What::End, {}, -1};
    m_acquired = true;
    m_fetched = fields[1];
    m_fetchEnd = fields[2];
  }
  if (m_fetched >= m_fetchEnd)
    return Taken{Taken::What::End, {}, -1};
  if (auto asked = m_link.send(fmt::format("FETC? {:.0f},{:.0f}", m_fetched, m_fetchEnd - m_fetched)); !asked)
    return tl::unexpected(asked.error());
  auto taken = readBlock(stop);
  if (taken && (taken->what == Taken::What::End || taken->block.count <= 0))
    return m_link.nonsense(say("the instrument sends something else than what it acquired"));
  if (!taken)
    return taken;
  m_fetched += static_cast<double>(taken->block.count);
  return taken;
}

Result<void> ScpiSource::send(const Outgoing& what, const CapturePlan& plan, const std::stop_token& /*stop*/)
{
  const Telegram& telegram = what.telegram;
  if (telegram.steps.empty())
    return fail(ErrorCode::BadArgument, say("this is sent as frames or characters, and an instrument drives wires"),
                m_facts.name, say("choose a bus that a clock leads"));
  // Wire n of the telegram is one of the instrument's inputs; what the bus has no wire for is not driven.
  std::vector<std::uint64_t> inputs;
  std::uint64_t driven = 0;
  std::uint64_t open = 0;
  for (std::size_t wire = 0; wire < what.channels.size(); ++wire) {
    std::uint64_t bit = 0;
    for (const PlannedChannel& channel : plan.channels)
      bit = isCalled(channel.name, what.channels[wire]) ? std::uint64_t{1} << (channel.input - 1) : bit;
    if (bit == 0 && !what.channels[wire].empty())
      return fail(ErrorCode::BadArgument, say("'{}' is not captured, so nothing is sent on it", what.channels[wire]),
                  m_facts.name, say("choose its channel in the Bench"));
    inputs.push_back(bit);
    driven |= bit;
    open |= (telegram.open >> wire & 1U) != 0 ? bit : 0;
  }
  std::string steps;
  std::int64_t before = 0;
  for (const Telegram::Step& step : telegram.steps) {
    std::uint64_t levels = 0;
    for (std::size_t wire = 0; wire < inputs.size(); ++wire)
      levels |= (step.levels >> wire & 1U) != 0 ? inputs[wire] : 0;
    const std::int64_t now = step.time.count() / 1000;
    steps += fmt::format("{}{}:{}", steps.empty() ? "" : " ", now - before, levels);
    before = now;
  }
  return m_link.send(
      fmt::format(":OUTP:PATT {},{},{},\"{}\"", driven, open, numberText(toSeconds(telegram.length)), steps));
}

void ScpiSource::end()
{
  if (!m_link.isConnected() || !m_link.send("ABOR") || !m_streams)
    return;
  // What was under way comes still; who waits for it in vain connects anew.
  const auto begun = std::chrono::steady_clock::now();
  while (!m_streamEnded && std::chrono::steady_clock::now() - begun < std::chrono::milliseconds{500}) {
    if (!takeStreamed(std::chrono::milliseconds{20}, {}))
      break;
  }
  if (!m_streamEnded)
    m_link.close();
}

}  // namespace bexto::live
