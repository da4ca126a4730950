#pragma once

// The wire is a row of lows. A long one is a reset and begins a transaction; the first behind it that comes soon and is
// long enough is the presence pulse; each other is a slot, whose length is its bit. Everything is decided when a low
// ends, so nothing is looked ahead at, and pieces give what the whole gives. A transaction is handed out when the next
// one begins, or when the capture ends: slots behind a long rest still belong to it.
//
// Tested by tests/core/onewire_test.cpp and tests/core/properties_test.cpp.
#include <algorithm>
#include <array>
#include <vector>

#include "core/decode/decoder.h"
#include "core/decode/rate_meter.h"
#include "core/protocol/onewire/onewire_frame.h"
#include "core/protocol/onewire/onewire_timing.h"
#include "core/signal/edge_stream.h"

namespace bexto::onewire {

/// A low of the line, ps.
struct Low {
  std::int64_t fall = 0;
  std::int64_t rise = 0;
  std::int64_t length() const { return rise - fall; }
};

/// The index path: nothing is kept.
struct NoRecorder {
  void reset(const Low& /*low*/) {}
  void presence(const Low& /*low*/) {}
  void slot(const Low& /*low*/, bool /*one*/, const Timing& /*timing*/) {}
};

template <typename Recorder>
class OneWireMachine {
 public:
  /// `isFast`: at overdrive already where it begins, by what came before.
  OneWireMachine(const OneWireSettings& settings, const StreamInput& input, Picoseconds from, Recorder& recorder,
                 bool isFast = false)
      : m_settings(settings),
        m_edges(input.tracks.at(0), from, input.until, input.final),
        m_until(input.until.count()),
        m_final(input.final),
        m_recorder(recorder),
        m_isFast(isFast || settings.speed == OneWireSpeed::Overdrive)
  {
  }

  void extend(const StreamInput& input)
  {
    m_until = input.until.count();
    m_final = input.final;
    m_edges.extend(input.tracks.at(0), input.until, input.final);
  }

  /// Reads about `slice` edges, handing frames to `emit(const Frame&)` until that returns false. False when the input
  /// is used up.
  template <typename Emit>
  bool run(std::size_t slice, const Emit& emit)
  {
    for (std::size_t i = 0; i < slice; ++i) {
      const std::int64_t at = m_edges.next();
      if (at == kNever.count())
        return m_final && !m_ended && end(emit);
      const bool falls = m_edges.level();
      m_edges.advance();
      if (falls) {
        m_fall = at;
        continue;
      }
      // A low that the capture begins in has no begin.
      if (m_fall < 0)
        continue;
      const Low low{m_fall, at};
      m_fall = -1;
      if (low.length() < resetLength())
        shortLow(low);
      else if (!begin(low, emit))
        return true;
    }
    return true;
  }

  Picoseconds reached() const { return Picoseconds{std::min(m_until, m_fall >= 0 ? m_fall : m_edges.next())}; }
  const RateMeter& rate() const { return m_rate; }

 private:
  /// What is being read.
  enum class Part { Nothing, Presence, Command, Rom, Search, Data };

  const Timing& timing() const { return m_isFast ? kOverdrive : kStandard; }
  std::int64_t resetLength() const { return timing().shortestReset; }

  /// A reset. Returns what `emit` said of the transaction before it.
  template <typename Emit>
  bool begin(const Low& low, const Emit& emit)
  {
    const bool goesOn = m_part == Part::Nothing || emit(finished(low.fall, false));
    const bool isLong = low.length() >= kStandard.shortestReset;
    if (isLong && m_settings.speed == OneWireSpeed::Auto)
      m_isFast = false;
    m_reset = low;
    m_presenceTiming = isLong ? &kStandard : &kOverdrive;
    m_lastEnd = low.rise;
    m_flags = isLong ? 0U : kIsOverdrive;
    m_errors = 0;
    m_key = 0;
    m_slots = 0;
    m_byte = 0;
    m_payload.clear();
    m_part = Part::Presence;
    m_recorder.reset(low);
    return goesOn;
  }

  void shortLow(const Low& low)
  {
    if (m_part == Part::Nothing)
      return;
    if (m_part == Part::Presence) {
      m_part = Part::Command;
      const Timing& timing = *m_presenceTiming;
      if (low.fall - m_reset.rise <= timing.latestPresence && low.length() >= timing.shortestPresence &&
          low.length() <= timing.longestPresence) {
        m_flags |= kPresence;
        m_lastEnd = low.rise;
        m_recorder.presence(low);
        return;
      }
    }
    const Timing& timing = this->timing();
    const bool one = low.length() <= timing.longestOne;
    m_lastEnd = std::max(low.rise, low.fall + timing.slot);
    m_recorder.slot(low, one, timing);
    take(one);
  }

  void take(bool one)
  {
    const unsigned bit = one ? 1U : 0U;
    if (m_part == Part::Search) {
      takePlace(bit);
      return;
    }
    m_byte |= bit << m_slots % 8;
    if (++m_slots % 8 != 0)
      return;
    const auto byte = static_cast<std::uint8_t>(m_byte);
    m_byte = 0;
    if (m_part == Part::Command) {
      takeCommand(byte);
      return;
    }
    m_payload.push_back(byte);
    if (m_part == Part::Rom && m_payload.size() == kRomBytes)
      takeRom();
  }

  void takeCommand(std::uint8_t byte)
  {
    m_key = byte;
    m_flags |= kHasCommand;
    m_slots = 0;
    if (m_settings.speed == OneWireSpeed::Auto && asksForOverdrive(byte))
      m_isFast = true;
    const Follows follows = followsCommand(byte);
    m_part = follows == Follows::Rom ? Part::Rom : follows == Follows::Search ? Part::Search : Part::Data;
  }

  void takeRom()
  {
    m_flags |= kHasRom;
    m_slots = 0;
    m_part = Part::Data;
    if (crc8({m_payload.data(), kRomBytes - 1}) != m_payload[kRomBytes - 1])
      m_errors |= errorBit(OneWireError::Crc);
  }

  /// Each place is asked for twice, the bit and its opposite, and then one of the two is chosen.
  void takePlace(unsigned bit)
  {
    constexpr std::uint64_t kSlotsAPlace = 3;
    const std::uint64_t slot = m_slots++ % kSlotsAPlace;
    if (slot == 0)
      m_pair = bit;
    else if (slot == 1)
      m_pair |= bit << 1U;
    if (slot < 2)
      return;
    const std::uint64_t place = m_slots / kSlotsAPlace - 1;
    if (place % 8 == 0)
      m_payload.push_back(0);
    m_payload.back() |= static_cast<std::uint8_t>(bit << place % 8);
    if (place + 1 == kRomBits)
      takeRom();
  }

  /// Whether a search stands where nobody answered it.
  bool isUnanswered() const { return m_slots % 3 != 1 && m_slots > 0 && m_pair == 3U; }

  /// The transaction, cut by the next reset or by the capture's end.
  Frame finished(std::int64_t cut, bool byEnd)
  {
    const bool rests = cut - m_lastEnd >= kRest;
    const bool isOpen = m_part == Part::Rom || (m_part == Part::Search && !isUnanswered());
    const auto bits = static_cast<unsigned>(m_part == Part::Search ? m_slots : m_slots % 8);
    if (isOpen || (m_part != Part::Search && bits > 0 && !rests))
      m_errors |= errorBit(OneWireError::Incomplete);
    if (m_part == Part::Presence && byEnd && (m_fall >= 0 || cut < m_reset.rise + m_presenceTiming->latestPresence))
      m_errors |= errorBit(OneWireError::Incomplete);  // somebody may have answered
    else if ((m_flags & kPresence) == 0)
      m_errors |= errorBit(OneWireError::NoPresence);
    if (m_part == Part::Rom || m_part == Part::Search)
      m_payload.clear();
    const unsigned flags = m_flags | bits << kBitsShift;
    return {{Picoseconds{m_reset.fall}, Picoseconds{rests ? m_lastEnd : cut}},
            kOneWireTransaction,
            static_cast<std::uint16_t>(flags),
            m_errors,
            m_key,
            m_payload};
  }

  /// The capture ends. Returns whether there may be more, as run() does.
  template <typename Emit>
  bool end(const Emit& emit)
  {
    m_ended = true;
    const bool isLow = m_fall >= 0;
    const Low low{m_fall, m_until};
    // A low that is long enough already begins one more.
    if (isLow && low.length() >= resetLength()) {
      if (!begin(low, emit))
        return true;
      m_errors |= errorBit(OneWireError::Incomplete);
    } else if (isLow && m_part != Part::Nothing) {
      // Of a slot that is cut nobody knows how long it would have been.
      m_errors |= errorBit(OneWireError::Incomplete);
      m_lastEnd = m_until;
    }
    if (m_part != Part::Nothing)
      emit(finished(m_until, true));
    m_part = Part::Nothing;
    return false;
  }

  OneWireSettings m_settings;
  EdgeStream m_edges;
  std::int64_t m_until;
  bool m_final;
  Recorder& m_recorder;
  bool m_ended = false;
  std::int64_t m_fall = -1;  ///< of the low that the line is in; -1: it is high, or its begin was not seen
  bool m_isFast;             ///< slots are at overdrive
  // Of the transaction.
  Part m_part = Part::Nothing;
  Low m_reset;
  const Timing* m_presenceTiming = &kStandard;
  std::int64_t m_lastEnd = 0;  ///< of the last slot, else of the presence pulse, else of the reset
  unsigned m_flags = 0;
  FrameErrors m_errors = 0;
  std::uint32_t m_key = 0;
  std::uint64_t m_slots = 0;  ///< of the part
  unsigned m_byte = 0;
  unsigned m_pair = 0;  ///< of a search: the bit, and its opposite above it
  std::vector<std::uint8_t> m_payload;
  RateMeter m_rate;
};

}  // namespace bexto::onewire
