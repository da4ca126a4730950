#pragma once

// What the machine of can_machine.h does behind a frame's CRC and with everything that is wrong: delimiters and
// acknowledge, end of frame, error and overload flags, and what the capture cuts.

#include "core/protocol/can/can_machine.h"

namespace bexto::can {

// ---- after the CRC

template <typename Observer>
std::int64_t Machine<Observer>::crcDelimiter(bool level)
{
  record(Part::CrcDelimiter, level, 1);
  if (!level) {
    // The falling edge is the bit's own when the bit before was recessive.
    const bool before = m_fd ? m_lastLevel : m_runLevel;
    m_errors |= errorBit(CanError::Form);
    fail(level, m_sample, before ? m_lastFall : m_sample - m_now.before, 1);
    return 1;
  }
  m_now = m_nominal;
  m_state = State::Ack;
  return 1;
}

template <typename Observer>
std::int64_t Machine<Observer>::acknowledge(bool level)
{
  record(Part::Ack, level, 1);
  m_count = 1;
  if (!level) {
    m_ack = m_ackRead = true;
    m_state = State::AckDelimiter;
  } else if (m_fd) {
    m_state = State::LateAck;
  } else {
    nobodyAnswers();
    m_state = State::AckDelimiter;
  }
  return 1;
}

template <typename Observer>
void Machine<Observer>::nobodyAnswers()
{
  m_ackRead = true;
  m_ack = false;
  m_errors |= errorBit(CanError::Ack);
}

template <typename Observer>
std::int64_t Machine<Observer>::lateAck(bool level)
{
  if (level) {
    record(Part::AckDelimiter, level, 1);
    nobodyAnswers();
    m_state = State::EndOfFrame;
    m_count = 0;
    return 1;
  }
  record(Part::Ack, level, 1);
  m_runBegin = m_lastFall;
  m_count = 1;
  m_state = State::AckOrFlag;
  return 1;
}

template <typename Observer>
std::int64_t Machine<Observer>::ackOrFlag(bool level)
{
  if (level) {
    record(Part::AckDelimiter, level, 1);
    m_ack = m_ackRead = true;
    m_state = State::EndOfFrame;
    m_count = 0;
    return 1;
  }
  record(Part::Ack, level, 1);
  if (++m_count > 2) {
    nobodyAnswers();
    cut(m_runBegin);
  }
  return 1;
}

template <typename Observer>
std::int64_t Machine<Observer>::ackDelimiter(bool level)
{
  if (level) {
    record(Part::AckDelimiter, level, 1);
    m_state = State::EndOfFrame;
    m_count = 0;
    return 1;
  }
  if (m_ack && m_fd && m_count == 1) {
    record(Part::Ack, level, 1);
    m_count = 2;
    return 1;
  }
  record(Part::AckDelimiter, level, 1);
  if (m_ack && !checkFailed())
    m_errors |= errorBit(CanError::Form);
  cut(m_ack ? m_sample - m_now.before : m_lastFall);
  return 1;
}

template <typename Observer>
std::int64_t Machine<Observer>::endOfFrame(bool level, std::int64_t count)
{
  constexpr std::int64_t kLength = 7;
  if (level) {
    const std::int64_t used = std::min(count, kLength - m_count);
    record(Part::EndOfFrame, level, used);
    m_count += used;
    if (m_count == kLength) {
      emitFrame(m_sample + (used - 1) * m_now.bit + m_now.after);
      m_state = State::Intermission;
      m_count = 0;
    }
    return used;
  }
  record(m_count == kLength - 1 ? Part::EndOfFrame : Part::Other, level, 1);
  if (m_count == kLength - 1) {
    // To receivers the frame is valid by now; a dominant last bit asks for a pause (10.4.5).
    emitFrame(m_sample + m_now.after);
    beginFlag(kCanOverload, m_lastFall);
    synchroniseToFlag();
    return 1;
  }
  // A flag that comes a bit late is still the sender's who got no answer.
  const bool noAnswer = m_count == 0 && (m_errors & errorBit(CanError::Ack)) != 0;
  if (!checkFailed() && !noAnswer)
    m_errors |= errorBit(CanError::Form);
  cut(m_lastFall);
  return 1;
}

// ---- errors

template <typename Observer>
void Machine<Observer>::fail(bool level, std::int64_t sample, std::int64_t flagBegin, std::int64_t recessive)
{
  if (!level) {
    cut(flagBegin);
    return;
  }
  m_cutEnd = sample + m_now.after;
  m_now = m_nominal;
  m_state = State::WaitFlag;
  m_count = recessive;
}

template <typename Observer>
void Machine<Observer>::cut(std::int64_t flagBegin)
{
  emitFrame(flagBegin);
  beginFlag(kCanError, flagBegin);
}

template <typename Observer>
void Machine<Observer>::protocolException(std::int64_t sample)
{
  m_errors |= errorBit(CanError::Form);
  m_hardNext = false;
  emitFrame(sample + m_now.after);
  m_state = State::Integrate;
  m_count = m_run;
}

template <typename Observer>
std::int64_t Machine<Observer>::waitFlag(bool level, std::int64_t count)
{
  if (!level) {
    record(Part::Flag, level, 1);
    cut(m_lastFall);
    return 1;
  }
  m_count += count;
  if (m_count >= kIntegration) {
    emitFrame(m_cutEnd);
    rest();
  }
  return count;
}

template <typename Observer>
void Machine<Observer>::beginFlag(FrameKind kind, std::int64_t at)
{
  m_state = State::Flag;
  m_now = m_nominal;
  m_flagKind = kind;
  m_frameBegin = at;
  m_errors = 0;
  m_hardNext = false;
  m_count = 0;
}

template <typename Observer>
void Machine<Observer>::synchroniseToFlag()
{
  m_next = m_lastFall + m_now.before + m_now.bit;
}

template <typename Observer>
std::int64_t Machine<Observer>::flag(bool level, std::int64_t count)
{
  constexpr std::int64_t kDelimiter = 8;
  if (!level) {
    if (m_state == State::FlagDelimiter) {
      emitFlag(m_lastFall, 0);
      beginFlag(kCanError, m_lastFall);
      synchroniseToFlag();
      count = 1;
    }
    m_state = State::Flag;
    record(Part::Flag, level, count);
    return count;
  }
  if (m_state == State::Flag) {
    // The flag may have begun on the grid of the data phase, and several nodes' flags overlap: the delimiter is
    // measured from the edge that all of them left.
    m_state = State::FlagRise;
    m_next = m_lastRise + m_now.before;
    return 1;
  }
  if (m_state == State::FlagRise) {
    m_state = State::FlagDelimiter;
    m_count = 0;
  }
  const std::int64_t used = std::min(count, kDelimiter - m_count);
  record(Part::FlagDelimiter, level, used);
  m_count += used;
  if (m_count == kDelimiter) {
    emitFlag(m_sample + (used - 1) * m_now.bit + m_now.after, 0);
    m_state = State::Intermission;
    m_count = 0;
  }
  return used;
}

// ---- output

template <typename Observer>
void Machine<Observer>::emitFlag(std::int64_t end, std::uint16_t errors)
{
  Frame frame;
  frame.time = {Picoseconds{m_frameBegin}, Picoseconds{end}};
  frame.kind = m_flagKind;
  frame.errors = errors;
  m_observer.frame(frame);
}

template <typename Observer>
void Machine<Observer>::emitFrame(std::int64_t end)
{
  Frame frame;
  frame.time = {Picoseconds{m_frameBegin}, Picoseconds{end}};
  describe(frame);
  // Only from frames of which every bit was understood.
  if (m_errors == 0 && m_spanBits > 8)
    measure();
  m_observer.frame(frame);
}

/// One in sixteen is enough once there are some.
template <typename Observer>
bool Machine<Observer>::isMeasuredNext() const
{
  constexpr std::uint64_t kAll = 256;
  return m_frames < kAll || (m_frames + 1) % 16 == 0;
}

template <typename Observer>
void Machine<Observer>::measure()
{
  const bool measured = isMeasuredNext();
  ++m_frames;
  if (measured)
    m_rate.add(Picoseconds{(m_spanEnd - m_frameBegin) / static_cast<std::int64_t>(m_spanBits)});
}

template <typename Observer>
void Machine<Observer>::endOfCapture()
{
  const std::int64_t end = m_until.count();
  switch (m_state) {
    case State::Integrate:
    case State::Idle:
    case State::Sof:
    case State::Intermission:
      break;
    case State::WaitFlag:
      emitFrame(std::min(m_cutEnd, end));
      break;
    case State::Flag:
    case State::FlagRise:
    case State::FlagDelimiter:
      emitFlag(end, errorBit(CanError::Incomplete));
      break;
    default:
      m_ack = m_ack || m_state == State::AckOrFlag;
      m_ackRead = m_ackRead || m_state == State::AckOrFlag;
      m_errors |= errorBit(CanError::Incomplete);
      emitFrame(end);
  }
  m_state = State::Integrate;
  m_count = 0;
}

}  // namespace bexto::can
