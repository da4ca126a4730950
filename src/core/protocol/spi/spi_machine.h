#pragma once

// The clock leads: at each of its sampling edges the data lines are asked for their level before that edge. What
// happens at one time is ordered so that every edge meets the levels before: clock edges first, then the chip select.
// So a sampling edge that coincides with the release of the select counts, one that coincides with its begin does not.
//
// Tested by tests/core/spi_test.cpp and tests/core/properties_test.cpp.
#include <algorithm>
#include <array>
#include <cassert>
#include <vector>

#include "core/decode/clocked_bytes.h"
#include "core/decode/decoder.h"
#include "core/decode/edge_walk.h"
#include "core/decode/rate_meter.h"
#include "core/protocol/spi/spi_frame.h"
#include "core/protocol/spi/spi_settings.h"

namespace bexto::spi {

/// Which track of the input plays which part; -1: none.
struct Lines {
  explicit Lines(const Bus& bus)
  {
    int next = 1;
    for (const auto& [role, line] : {std::pair{"mosi", &mosi}, std::pair{"miso", &miso}, std::pair{"cs", &select}}) {
      if (!bus.channelOf(role).empty())
        *line = next++;
    }
  }
  int mosi = -1;
  int miso = -1;
  int select = -1;
};

struct NoRecorder {
  static constexpr bool kRecords = false;
  void clock(std::int64_t /*time*/) {}
  void sample(std::int64_t /*time*/, bool /*mosi*/, bool /*miso*/) {}
  void word() {}
};

template <typename Recorder>
class SpiMachine {
 public:
  SpiMachine(const Bus& bus, const StreamInput& input, Picoseconds from, Recorder& recorder)
      : m_settings(spiSettings(bus)),
        m_lines(bus),
        m_until(input.until),
        m_final(input.final),
        m_clock(input.tracks.at(0), from, input.until, input.final),
        m_mosi(trackOf(input, m_lines.mosi), from, input.until, input.final),
        m_miso(trackOf(input, m_lines.miso), from, input.until, input.final),
        m_select(trackOf(input, m_lines.select), from, input.until, input.final),
        m_bits(static_cast<unsigned>(m_settings.bits)),
        m_samplesRise(m_settings.mode == 0 || m_settings.mode == 3),
        m_late((m_settings.mode & 1) != 0),
        m_byWord(m_settings.frames == SpiFrames::Word),
        m_recorder(recorder)
  {
    if (hasSelect() && m_select.level() == m_settings.selectHigh) {
      m_open = true;
      m_start = from.count();
      m_cutAtStart = from == Picoseconds{0};
    }
  }

  void extend(const StreamInput& input)
  {
    m_until = input.until;
    m_final = input.final;
    m_clock.extend(input.tracks.at(0), input.until, input.final);
    m_mosi.extend(trackOf(input, m_lines.mosi), input.until, input.final);
    m_miso.extend(trackOf(input, m_lines.miso), input.until, input.final);
    m_select.extend(trackOf(input, m_lines.select), input.until, input.final);
  }

  /// Reads up to `slice` edges of clock and select, handing frames to `emit(const Frame&)` until that returns false.
  /// False when the input is used up.
  template <typename Emit>
  bool run(std::size_t slice, const Emit& emit)
  {
    EdgeWalk clock(m_clock);
    EdgeWalk mosi(m_mosi);
    EdgeWalk miso(m_miso);
    EdgeWalk select(m_select);
    for (std::size_t i = 0; i < slice; ++i) {
      if constexpr (!Recorder::kRecords) {
        while (m_open && m_taken == 0 && !m_byWord) {
          std::size_t words = quickWords(clock, mosi, miso, select);
          if (words == 0)
            words = quickWord(clock, mosi, miso, select) ? 1 : 0;
          if (words == 0)
            break;
          i += words * 2 * m_bits;
        }
      }
      const std::int64_t t = clock.next();
      if (select.next() < t) {
        // The clock's next edge may still be held back by its filter.
        if (t == kNever.count() && m_clock.horizon().count() < select.next())
          return false;
        const std::int64_t now = select.next();
        select.advance();
        if (!selectMoved(now, select.level() == m_settings.selectHigh, emit))
          return true;
        continue;
      }
      if (t == kNever.count())
        return atEnd(emit);
      mosi.skipBefore(t);
      miso.skipBefore(t);
      if (!mosi.knows(t) || !miso.knows(t) || (select.next() == kNever.count() && m_select.horizon().count() < t - 1))
        return false;
      clock.advance();
      if (!clockMoved(t, clock.level() == m_samplesRise, mosi.level(), miso.level(), emit))
        return true;
    }
    return true;
  }

  Picoseconds reached() const { return std::min(m_until, Picoseconds{std::min(m_clock.next(), m_select.next())}); }
  const RateMeter& rate() const { return m_rate; }

 private:
  static constexpr std::int64_t kNone = -1;

  static const ConditionedTrack& trackOf(const StreamInput& input, int line)
  {
    static const ConditionedTrack kSilent{EdgeTrack()};
    return line < 0 ? kSilent : input.tracks.at(static_cast<std::size_t>(line));
  }
  bool hasSelect() const { return m_lines.select >= 0; }

  /// Looks at one data line at the word's sampling edges.
  struct LineReader {
    explicit LineReader(const EdgeWalk& walk) : at(walk.at()), begin(at), end(at + walk.inHand()), level(walk.level())
    {
    }

    void sample(std::int64_t t)
    {
      // Mostly it has moved once or not at all since: a step nobody can predict is no branch.
      const bool steps = *at < t;
      at += steps ? 1 : 0;
      level = level != steps;
      while (*at < t) {
        ++at;
        level = !level;
      }
      word = word << 1U | (level ? 1U : 0U);
    }
    /// Whether all of the line up to `t` was in hand. Where nothing more comes, the stream has to say so.
    bool saw(const EdgeWalk& walk, std::int64_t t) const { return at != end || (at == begin && walk.knows(t)); }

    const std::int64_t* at;
    const std::int64_t* begin;
    const std::int64_t* end;
    bool level;
    std::uint32_t word = 0;
  };

  /// Whole words of whole bytes that follow one another, as many as are in hand. Returns how many; none where anything
  /// happens besides.
  std::size_t quickWords(EdgeWalk& clock, EdgeWalk& mosi, EdgeWalk& miso, EdgeWalk& select)
  {
    const bool startsWithSample = clock.level() != m_samplesRise;
    if (m_bits % 8 != 0 || startsWithSample == m_late)
      return 0;
    // Of 32 bits, because these are divided: by longer ones it takes as long as reading a word.
    const unsigned bytesAWord = m_bits / 8;
    const std::size_t edgesAWord = std::size_t{2} * m_bits;
    const std::int64_t* const edges = clock.at();
    const std::int64_t* const samples = edges + (m_late ? 1 : 0);
    const auto inHand = static_cast<unsigned>(std::min(clock.inHand() / 16, kMostClockedBytes));
    std::size_t words = undisturbed(edges, inHand / bytesAWord, select);
    if (words == 0)
      return 0;
    const std::array<EdgeWalk*, 2> walks{m_lines.mosi >= 0 ? &mosi : nullptr, m_lines.miso >= 0 ? &miso : nullptr};
    std::array<ClockedLine, 2> lines;
    std::size_t count = 0;
    for (EdgeWalk* const walk : walks) {
      if (walk == nullptr)
        continue;
      if (walk->inHand() == 0 && !walk->knows(samples[words * edgesAWord - 2]))
        return 0;
      lines[count++] = ClockedLine(*walk);
    }
    std::array<ClockedLine, 2> read = lines;
    const auto bytes =
        static_cast<unsigned>(readClockedBytes(samples, words * bytesAWord, read.data(), count, m_bytes.data()));
    words = bytes / bytesAWord;
    if (words == 0)
      return 0;
    if (bytes % bytesAWord != 0) {
      read = lines;
      readClockedBytes(samples, words * bytesAWord, read.data(), count, m_bytes.data());
    }
    m_measured.come(words,
                    [&](std::size_t w) { measureRate(samples[w * edgesAWord], samples[(w + 1) * edgesAWord - 2]); });
    m_lastClock = edges[words * edgesAWord - 1];
    // Others may come where these stood.
    clock.jump(edges + words * edgesAWord);
    for (std::size_t i = 0, line = 0; i < walks.size(); ++i) {
      if (walks[i] == nullptr)
        continue;
      storeBytes(m_data[i], m_bytes[line].data(), words);
      walks[i]->jump(read[line++].at);
    }
    m_words += words;
    m_anySample = true;
    return words;
  }

  /// How many of so many words the transfer goes on for, without a change of the select or a gap.
  std::size_t undisturbed(const std::int64_t* edges, std::size_t words, EdgeWalk& select) const
  {
    const std::size_t edgesAWord = std::size_t{2} * m_bits;
    const auto last = [&](std::size_t word) { return edges[(word + 1) * edgesAWord - 1]; };
    std::size_t count = 0;
    if (hasSelect()) {
      const std::int64_t until = select.next();
      while (count < words && last(count) <= until)
        ++count;
      return count == 0 || select.knows(last(count - 1)) ? count : 0;
    }
    if (m_lastClock == kNone)
      return 0;
    std::int64_t before = m_lastClock;
    for (; count < words && last(count) - before < m_settings.gap.count(); ++count)
      before = last(count);
    return count;
  }

  /// A whole word, both edges of each of its bits. False, and nothing is read, when it is not whole in hand or anything
  /// happens besides.
  bool quickWord(EdgeWalk& clock, EdgeWalk& mosi, EdgeWalk& miso, EdgeWalk& select)
  {
    const std::size_t count = std::size_t{2} * m_bits;
    const bool startsWithSample = clock.level() != m_samplesRise;
    if (clock.inHand() < count || startsWithSample == m_late)
      return false;
    const std::int64_t* const edges = clock.at();
    const std::int64_t last = edges[count - 1];
    if (hasSelect() ? select.next() < last || !select.knows(last)
                    : m_lastClock == kNone || last - m_lastClock >= m_settings.gap.count())
      return false;
    LineReader out(mosi);
    LineReader in(miso);
    for (std::size_t i = startsWithSample ? 0 : 1; i < count; i += 2) {
      out.sample(edges[i]);
      in.sample(edges[i]);
    }
    const std::int64_t sampled = edges[startsWithSample ? count - 2 : count - 1];
    if (!out.saw(mosi, sampled) || !in.saw(miso, sampled))
      return false;
    m_shift = {out.word, in.word};
    m_firstSample = edges[startsWithSample ? 0 : 1];
    m_lastClock = last;
    m_anySample = true;
    wholeWord(sampled);
    // Others may come where these stood.
    clock.jump(edges + count);
    mosi.jump(out.at);
    miso.jump(in.at);
    return true;
  }

  template <typename Emit>
  bool selectMoved(std::int64_t now, bool active, const Emit& emit)
  {
    if (active) {
      m_open = true;
      m_start = now;
      m_cutAtStart = false;
      m_lastClock = kNone;
      return true;
    }
    return !m_open || close(now, false, emit);
  }

  template <typename Emit>
  bool clockMoved(std::int64_t t, bool samples, bool mosi, bool miso, const Emit& emit)
  {
    bool goOn = true;
    if (!hasSelect()) {
      if (m_open && t - m_lastClock >= m_settings.gap.count())
        goOn = close(m_lastClock, false, emit);
      if (!m_open) {
        m_open = true;
        m_start = t;
        m_lastClock = kNone;
      }
    } else if (!m_open) {
      return true;
    }
    m_recorder.clock(t);
    if (samples) {
      if (m_taken == 0) {
        m_firstSample = t;
        m_wordBegin = m_late && m_lastClock != kNone ? m_lastClock : t;
      }
      m_recorder.sample(t, mosi, miso);
      m_shift[0] = m_shift[0] << 1U | (mosi ? 1U : 0U);
      m_shift[1] = m_shift[1] << 1U | (miso ? 1U : 0U);
      m_anySample = true;
      if (++m_taken == m_bits) {
        wholeWord(t);
        if (m_byWord && m_late)
          goOn = emitWord(t, false, emit) && goOn;
      }
    } else if (m_byWord && m_words > 0) {
      goOn = emitWord(t, false, emit) && goOn;
    }
    m_lastClock = t;
    return goOn;
  }

  void wholeWord(std::int64_t t)
  {
    m_recorder.word();
    m_taken = 0;
    if (m_lines.mosi >= 0)
      store(m_data[0], m_shift[0]);
    if (m_lines.miso >= 0)
      store(m_data[1], m_shift[1]);
    ++m_words;
    m_measured.come(1, [&](std::size_t) { measureRate(m_firstSample, t); });
  }

  /// From a word's first and last sample.
  void measureRate(std::int64_t first, std::int64_t last)
  {
    if (m_bits > 1)
      m_rate.add(Picoseconds{(last - first) / (m_bits - 1)});
  }

  /// Words as they were sent, bit by bit.
  void storeBytes(std::vector<std::uint8_t>& to, const std::uint8_t* bytes, std::size_t words) const
  {
    const std::size_t bytesAWord = m_bits / 8;
    if (m_settings.order == BitOrder::Msb) {
      to.insert(to.end(), bytes, bytes + words * bytesAWord);
      return;
    }
    for (std::size_t w = 0; w < words; ++w) {
      std::uint32_t word = 0;
      for (std::size_t i = 0; i < bytesAWord; ++i)
        word = word << 8U | *bytes++;
      store(to, word);
    }
  }

  void store(std::vector<std::uint8_t>& to, std::uint32_t word) const
  {
    if (m_bits < 32)
      word &= (1U << m_bits) - 1U;
    if (m_settings.order == BitOrder::Lsb)
      word = reversedBits(word, m_bits);
    for (unsigned byte = (m_bits + 7) / 8; byte-- > 0;)
      to.push_back(static_cast<std::uint8_t>(word >> (8 * byte)));
  }

  /// The transfer ends at `now`; `atCaptureEnd`: because nothing more is known.
  template <typename Emit>
  bool close(std::int64_t now, bool atCaptureEnd, const Emit& emit)
  {
    bool goOn = true;
    const bool cut = m_taken > 0 || (atCaptureEnd && hasSelect());
    if (m_byWord) {
      // It lasts as long as its clock: when the select goes, or the capture ends, is none of its business.
      if (m_words > 0 || m_taken > 0)
        goOn = emitWord(m_lastClock, m_taken > 0, emit);
    } else if (hasSelect() || m_anySample) {
      goOn = emitFrame(kSpiTransfer, m_start, now, cut || m_cutAtStart, emit);
    }
    m_open = m_cutAtStart = m_anySample = false;
    m_taken = 0;
    m_lastClock = kNone;
    return goOn;
  }

  template <typename Emit>
  bool emitWord(std::int64_t end, bool cut, const Emit& emit)
  {
    return emitFrame(kSpiWord, m_wordBegin, end, cut, emit);
  }

  template <typename Emit>
  bool emitFrame(FrameKind kind, std::int64_t begin, std::int64_t end, bool cut, const Emit& emit)
  {
    Frame frame;
    frame.time = {Picoseconds{begin}, Picoseconds{end}};
    frame.kind = kind;
    frame.errors = cut ? errorBit(SpiError::Incomplete) : FrameErrors{0};
    frame.key = static_cast<std::uint32_t>(m_words);
    m_data[0].insert(m_data[0].end(), m_data[1].begin(), m_data[1].end());
    frame.payload = m_data[0];
    const bool goOn = emit(frame);
    m_data[0].clear();
    m_data[1].clear();
    m_words = 0;
    return goOn;
  }

  template <typename Emit>
  bool atEnd(const Emit& emit)
  {
    if (!m_open)
      return false;
    if (m_final)
      close(hasSelect() ? m_until.count() : m_lastClock, true, emit);
    else if (!hasSelect() && m_clock.horizon().count() - m_lastClock >= m_settings.gap.count())
      return close(m_lastClock, false, emit) && false;
    return false;
  }

  SpiSettings m_settings;
  Lines m_lines;
  Picoseconds m_until;
  bool m_final;
  EdgeStream m_clock;
  EdgeStream m_mosi;
  EdgeStream m_miso;
  EdgeStream m_select;
  unsigned m_bits;
  bool m_samplesRise;
  bool m_late;  ///< CPHA is 1: the second edge of a clock period samples
  bool m_byWord;
  Recorder& m_recorder;

  // Of the transfer.
  bool m_open = false;
  bool m_cutAtStart = false;  ///< it had begun when the capture did
  bool m_anySample = false;
  std::int64_t m_start = 0;
  std::int64_t m_lastClock = kNone;
  std::size_t m_words = 0;
  std::array<std::vector<std::uint8_t>, 2> m_data;
  std::array<ClockedBytes, 2> m_bytes;
  // Of the word.
  unsigned m_taken = 0;
  std::array<std::uint32_t, 2> m_shift{};
  std::int64_t m_wordBegin = 0;
  std::int64_t m_firstSample = 0;

  MeasuredOnes m_measured;
  RateMeter m_rate;
};

}  // namespace bexto::spi
