// Tested by tests/core/instrument_test.cpp.
#include "rig/instrument/instrument.h"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "rig/instrument/limits.h"

namespace bexto::rig {

Instrument::Instrument(std::uint64_t seed, Traffic traffic, double speed)
    : m_plant(seed, traffic), m_speed(speed), m_chance(seed ^ 0x6d6973U)
{
  reset();
  makeTree();
}

void Instrument::reset()
{
  m_setting = {};
  m_setting.memory = kMemory;
  std::copy(kProbeNames.begin(), kProbeNames.end(), m_names.begin());
  m_acquisition.reset();
  m_streaming = false;
  m_opc = m_waitsForEnd = m_answersEnd = false;
}

void Instrument::connected()
{
  m_acquisition.reset();
  m_streaming = m_opc = m_waitsForEnd = m_answersEnd = m_hangsUp = m_silent = false;
  m_input.clear();
  m_output.clear();
  m_held.clear();
  m_heldUntil = 0.0;
  m_waiting.clear();
  m_units.clear();
  m_answer.clear();
}

void Instrument::initiate()
{
  if (isAcquiring())
    throw ScpiTree::Failure{{scpi::kInitIgnored, {}}};
  if (m_setting.stream && m_setting.rate > kFastestStream)
    throw ScpiTree::Failure{
        {scpi::kSettingsConflict, fmt::format("a stream has at most {} samples/s", kFastestStream)}};
  m_acquisition = std::make_unique<Acquisition>(m_plant, m_setting);
  m_rate = m_setting.rate;
  m_begun.reset();
}

unsigned Instrument::condition() const
{
  if (!isAcquiring())
    return 0;
  return m_acquisition->isTriggered() ? kMeasuring : kMeasuring | kWaitingForTrigger;
}

void Instrument::fail(const ScpiError& error)
{
  const int number = -error.number;
  m_events |= number < 200 ? kCommandError : number < 300 ? kExecutionError : number < 400 ? kDeviceError : kQueryError;
  if (m_errors.size() < kMostErrors)
    m_errors.push_back(error);
  else
    m_errors.back() = {scpi::kQueueOverflow, {}};
}

void Instrument::receive(std::string_view bytes)
{
  m_input += bytes;
  for (std::size_t end = m_input.find('\n'); end != std::string::npos; end = m_input.find('\n')) {
    m_waiting.push_back(m_input.substr(0, end));
    m_input.erase(0, end + 1);
  }
  if (m_input.size() > kMostInput) {
    m_input.clear();
    fail({scpi::kInputOverrun, {}});
  }
}

void Instrument::begin(const std::string& line)
{
  ScpiError error;
  auto units = parseScpi(line, error);
  if (!units)
    return fail(error);
  m_units.assign(std::make_move_iterator(units->begin()), std::make_move_iterator(units->end()));
  m_path.clear();
}

bool Instrument::carryOn()
{
  const auto answer = [this](const std::string& one) { m_answer += (m_answer.empty() ? "" : ";") + one; };
  for (;;) {
    if (m_waitsForEnd) {  // *OPC? and *WAI hold what stands behind them
      if (isAcquiring())
        return false;
      m_waitsForEnd = false;
      if (std::exchange(m_answersEnd, false))
        answer("1");
    }
    if (m_units.empty())
      break;
    const ScpiUnit unit = std::move(m_units.front());
    m_units.pop_front();
    try {
      const std::string one = m_tree.execute(unit, m_path);
      if (unit.query && !one.empty())
        answer(one);
    } catch (const ScpiTree::Failure& failure) {
      fail(failure.error);
    }
  }
  if (!m_answer.empty())
    send(std::exchange(m_answer, {}) + '\n');
  return true;
}

std::string Instrument::step(double now, std::size_t room)
{
  m_now = now;
  if (m_heldUntil > 0.0 && now >= m_heldUntil) {
    m_output += std::exchange(m_held, {});
    m_heldUntil = 0.0;
  }
  advance(now);
  while (m_heldUntil == 0.0 && carryOn() && !m_waiting.empty()) {
    begin(m_waiting.front());
    m_waiting.pop_front();
  }
  if (m_streaming)
    streamOut(room);
  return std::exchange(m_output, {});
}

void Instrument::advance(double now)
{
  if (!isAcquiring())
    return;
  if (!m_begun)
    m_begun = now;
  std::uint64_t limit = ~std::uint64_t{0} >> 2U;
  if (m_speed > 0.0)
    limit = static_cast<std::uint64_t>((now - *m_begun) * m_speed * m_rate);
  // As fast as it can, a stream is made as it is taken.
  else if (m_setting.stream && m_acquisition->used() > Acquisition::kMostBody)
    return;
  else if (m_setting.format == SampleFormat::Packed)
    limit = m_acquisition->at() + Acquisition::kMostBody;
  m_acquisition->run(limit, kSlice);
  if (m_acquisition->isDone() && std::exchange(m_opc, false))
    m_events |= kOperationComplete;
}

void Instrument::streamOut(std::size_t room)
{
  constexpr std::size_t kWorth = 4096;  // a block that is smaller waits for more
  std::size_t sent = 0;
  while (sent < room) {
    const bool ended = m_acquisition->isDone();
    if (m_acquisition->used() < kWorth && !ended && m_now - m_lastBlock < 0.02)
      return;
    const std::string block = m_acquisition->takeBlock();
    if (block.empty()) {
      if (ended) {
        send("\n");
        m_streaming = false;
      }
      return;
    }
    m_lastBlock = m_now;
    sent += block.size();
    const std::string separator = std::exchange(m_firstBlock, false) ? "" : ",";
    send(separator + scpiBlock(block));
    if (m_hangsUp || m_silent)
      return;
  }
}

void Instrument::send(std::string answer)
{
  if (m_silent)
    return;
  if (m_misbehaviour != Misbehaviour::None && m_chance.oneIn(m_oneIn))
    answer = misbehave(std::move(answer));
  m_output += answer;
}

std::string Instrument::misbehave(std::string answer)
{
  Misbehaviour how = m_misbehaviour;
  if (how == Misbehaviour::Any)
    how = static_cast<Misbehaviour>(m_chance.between(1, static_cast<std::int64_t>(Misbehaviour::Any) - 1));
  const std::size_t hash = answer.find('#');
  switch (how) {
    case Misbehaviour::None:
    case Misbehaviour::Any:
    case Misbehaviour::Overrun:
      if (how != Misbehaviour::Overrun || !m_streaming || hash > 1)
        return answer;
      m_acquisition->lose();  // with the block that would have gone now
      m_firstBlock = hash == 0;
      return {};
    case Misbehaviour::Delay:
      m_held += answer;
      m_heldUntil = m_now + kDelay;
      return {};
    case Misbehaviour::Cut:
      m_silent = true;
      return answer.substr(0, answer.size() / 2);
    case Misbehaviour::Drop:
      m_hangsUp = true;
      return answer.substr(0, answer.size() / 2);
    case Misbehaviour::Garbage:
      for (char& c : answer) {
        if (m_chance.oneIn(7))
          c = static_cast<char>(m_chance.between(0, 255));
      }
      return answer;
    case Misbehaviour::Silence:
      m_silent = true;
      return {};
    case Misbehaviour::Lie:
      if (hash == std::string::npos || answer.size() < hash + 3)
        return answer + answer;
      answer[hash + 2] = static_cast<char>('0' + m_chance.between(1, 9));
      return answer;
    case Misbehaviour::Huge:
      m_silent = true;
      return "#219" + std::string("9223372036854775808") + answer;
    case Misbehaviour::Endless:
      // Enough to fill the memory of one who waits for the line's end.
      m_silent = true;
      return std::string(std::size_t{64} << 20U, 'x');
  }
  return answer;
}

}  // namespace bexto::rig
