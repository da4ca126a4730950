#pragma once

// A bus of a capture, as a check takes it.

#include "core/check/check.h"
#include "core/check/rulebook_file.h"
#include "core/decode/bus_spec.h"
#include "core/decode/protocol.h"
#include "core/device/sheet_file.h"
#include "rig/lock_cycle.h"
#include "support/waves.h"

namespace bexto::test {

/// One channel for each name.
inline Capture captureOf(const std::vector<std::pair<std::string, EdgeTrack>>& wires, Picoseconds end)
{
  Capture capture;
  for (const auto& [name, track] : wires)
    capture.channels.push_back({name, name, track});
  capture.end = end;
  return capture;
}

/// All of the bus, decoded; edges exact unless `period`, in ps, says otherwise.
inline CheckInput checkInputOf(const Bus& bus, const Capture& capture, double period = 0.0)
{
  const auto resolved = resolveBus(bus, capture);
  CheckInput input;
  if (!resolved) {
    ADD_FAILURE() << resolved.error().text();
    return input;
  }
  input.bus = resolved->bus;
  input.end = capture.end;
  input.period = {period, SamplePeriod::From::Given};
  std::vector<Transactions> lines;
  for (const BusStream& stream : resolved->streams) {
    const StreamInput wires = inputOf(capture, stream);
    const FrameIndex frames = decodeAll(resolved->bus, wires);
    input.streams.push_back({stream.line, wires, frames});
    lines.emplace_back(resolved->bus, frames);
  }
  Transactions::putTogether(resolved->bus, lines);
  for (std::size_t i = 0; i < lines.size(); ++i)
    input.talk.push_back({resolved->bus, resolved->streams[i].line, lines[i], nullptr});
  return input;
}

/// A bus of one stream, from its wires.
inline CheckInput checkInputOf(const Bus& bus, const StreamInput& wires)
{
  CheckInput input;
  input.bus = bus;
  input.end = wires.until;
  const FrameIndex frames = decodeAll(bus, wires);
  input.streams.push_back({{}, wires, frames});
  input.talk.push_back({bus, {}, Transactions(bus, frames), nullptr});
  return input;
}

inline Bus busWith(const std::string& spec, const std::string& book = {})
{
  Bus bus = *parseBusSpec(spec);
  if (!book.empty())
    attachBook(bus, {"book.yaml", book});
  return bus;
}

/// Not cancelled.
inline BusCheck checked(const CheckInput& input)
{
  auto check = checkBus(input, std::stop_token());
  EXPECT_TRUE(check);
  return check ? std::move(*check) : BusCheck();
}
inline BusCheck checked(const Bus& bus, const Capture& capture, double period = 0.0)
{
  return checked(checkInputOf(bus, capture, period));
}

/// A failure, and an empty one, when it is not there.
inline const RuleResult& ruleNamed(const BusCheck& check, const std::string& name, const std::string& book = {})
{
  for (const RuleResult& rule : check.rules) {
    if (rule.rule == name && (book.empty() || rule.book == book))
      return rule;
  }
  ADD_FAILURE() << "no rule " << name;
  static const RuleResult kNone;
  return kNone;
}

inline std::vector<const Finding*> findingsOf(const BusCheck& check, const std::string& rule)
{
  std::vector<const Finding*> found;
  for (const Finding& finding : check.findings) {
    if (check.rules[finding.rule].rule == rule)
      found.push_back(&finding);
  }
  return found;
}

/// A bus of the lock cycle with its sheets and rulebooks.
inline Bus lockCycleBus(const std::string& name)
{
  for (const std::string& spec : rig::lockCycleBuses()) {
    Bus bus = *parseBusSpec(spec);
    if (bus.name != name)
      continue;
    for (const rig::LockCycleSheet& sheet : rig::lockCycleSheets()) {
      if (sheet.bus == name)
        attachSheet(bus, {sheet.name, sheet.text});
    }
    for (const rig::LockCycleSheet& book : rig::lockCycleBooks()) {
      if (book.bus == name)
        attachBook(bus, {book.name, book.text});
    }
    return bus;
  }
  ADD_FAILURE() << name;
  return {};
}

}  // namespace bexto::test
