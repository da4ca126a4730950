// The body of a dump is a row of tokens: "#123" a time, "1!" a scalar, "b101 !" a vector. Nine in ten are times and
// scalars with short identifiers, so these two are read in place, without making tokens of them, and identifiers are
// looked up in a table by number: an identifier of up to three printable characters is a number below 94 + 94² + 94³.
//
// A piece that is not the last is read up to its last white space only: no word of it goes on behind that. What takes
// several words waits for the next piece, comments are passed over as they come. Ends of lines are counted a piece at a
// time, for errors.
//
// Tested by tests/core/vcd_reader_test.cpp.
#include "core/format/vcd_body.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <bit>
#include <cstring>
#include <string>
#include <unordered_map>

#include "core/base/number_text.h"
#include "core/base/say.h"
#include "core/format/eight_characters.h"
#include "core/format/vcd_ids.h"
#include "core/format/vcd_levels.h"
#include "core/signal/edge_track_builder.h"

namespace bexto {

namespace {

/// The quick way reads this far ahead, whatever is there.
constexpr std::ptrdiff_t kQuickMargin = 32;
/// No value is longer, nor any identifier that somebody would write.
constexpr std::size_t kLongestWord = std::size_t{1} << 20U;

/// Ends of lines. In runs that a byte can count, which compilers turn into vectors of bytes.
std::size_t linesIn(std::string_view text)
{
  std::size_t lines = 0;
  while (!text.empty()) {
    const std::string_view run = text.substr(0, 255);
    std::uint8_t count = 0;
    for (const char c : run)
      count = static_cast<std::uint8_t>(count + (c == '\n' ? 1 : 0));
    lines += count;
    text.remove_prefix(run.size());
  }
  return lines;
}

/// What value changes of one identifier do.
struct Target {
  std::size_t firstBuilder = 0;
  std::size_t width = 0;
  bool skipped = false;
};

}  // namespace

class VcdBody::Impl {
 public:
  Impl(std::string source, VcdHeader header) : m_source(std::move(source)), m_header(std::move(header))
  {
    m_lines = m_header.bodyLine;
    // Below a picosecond, ticks are rounded to whole picoseconds.
    m_power = std::max(0, m_header.tickPower);
    m_divisor = tenToThe(std::max(0, -m_header.tickPower));
    m_lastTick = (kNever.count() - 1) / 2 / tenToThe(m_power);
    for (const VcdVariable& v : m_header.variables) {
      const std::uint32_t known = m_ids.find(v.id.data(), v.id.size());
      if (known != kNoVariable) {
        m_variableTargets.push_back(known);
        continue;
      }
      const auto position = static_cast<std::uint32_t>(m_targets.size());
      m_ids.insert(v.id, position);
      m_variableTargets.push_back(position);
      m_targets.push_back({m_bitCount, v.skipped ? 0 : v.width, v.skipped});
      m_bitCount += v.skipped ? 0 : v.width;
    }
    tellApart();
    m_builders.assign(m_bitCount, EdgeTrackBuilder(m_power));
    for (const VcdVariable& v : m_header.variables) {
      const Target& target = m_targets[m_ids.find(v.id.data(), v.id.size())];
      const auto letter = static_cast<unsigned char>(v.id.front());
      if (v.id.size() == 1 && target.width == 1 && letter < m_scalars.size())
        m_scalars[letter] = &m_builders[target.firstBuilder];
    }
  }

  Result<std::size_t> read(std::string_view piece, bool last)
  {
    m_text = piece;
    m_last = last;
    m_waits = false;
    const char* const begin = piece.data();
    const char* end = begin + piece.size();
    while (!last && end > begin && static_cast<unsigned char>(end[-1]) > ' ')
      --end;
    if (static_cast<std::size_t>(begin + piece.size() - end) > kLongestWord) {
      error(end, say("a word has more than a million characters"), say("the file may be damaged, or no VCD"));
      return tl::unexpected(m_error);
    }
    const char* at = begin;
    if (!m_passingOver.empty())
      passOver(at, end);
    if (!run(at, end))
      return tl::unexpected(m_error);
    const auto used = static_cast<std::size_t>(m_at - begin);
    m_lines += linesIn(piece.substr(0, used));
    return used;
  }

  void note(std::string text) { m_header.notes.push_back(std::move(text)); }

  Capture capture() const
  {
    Capture capture;
    capture.source = m_source;
    capture.tick = Picoseconds{tenToThe(m_power)};
    capture.end = Picoseconds{m_tick * tenToThe(m_power)};
    std::vector<EdgeTrack> tracks;
    tracks.reserve(m_builders.size());
    for (const EdgeTrackBuilder& builder : m_builders)
      tracks.push_back(builder.snapshot());
    std::size_t skipped = 0;
    for (std::size_t i = 0; i < m_header.variables.size(); ++i) {
      const VcdVariable& v = m_header.variables[i];
      const Target& target = m_targets[m_variableTargets[i]];
      skipped += v.skipped ? 1U : 0U;
      if (v.skipped || target.skipped)
        continue;
      const std::size_t width = std::min(v.width, target.width);
      if (width > 1)
        capture.vectors.push_back({v.path + rangeText(v), {}, capture.channels.size(), width});
      for (std::size_t bit = 0; bit < width; ++bit) {
        std::string path = v.path;
        if (v.step != 0)
          path += fmt::format("[{}]", v.leftIndex + v.step * static_cast<int>(bit));
        capture.channels.push_back({std::move(path), {}, tracks[target.firstBuilder + bit]});
      }
    }
    nameChannels(capture);
    // Whole ticks of the file; below a picosecond they are rounded as all times are.
    if (m_header.triggerTick && *m_header.triggerTick / m_divisor <= m_lastTick)
      capture.trigger = Picoseconds{*m_header.triggerTick / m_divisor * tenToThe(m_power)};
    capture.notes = m_header.notes;
    if (skipped > 0)
      capture.notes.push_back(counted(skipped, {"{} variable with real numbers, text or events is passed over",
                                                "{} variables with real numbers, text or events are passed over"}));
    return capture;
  }

 private:
  /// "[7:0]"; nothing for a scalar without an index.
  static std::string rangeText(const VcdVariable& v)
  {
    if (v.step == 0)
      return {};
    const int right = v.leftIndex + v.step * (static_cast<int>(v.width) - 1);
    return v.width == 1 ? fmt::format("[{}]", v.leftIndex) : fmt::format("[{}:{}]", v.leftIndex, right);
  }

  /// Different wires that the file calls by one full name get a number.
  void tellApart()
  {
    std::unordered_map<std::string, std::vector<std::uint32_t>> wiresOf;
    std::size_t renamed = 0;
    for (std::size_t i = 0; i < m_header.variables.size(); ++i) {
      VcdVariable& v = m_header.variables[i];
      if (v.skipped)
        continue;
      std::vector<std::uint32_t>& wires = wiresOf[v.path + rangeText(v)];
      const auto found = std::find(wires.begin(), wires.end(), m_variableTargets[i]);
      const auto number = found - wires.begin() + 1;
      if (found == wires.end())
        wires.push_back(m_variableTargets[i]);
      if (number == 1)
        continue;
      v.path += fmt::format("#{}", number);
      ++renamed;
    }
    if (renamed > 0)
      note(counted(renamed, {"{} wire has the full name of another; a number is added to it",
                             "{} wires have the full name of another; a number is added to each"}));
  }

  /// Reads from `p` to `end`; m_at is where it came to. False for an error.
  bool run(const char* p, const char* end)
  {
    const char* const quickEnd = end - p > kQuickMargin ? end - kQuickMargin : p;
    while (p < end) {
      if (p < quickEnd)
        p = quick(p, quickEnd);
      const char c = *p;
      bool good = true;
      if (c == '#') {
        good = time(p, end);
      } else if (c == '0' || c == '1') {
        const char* id = p + 1;
        const char* stop = id;
        while (stop<end&& static_cast<unsigned char>(*stop)> ' ')
          ++stop;
        const std::uint32_t variable = m_ids.find(id, static_cast<std::size_t>(stop - id));
        if (variable == kNoVariable || stop == id) [[unlikely]] {
          good = unknownId(id, stop, end);
        } else if (const Target& target = m_targets[variable]; target.width == 1) [[likely]] {
          m_builders[target.firstBuilder].set(m_tick, c == '1');
        } else if (!target.skipped) {
          good = vector(target, p, p + 1);
        }
        p = good ? stop : p;
      } else if (static_cast<unsigned char>(c) <= ' ') {
        ++p;
      } else {
        good = rare(p, end);
      }
      if (!good) {
        // The last line may be half written: then the file is good up to there. Or the rest is in the next piece.
        m_at = m_cutOff ? end : p;
        return m_cutOff || m_waits;
      }
    }
    m_at = p;
    return true;
  }

  /// Lines "#123" and "1!" without any trouble, as long as they follow one another; stops before anything else.
  const char* quick(const char* p, const char* last)
  {
    std::int64_t tick = m_tick;
    while (p < last) {
      if (*p == '#') {
        EightCharacters part = readEight(p + 1);
        unsigned digits = part.digits;
        std::uint64_t value = part.number;
        if (digits == 8) {
          part = readEight(p + 9);
          if (part.digits == 8)
            break;
          value = value * static_cast<std::uint64_t>(tenToThe(static_cast<int>(part.digits))) + part.number;
          digits += part.digits;
        }
        const bool good = digits > 0 && p[digits + 1] == '\n' && m_divisor == 1 &&
                          value <= static_cast<std::uint64_t>(m_lastTick) && static_cast<std::int64_t>(value) >= tick;
        if (!good) [[unlikely]]
          break;
        tick = static_cast<std::int64_t>(value);
        p += digits + 2;
      } else if ((*p == '0' || *p == '1') && p[2] == '\n') {
        const auto letter = static_cast<unsigned char>(p[1]);
        EdgeTrackBuilder* const builder = letter < m_scalars.size() ? m_scalars[letter] : nullptr;
        if (builder == nullptr) [[unlikely]]
          break;
        builder->set(tick, *p == '1');
        p += 3;
      } else {
        break;
      }
    }
    m_tick = tick;
    return p;
  }

  bool error(const char* at, std::string message, std::string mend = {})
  {
    m_error =
        Error{ErrorCode::Malformed, std::move(message), say("{}, line {}", m_source, lineOf(at)), std::move(mend)};
    return false;
  }

  std::size_t lineOf(const char* at) const
  {
    return m_lines + static_cast<std::size_t>(std::count(m_text.data(), at, '\n')) + 1;
  }

  /// The rest of what begins here may be in the next piece.
  bool waits()
  {
    m_waits = !m_last;
    return m_waits;
  }

  /// Whether the text breaks off at `p`: nothing but the rest of one line follows, and no newline ends it.
  bool breaksOff(const char* p, const char* end)
  {
    constexpr std::ptrdiff_t kLongestLine = 1 << 17;
    if (!m_last || end - p > kLongestLine || std::find(p, end, '\n') != end)
      return false;
    note(say("the file breaks off in line {}; it is read up to there", lineOf(p)));
    m_cutOff = true;
    return true;
  }

  static bool isDigit(char c) { return c >= '0' && c <= '9'; }

  bool time(const char*& p, const char* end)
  {
    const char* at = p + 1;
    std::uint64_t value = 0;
    // Eighteen digits always fit, so only a longer number needs looking after.
    const char* const safe = at + std::min<std::ptrdiff_t>(18, end - at);
    while (at < safe && isDigit(*at))
      value = value * 10 + static_cast<std::uint64_t>(*at++ - '0');
    bool huge = false;
    for (; at < end && isDigit(*at); ++at) {
      huge = huge || value > 1000000000000000000U;
      value = value * 10 + static_cast<std::uint64_t>(*at - '0');
    }
    if (at == p + 1 || (at<end&& static_cast<unsigned char>(*at)> ' ')) {
      if (breaksOff(p, end))
        return false;
      return error(p, say("a time is not a whole number"));
    }
    const std::uint64_t tick =
        m_divisor == 1 ? value
                       : (value + static_cast<std::uint64_t>(m_divisor) / 2) / static_cast<std::uint64_t>(m_divisor);
    if (huge || tick > static_cast<std::uint64_t>(m_lastTick))
      return error(p, say("a time is beyond 53 days"), say("check the file's $timescale"));
    if (static_cast<std::int64_t>(tick) < m_tick) {
      if (at == end && breaksOff(p, end))
        return false;
      return error(p, say("the time goes back, from {} to {}", m_tick * m_divisor, value),
                   say("sort the file or read its parts one by one"));
    }
    m_tick = static_cast<std::int64_t>(tick);
    p = at;
    return true;
  }

  bool unknownId(const char* id, const char* stop, const char* end)
  {
    if (stop == end && breaksOff(id, end))
      return false;
    const auto size = std::min<std::size_t>(static_cast<std::size_t>(stop - id), 20);
    return error(id, size == 0 ? say("a value has no identifier")
                               : say("the identifier '{}' was not declared", std::string_view(id, size)));
  }

  /// Everything but times, zeros, ones and white space.
  bool rare(const char*& p, const char* end)
  {
    switch (*p) {
      case 'x':
      case 'X':
      case 'z':
      case 'Z':
      case 'u':
      case 'U':
      case 'w':
      case 'W':
      case '-':
      case 'h':
      case 'H':
      case 'l':
      case 'L':
        return scalar(p, end);
      case 'b':
      case 'B':
        return twoParts(p, end, true);
      case 'r':
      case 'R':
      case 's':
      case 'S':
        return twoParts(p, end, false);
      case 'p':
        return port(p, end);
      case '$':
        return keyword(p, end);
      default:
        break;
    }
    if (breaksOff(p, end))
      return false;
    return error(p, say("this is no time, value or keyword"), say("the file may be damaged, or no VCD"));
  }

  static const char* tokenEnd(const char* p, const char* end)
  {
    while (p<end&& static_cast<unsigned char>(*p)> ' ')
      ++p;
    return p;
  }

  bool scalar(const char*& p, const char* end)
  {
    const char* stop = tokenEnd(p + 1, end);
    const std::uint32_t variable = m_ids.find(p + 1, static_cast<std::size_t>(stop - p - 1));
    if (variable == kNoVariable || stop == p + 1)
      return unknownId(p + 1, stop, end);
    if (!m_targets[variable].skipped && !vector(m_targets[variable], p, p + 1))
      return false;
    p = stop;
    return true;
  }

  static const char* tokenBegin(const char* p, const char* end)
  {
    while (p < end && static_cast<unsigned char>(*p) <= ' ')
      ++p;
    return p;
  }

  /// "b101 !" and "r1.5 !".
  bool twoParts(const char*& p, const char* end, bool bits)
  {
    const char* valueEnd = tokenEnd(p, end);
    return named(p, valueEnd, valueEnd, end, bits ? &kLevels : nullptr);
  }

  /// "pU 0 6 <3": the levels, how strong they are driven low and high, the identifier (18.4.3.1).
  bool port(const char*& p, const char* end)
  {
    const char* valueEnd = tokenEnd(p, end);
    const char* strengths = valueEnd;
    for (int i = 0; i < 2; ++i)
      strengths = tokenEnd(tokenBegin(strengths, end), end);
    return named(p, valueEnd, strengths, end, &kPortLevels);
  }

  /// A value from behind its letter to `valueEnd`, and behind `before` the identifier that it is for. No table: it is
  /// passed over.
  bool named(const char*& p, const char* valueEnd, const char* before, const char* end, const Levels* levels)
  {
    const char* id = tokenBegin(before, end);
    const char* stop = tokenEnd(id, end);
    if (stop == id && waits())
      return false;
    const std::uint32_t variable = m_ids.find(id, static_cast<std::size_t>(stop - id));
    if (variable == kNoVariable || stop == id)
      return unknownId(id, stop, end);
    const Target& target = m_targets[variable];
    if (levels != nullptr && !target.skipped && !vector(target, p + 1, valueEnd, *levels))
      return false;
    p = stop;
    return true;
  }

  /// Values are aligned right. Missing bits on the left are 0 before 0 or 1, else like the leftmost (18.2.2 rule of
  /// left extension); more digits than bits are cut on the left.
  bool vector(const Target& target, const char* digits, const char* digitsEnd, const Levels& levels = kLevels)
  {
    const auto levelOf = [&](const char* at) { return levels[static_cast<unsigned char>(*at)]; };
    const auto bad = std::find_if(digits, digitsEnd, [&](const char& c) { return levelOf(&c) == kNoLevel; });
    if (bad != digitsEnd || digits == digitsEnd)
      return error(digits, bad == digitsEnd ? say("a value has no digits")
                                            : say("'{}' is no digit of a value", std::string_view(bad, 1)));
    const auto count = static_cast<std::size_t>(digitsEnd - digits);
    const Level fill = levelOf(digits) == kUnknown ? kUnknown : kLow;
    for (std::size_t bit = 0; bit < target.width; ++bit) {
      const std::size_t fromRight = target.width - 1 - bit;
      const Level level = fromRight < count ? levelOf(digitsEnd - 1 - fromRight) : fill;
      if (level >= 0)
        m_builders[target.firstBuilder + bit].set(m_tick, level == kHigh);
    }
    return true;
  }

  bool keyword(const char*& p, const char* end)
  {
    const char* stop = tokenEnd(p, end);
    const std::string_view word(p, static_cast<std::size_t>(stop - p));
    // $vcdclose holds the last time of an extended dump (18.4.2), which counts as any other.
    static constexpr std::array<std::string_view, 10> kPlain{
        "$end",       "$dumpvars",    "$dumpall",      "$dumpon",       "$dumpoff",
        "$dumpports", "$dumpportson", "$dumpportsoff", "$dumpportsall", "$vcdclose"};
    p = stop;
    if (std::find(kPlain.begin(), kPlain.end(), word) == kPlain.end()) {
      m_passingOver = word;
      passOver(p, end);
    }
    return true;
  }

  /// $comment, or what a tool adds: up to its $end, here or in a later piece.
  void passOver(const char*& p, const char* end)
  {
    constexpr std::string_view kEnd = "$end";
    const std::string_view text(p, static_cast<std::size_t>(end - p));
    const auto isSpaceAt = [&](std::size_t i) {
      return i >= text.size() || static_cast<unsigned char>(text[i]) <= ' ';
    };
    std::size_t at = text.find(kEnd);
    // A word of its own: a piece begins behind white space or behind the keyword.
    while (at != std::string_view::npos && ((at > 0 && !isSpaceAt(at - 1)) || !isSpaceAt(at + kEnd.size())))
      at = text.find(kEnd, at + 1);
    if (at != std::string_view::npos) {
      p += at + kEnd.size();
      m_passingOver.clear();
      return;
    }
    p = end;
    if (m_last)
      note(say("the file ends inside {}", m_passingOver));
  }

  std::string_view m_text;
  std::string m_source;
  VcdHeader m_header;
  const char* m_at = nullptr;
  bool m_last = true;
  bool m_waits = false;       ///< the piece ends inside a value
  std::string m_passingOver;  ///< the keyword of what is passed over
  std::size_t m_lines = 0;    ///< ends of lines before the piece
  int m_power = 0;
  std::int64_t m_divisor = 1;
  std::int64_t m_lastTick = 0;
  std::int64_t m_tick = 0;
  bool m_cutOff = false;
  Error m_error;
  IdTable m_ids;
  std::vector<Target> m_targets;
  std::vector<std::uint32_t> m_variableTargets;  ///< of each variable of the header
  std::size_t m_bitCount = 0;
  std::vector<EdgeTrackBuilder> m_builders;
  std::array<EdgeTrackBuilder*, 128> m_scalars{};  ///< of identifiers of one character
};

VcdBody::VcdBody(const std::string& source, VcdHeader header)
    : m_impl(std::make_unique<Impl>(source, std::move(header)))
{
}

VcdBody::~VcdBody() = default;

Result<std::size_t> VcdBody::read(std::string_view piece, bool last)
{
  return m_impl->read(piece, last);
}

void VcdBody::note(std::string text)
{
  m_impl->note(std::move(text));
}

Capture VcdBody::capture() const
{
  return m_impl->capture();
}

}  // namespace bexto
