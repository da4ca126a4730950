#pragma once

// The quick way of the machine of can_machine.h through frames without a fault, which is how nearly all of them are:
// the runs of a whole frame are counted at once (decode/bit_runs.h), and what they say is read from the row of bits
// that they make. Where anything is not as it should be, or not known yet, nothing has happened, and the machine goes
// through the same frame step by step.
//
// What is asked for, so that both ways say the same:
//  - each fall is near enough to its place to set the grid (no clamping by the jump width);
//  - one dominant bit of acknowledge, or none where nobody answers; behind it the delimiter, the end of frame and two
//    bits of intermission.

#include <numeric>

#include "core/protocol/can/can_machine.h"

namespace bexto::can {

/// Appends the runs [from, to), in pairs, to a row of bits. False when they may be more than it holds.
template <std::size_t Words>
bool appendRuns(BitRow<Words>& row, const std::uint64_t* runs, std::size_t from, std::size_t to)
{
  constexpr std::size_t kGroup = 12;  // of 60 bits at most
  while (from < to) {
    if (row.size() + 64 > BitRow<Words>::kCapacity)
      return false;
    const std::size_t end = std::min(from + kGroup, to);
    std::uint64_t bits = 0;
    unsigned count = 0;
    for (; from < end; from += 2) {
      const auto low = static_cast<unsigned>(runs[from]);
      const auto high = static_cast<unsigned>(runs[from + 1]);
      bits = bits << (low + high) | ((std::uint64_t{1} << high) - 1);
      count += low + high;
    }
    row.appendBits(bits, count);
  }
  return true;
}

/// From the edge `at` on. Adds the edges that were passed, and returns the one behind them.
template <typename Observer>
const std::int64_t* Machine<Observer>::wholeFrames(const std::int64_t* at, std::size_t& passed)
{
  while (!m_observer.stopped()) {
    const std::int64_t* const next = wholeFrame(at);
    passed += static_cast<std::size_t>(next - at);
    if (next != at) {
      at = next;
      continue;
    }
    // It may only be that its end is not in hand. What is looked at behind the last run that was counted is the rest of
    // the CRC, the acknowledge, and what is behind the frame.
    constexpr std::size_t kBehind = 5;
    const auto inHand = static_cast<std::size_t>(m_edges.inHandEnd() - at);
    if (inHand > m_whole.counted + kBehind)
      break;
    const bool more = m_edges.fetchBehind(at);
    at = m_edges.inHand();
    if (!more)
      break;
  }
  return at;
}

/// One that begins with the edge `at`. Returns the edge behind it, or `at`.
template <typename Observer>
const std::int64_t* Machine<Observer>::wholeFrame(const std::int64_t* at)
{
  BitRuns& runs = m_whole.runs;
  if (!m_whole.nominal.isUsable())
    return at;
  clear();
  std::size_t counted = m_whole.counted = m_whole.nominal.count(at, runs, 0);
  const std::size_t inRow = counted & ~std::size_t{1};
  if (!appendRuns(m_bits, runs.told(), 0, inRow))
    return at;
  Decision decision = decideAll();
  if (decision == Decision::FormatIsFd && inRow < counted && runs.told()[inRow] > 0) {
    m_bits.append(false, static_cast<unsigned>(runs.told()[inRow]));
    decision = decideAll();
  }
  std::size_t spanEnd = 0;  ///< the run that begins with the last fall that was taken at the nominal rate
  const bool switches = decision == Decision::SwitchRate || decision == Decision::ResRead;
  if (switches) {
    counted = switchRate(at, counted, spanEnd);
    if (counted == 0)
      return at;
    m_whole.counted = counted;
  } else if (m_fd ? decision != Decision::FdCrcBegins : !isLengthKnown()) {
    return at;
  }

  // The rest behind the frame. The dominant run before it is the acknowledge, or else the last one of the CRC.
  const auto isLong = [&](std::size_t run) { return at[run + 1] - at[run] > 8 * m_nominal.bit; };
  std::size_t rest = counted | 1U;
  if (!isLong(rest))
    rest += 2;
  if (!isLong(rest) || at[rest + 1] == kNever.count() || rest < 7)
    return at;
  const std::int64_t delimiter = m_fd ? checkFd(at, rest, switches ? m_fast : m_nominal, switches ? nullptr : &spanEnd)
                                      : checkClassic(at, rest, spanEnd);
  if (delimiter == kNever.count())
    return at;
  // Samples of the acknowledge and of the second bit of intermission.
  const std::int64_t sample = m_ack ? at[rest - 1] + m_nominal.before : delimiter + m_nominal.bit;
  if ((m_ack && (at[rest] <= sample || at[rest] > sample + m_nominal.bit)) ||
      at[rest + 1] <= sample + 10 * m_nominal.bit)
    return at;

  m_frameBegin = *at;
  m_lastFall = at[rest - 1];
  m_lastRise = at[rest];
  m_spanEnd = at[spanEnd];
  // Only when they are asked for; that they are enough is certain.
  m_spanBits = isMeasuredNext()
                   ? static_cast<unsigned>(std::accumulate(runs.sent(), runs.sent() + spanEnd, std::uint64_t{0}))
                   : static_cast<unsigned>(m_bits.size());
  emitFrame(sample + 8 * m_nominal.bit + m_nominal.after);
  m_state = State::Idle;
  m_sample = kNever.count();
  return at + rest + 1;
}

/// Takes the runs from that with a recessive BRS on at the rate of the data phase. Returns how many runs are counted
/// then, 0 when something asks for a closer look.
template <typename Observer>
std::size_t Machine<Observer>::switchRate(const std::int64_t* at, std::size_t counted, std::size_t& lastFall)
{
  std::uint64_t* const sent = m_whole.runs.sent();
  std::uint64_t* const told = m_whole.runs.told();
  constexpr std::uint64_t kLongest = BitRunGrid::kLongest;
  std::size_t run = 0;
  std::uint64_t size = 0;
  for (; run < counted && size + told[run] < bitsToBrs(); ++run)
    size += told[run];
  if (run % 2 == 0 || !m_whole.fast.isUsable())
    return 0;
  const std::uint64_t stuff = sent[run - 1] == kLongest ? 1 : 0;
  const std::uint64_t upToBrs = stuff + bitsToBrs() - size;
  const std::int64_t end = at[run + 1];
  const std::int64_t brs =
      at[run - 1] + m_nominal.before + static_cast<std::int64_t>(sent[run - 1] + upToBrs - 1) * m_nominal.bit;
  if (brs >= end || end == kNever.count() || upToBrs > kLongest)
    return 0;
  const std::int64_t next = brs + m_fast.bit;
  const std::int64_t more = end > next ? bitsIn(end - next, m_fast.bit) : 0;
  const std::int64_t late = end - (next + more * m_fast.bit - m_fast.before);
  sent[run] = upToBrs + static_cast<std::uint64_t>(more);
  told[run] = sent[run] - stuff;
  if (late < -m_fast.after || late > m_fast.after || sent[run] > kLongest)
    return 0;
  lastFall = run - 1;
  return run + 1 + m_whole.fast.count(at + run + 1, m_whole.runs, run + 1);
}

/// Reads the end of a classic frame whose bits up to the dominant run before `rest` are in the row, and says whether
/// that is its acknowledge. `lastFall` becomes the run that begins with the last fall before its delimiter. Returns the
/// sample of the delimiter, kNever when something asks for a closer look.
template <typename Observer>
std::int64_t Machine<Observer>::checkClassic(const std::int64_t* at, std::size_t rest, std::size_t& lastFall)
{
  const std::uint64_t* const sent = m_whole.runs.sent();
  const std::uint64_t* const told = m_whole.runs.told();
  if (rest != m_whole.counted)
    return kNever.count();
  if (m_bits.size() > m_target) {
    // What is told ends with the delimiter of the CRC.
    if (m_bits.size() != m_target + 1 || told[rest - 2] == 0)
      return kNever.count();
    m_ack = m_ackRead = true;
    lastFall = told[rest - 2] > 1 || told[rest - 3] > 0 ? rest - 3 : rest - 5;
    return at[rest - 1] - m_nominal.bit + m_nominal.before;
  }
  // What the last dominant run leaves to be told, and maybe its stuff bit, are in the rest.
  const auto low = static_cast<unsigned>(told[rest - 1]);
  const auto left = m_target - static_cast<unsigned>(m_bits.size());
  const unsigned stuff = sent[rest - 1] == BitRunGrid::kLongest ? 1 : 0;
  if (low > left || left - low + stuff >= BitRunGrid::kLongest)
    return kNever.count();
  m_bits.append(false, low);
  if (left > low)
    m_bits.append(true, left - low);
  decideAll();
  nobodyAnswers();
  return at[rest - 1] + m_nominal.before +
         static_cast<std::int64_t>(sent[rest - 1] + stuff + left - low) * m_nominal.bit;
}

/// Reads an FD frame that has nothing dominant behind the run before `rest`, checks it, and says whether that run is
/// its acknowledge. `lastFall`, when asked for, becomes the run that begins with the last fall before its CRC. Returns
/// the sample of the delimiter, kNever when something asks for a closer look.
template <typename Observer>
std::int64_t Machine<Observer>::checkFd(const std::int64_t* at, std::size_t rest, const Timing& data,
                                        std::size_t* lastFall)
{
  const std::uint64_t* const sent = m_whole.runs.sent();
  const std::uint64_t* const told = m_whole.runs.told();
  std::size_t last = rest - 3;  // the last dominant run of the CRC
  m_bits.clear();
  if (m_whole.counted <= last || !appendRuns(m_bits, told, 0, last) || !appendRuns(m_raw, sent, 0, last))
    return kNever.count();
  Decision decision = decideAll();
  if (decision == Decision::SwitchRate)
    decision = decideAll();
  if (decision != Decision::FdCrcBegins)
    return kNever.count();
  // Where stuffing ended.
  std::size_t run = last;
  std::size_t size = m_bits.size();
  std::size_t raw = m_raw.size();
  for (; size - told[run - 1] >= m_target; --run) {
    size -= told[run - 1];
    raw -= sent[run - 1];
  }
  raw -= size - m_target;
  if (lastFall != nullptr)
    *lastFall = (run - 1) & ~std::size_t{1};
  m_stuffBits = static_cast<unsigned>(raw - m_target);
  const std::size_t end = raw + fdCheckLength();
  const bool answered = rest != m_whole.counted || end <= m_raw.size() + sent[last] + sent[last + 1];
  if (!answered) {
    m_raw.append(false, static_cast<unsigned>(sent[last]));
    m_raw.append(true, static_cast<unsigned>(sent[last + 1]));
    last += 2;
  }
  // How much of it is in the run behind its last dominant one; then comes its delimiter.
  m_raw.append(false, static_cast<unsigned>(sent[last]));
  if (end < m_raw.size() || end > m_raw.size() + BitRunGrid::kLongest)
    return kNever.count();
  const std::size_t high = end - m_raw.size();
  if (high > 0)
    m_raw.append(true, static_cast<unsigned>(high));
  const std::int64_t delimiter = at[last] + data.before + static_cast<std::int64_t>(sent[last] + high) * data.bit;
  if (answered) {
    const std::int64_t ack = at[rest - 1];
    const std::int64_t late = ack - (delimiter + m_nominal.bit - m_nominal.before);
    if (delimiter >= ack || ack > delimiter + m_nominal.bit || late < -m_nominal.after || late > m_nominal.after)
      return kNever.count();
    m_ack = m_ackRead = true;
  } else {
    nobodyAnswers();
  }
  return checkRow(raw, fdCheckLength()) ? delimiter : kNever.count();
}

}  // namespace bexto::can
