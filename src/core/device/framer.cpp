// Tested by tests/core/framer_test.cpp.
#include "core/device/framer.h"

#include <algorithm>

namespace bexto {

namespace {

class Framer {
 public:
  Framer(const SheetFraming& framing, const TalkReader& talk, const FrameIndex& frames, std::uint64_t from)
      : m_framing(framing), m_from(from)
  {
    // The row of bytes once; a character that says nothing (a break) ends whatever goes on.
    const auto count = static_cast<std::size_t>(frames.size() - from);
    m_bytes.reserve(count);
    m_begin.reserve(count);
    m_end.reserve(count);
    for (const auto& chunk : frames.chunks()) {
      if (chunk->first + chunk->size() <= from)
        continue;
      for (std::size_t i = from > chunk->first ? static_cast<std::size_t>(from - chunk->first) : 0; i < chunk->size();
           ++i) {
        const Frame frame = chunk->frame(i);
        const Talk said = talk.of(frame);
        m_bytes.push_back(said.heard && !said.out.empty() ? std::int16_t{said.out.front()} : std::int16_t{-1});
        m_begin.push_back(frame.time.begin.count());
        m_end.push_back(frame.time.end.count());
      }
    }
  }

  void run(std::vector<FramedUnit>& units) const
  {
    for (std::size_t at = 0; at < m_bytes.size();) {
      const std::size_t length = messageAt(at);
      const std::size_t next = length > 0 ? at + length : endOfOther(at);
      units.push_back({static_cast<std::uint32_t>(m_from + at), length > 0});
      at = next;
    }
  }

 private:
  bool isAt(const std::vector<std::uint8_t>& row, std::size_t at) const
  {
    if (at + row.size() > m_bytes.size())
      return false;
    for (std::size_t i = 0; i < row.size(); ++i) {
      if (m_bytes[at + i] != row[i])
        return false;
    }
    return true;
  }
  std::int64_t restBefore(std::size_t at) const { return m_begin[at] - m_end[at - 1]; }
  /// A rest in which nobody would wait for the rest of a message.
  bool isLongRest(std::size_t at) const
  {
    if (m_framing.gap > Picoseconds{0})
      return restBefore(at) >= m_framing.gap.count();
    const std::int64_t character = m_end[at - 1] - m_begin[at - 1];
    return restBefore(at) > 20 * character && !m_framing.start.empty() && isAt(m_framing.start, at);
  }

  /// Where characters that are no message end: where one begins, at a pause of two characters, at the most.
  std::size_t endOfOther(std::size_t at) const
  {
    std::size_t end = at + 1;
    for (; end < m_bytes.size() && end - at < m_framing.most; ++end) {
      const std::int64_t character = std::max<std::int64_t>(m_end[end - 1] - m_begin[end - 1], 1);
      if (restBefore(end) > 2 * character || (!m_framing.start.empty() && messageAt(end) > 0))
        break;
      if (!m_framing.end.empty() && end - at >= m_framing.end.size() && isAt(m_framing.end, end - m_framing.end.size()))
        break;
    }
    return end;
  }

  /// How many characters the message that begins there has; 0: there is none.
  std::size_t messageAt(std::size_t at) const
  {
    const SheetFraming& f = m_framing;
    if (m_bytes[at] < 0 || (!f.start.empty() && !isAt(f.start, at)))
      return 0;
    std::size_t most = std::min<std::size_t>(m_bytes.size() - at, f.most);
    std::size_t wanted = f.size;
    if (f.length) {
      const auto place = static_cast<std::size_t>(f.length->byte);
      if (place + f.length->bytes > most)
        return 0;
      std::vector<std::uint8_t> head;
      for (std::size_t i = 0; i < place + f.length->bytes; ++i) {
        if (m_bytes[at + i] < 0)
          return 0;
        head.push_back(static_cast<std::uint8_t>(m_bytes[at + i]));
      }
      const auto said = bitsAt(*f.length, head);
      const std::int64_t total =
          said ? static_cast<std::int64_t>(std::min<std::uint64_t>(*said, 1U << 20U)) + f.plus : 0;
      if (total < static_cast<std::int64_t>(head.size()) || total > static_cast<std::int64_t>(most))
        return 0;
      wanted = static_cast<std::size_t>(total);
    }
    const bool escaped = f.escape != SheetFraming::Escape::None;
    std::size_t end = 1;
    bool begun =
        !escaped || f.end.empty() || !isAt(f.end, at);  // an end that nothing stands before begins the next one
    for (;; ++end) {
      if (wanted != 0 && end == wanted)
        return wanted;
      if (wanted == 0 && !f.end.empty() && begun && end >= f.start.size() + f.end.size() &&
          isAt(f.end, at + end - f.end.size()))
        return end;
      if (end >= most || m_bytes[at + end] < 0 || isLongRest(at + end))
        break;
      begun = begun || (!f.end.empty() && !isAt(f.end, at + end));
    }
    // A rest ends it where nothing else does.
    const bool byRest = wanted == 0 && f.end.empty() && f.gap > Picoseconds{0};
    return byRest && end < f.most ? end : 0;
  }

  const SheetFraming& m_framing;
  std::uint64_t m_from;
  std::vector<std::int16_t> m_bytes;
  std::vector<std::int64_t> m_begin;
  std::vector<std::int64_t> m_end;
};

std::vector<std::uint8_t> unescaped(const SheetFraming& f, std::vector<std::uint8_t> bytes)
{
  std::vector<std::uint8_t> out;
  if (f.escape == SheetFraming::Escape::Cobs) {
    // A count, then that many less one; every group but one of 255 and the last ends in a zero.
    for (std::size_t i = 0; i < bytes.size();) {
      const std::size_t count = bytes[i++];
      if (count == 0)
        continue;
      for (std::size_t k = 1; k < count && i < bytes.size(); ++k)
        out.push_back(bytes[i++]);
      if (count < 255 && i < bytes.size() && bytes[i] != 0)
        out.push_back(0);
    }
    return out;
  }
  std::size_t i = f.start.size();
  const auto endsAt = [&](std::size_t at) {
    return !f.end.empty() && at + f.end.size() <= bytes.size() &&
           std::equal(f.end.begin(), f.end.end(), bytes.begin() + static_cast<std::ptrdiff_t>(at));
  };
  while (endsAt(i))
    i += f.end.size();
  const std::size_t end = bytes.size() - std::min(bytes.size() - std::min(i, bytes.size()), f.end.size());
  for (; i < end; ++i) {
    std::uint8_t b = bytes[i];
    const bool slip = f.escape == SheetFraming::Escape::Slip;
    if (i + 1 < end && b == (slip ? 0xdb : f.mark)) {
      const std::uint8_t next = bytes[++i];
      b = !slip ? static_cast<std::uint8_t>(next ^ f.toggle) : next == 0xdc ? 0xc0 : next == 0xdd ? 0xdb : next;
    }
    out.push_back(b);
  }
  return out;
}

}  // namespace

void findMessages(const SheetFraming& framing, const TalkReader& talk, const FrameIndex& frames, std::uint64_t from,
                  std::vector<FramedUnit>& units)
{
  Framer(framing, talk, frames, from).run(units);
}

std::vector<std::uint8_t> messageBytes(const SheetFraming& framing, const TalkReader& talk, const FrameIndex& frames,
                                       FrameRange range, bool strip)
{
  std::vector<std::uint8_t> bytes;
  bytes.reserve(static_cast<std::size_t>(range.count()));
  for (std::uint64_t i = range.first; i < range.end; ++i) {
    const Frame frame = frames.frame(i);
    const Talk said = talk.of(frame);
    bytes.insert(bytes.end(), said.out.begin(), said.out.end());
  }
  if (framing.escape != SheetFraming::Escape::None)
    return unescaped(framing, std::move(bytes));
  if (strip) {
    const std::vector<std::uint8_t>& end = framing.end;
    if (bytes.size() >= end.size() && std::equal(end.rbegin(), end.rend(), bytes.rbegin()))
      bytes.resize(bytes.size() - end.size());
    while (!bytes.empty() && (bytes.back() == '\r' || bytes.back() == '\n'))
      bytes.pop_back();
  }
  return bytes;
}

}  // namespace bexto
