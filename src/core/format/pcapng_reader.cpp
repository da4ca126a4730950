// Tested by tests/core/pcapng_test.cpp.
#include "core/format/pcapng_reader.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <cstring>

#include "core/base/input_file.h"
#include "core/base/say.h"
#include "core/format/pcapng_blocks.h"
#include "core/format/record_collector.h"

namespace bexto {

namespace {

/// Longer blocks are damage: a packet has 256 KiB at most.
constexpr std::size_t kLongestBlock = std::size_t{64} << 20U;

/// Numbers in the byte order of their section.
class Numbers {
 public:
  explicit Numbers(bool swapped = false) : m_swapped(swapped) {}

  std::uint16_t two(std::span<const std::uint8_t> bytes, std::size_t at) const { return get<std::uint16_t>(bytes, at); }
  std::uint32_t four(std::span<const std::uint8_t> bytes, std::size_t at) const
  {
    return get<std::uint32_t>(bytes, at);
  }
  /// Two words, the high one first.
  std::uint64_t highLow(std::span<const std::uint8_t> bytes, std::size_t at) const
  {
    return std::uint64_t{four(bytes, at)} << 32U | four(bytes, at + 4);
  }
  std::uint64_t eight(std::span<const std::uint8_t> bytes, std::size_t at) const
  {
    return m_swapped == isLittle() ? highLow(bytes, at) : std::uint64_t{four(bytes, at + 4)} << 32U | four(bytes, at);
  }

 private:
  static constexpr bool isLittle() { return std::endian::native == std::endian::little; }
  template <typename Number>
  Number get(std::span<const std::uint8_t> bytes, std::size_t at) const
  {
    Number value = 0;
    std::memcpy(&value, bytes.data() + at, sizeof(value));
    if (!m_swapped)
      return value;
    Number turned = 0;
    for (std::size_t i = 0; i < sizeof(value); ++i)
      turned = static_cast<Number>(std::uint64_t{turned} << 8U | (std::uint64_t{value} >> (8 * i) & 0xFFU));
    return turned;
  }
  bool m_swapped;
};

/// What counts an interface's times.
struct Clock {
  std::uint8_t resolution = 6;  ///< if_tsresol: powers of ten, or of two with the highest bit
  std::int64_t offset = 0;      ///< if_tsoffset, in seconds

  /// Below a picosecond times are cut.
  WidePicoseconds time(std::uint64_t ticks) const
  {
    const unsigned power = resolution & 0x7FU;
    WidePicoseconds time = 0;
    if ((resolution & 0x80U) == 0) {
      time = ticks;
      for (unsigned i = power; i < 12; ++i)
        time *= 10;
      for (unsigned i = 12; i < power && time != 0; ++i)
        time /= 10;
    } else {
      const std::uint64_t seconds = power < 64 ? ticks >> power : 0;
      const std::uint64_t rest = power < 64 ? ticks - (seconds << power) : ticks;
      const long double share = std::ldexp(static_cast<long double>(rest), -static_cast<int>(power));
      time = WidePicoseconds{seconds} * kPicosecondsPerSecond + std::llround(share * 1e12L);
    }
    return time + WidePicoseconds{offset} * kPicosecondsPerSecond;
  }
  Picoseconds tick() const
  {
    const unsigned power = resolution & 0x7FU;
    const double base = (resolution & 0x80U) == 0 ? 10.0 : 2.0;
    return wholePicoseconds(std::max(1.0, 1e12 / std::pow(base, power)));
  }
};

class PcapngParser {
 public:
  explicit PcapngParser(const std::string& path) : m_path(path), m_collector(path) {}

  /// How long the block is that begins with these twelve bytes. Errors: Malformed.
  Result<std::size_t> lengthOf(std::span<const std::uint8_t> begin, std::uint64_t offset)
  {
    const bool isSection = Numbers().four(begin, 0) == pcapng::kSection;  // the same in either order
    if (isSection) {
      const std::uint32_t magic = Numbers().four(begin, 8);
      const bool swapped = Numbers(true).four(begin, 8) == pcapng::kByteOrderMagic;
      if (magic != pcapng::kByteOrderMagic && !swapped)
        return damaged(offset);
      m_numbers = Numbers(swapped);
      m_interfaces.clear();
    }
    const std::size_t length = m_numbers.four(begin, 4);
    if ((offset == 0 && !isSection) || length < pcapng::kFrameBytes || length % 4 != 0 || length > kLongestBlock)
      return damaged(offset);
    return length;
  }

  /// Requires: the block's whole length.
  Result<void> take(std::span<const std::uint8_t> block, std::uint64_t offset)
  {
    m_offset = offset;
    if (m_numbers.four(block, block.size() - 4) != block.size())
      return damaged(offset);
    const std::span<const std::uint8_t> body = block.subspan(8, block.size() - pcapng::kFrameBytes);
    switch (m_numbers.four(block, 0)) {
      case pcapng::kInterface:
        return addInterface(body);
      case pcapng::kPacket:
        return addPacket(body, 20, body.size() < 4 ? 0 : m_numbers.four(body, 0));
      case pcapng::kOldPacket:
        return addPacket(body, 20, body.size() < 4 ? 0 : m_numbers.two(body, 0));
      case pcapng::kSimplePacket:
        m_collector.timeless();
        return {};
      case pcapng::kStatistics:
        return addStatistics(body);
      default:
        return {};
    }
  }

  RecordCollector& collector() { return m_collector; }
  const std::string& path() const { return m_path; }

 private:
  struct Interface {
    std::size_t number = 0;  ///< the collector's
    Clock clock;
  };

  tl::unexpected<Error> damaged(std::uint64_t offset) const
  {
    return fail(ErrorCode::Malformed, say("the file is damaged: there is no block where one should begin"),
                say("{}, byte {}", m_path, offset), say("get it again from where it was copied from"));
  }
  tl::unexpected<Error> wrongBlock() const
  {
    return fail(ErrorCode::Malformed, say("the file is damaged: the block does not hold what it should"),
                say("{}, byte {}", m_path, m_offset), say("get it again from where it was copied from"));
  }

  /// Calls `take` with each option's code and value.
  template <typename Take>
  void eachOption(std::span<const std::uint8_t> options, const Take& take) const
  {
    while (options.size() >= 4) {
      const std::uint16_t code = m_numbers.two(options, 0);
      const std::size_t length = m_numbers.two(options, 2);
      options = options.subspan(4);
      if (code == pcapng::kEnd || length > options.size())
        return;
      take(code, options.first(length));
      options = options.subspan(std::min(options.size(), pcapng::padded(length)));
    }
  }

  Result<void> addInterface(std::span<const std::uint8_t> body)
  {
    constexpr std::size_t kFixed = 8;
    // Nobody records that many, and to look for each among all before it would take for ever.
    constexpr std::size_t kMostInterfaces = 256;
    if (body.size() < kFixed)
      return wrongBlock();
    if (std::max(m_interfaces.size(), m_collector.interfaces()) >= kMostInterfaces)
      return fail(ErrorCode::Malformed, say("there are more than {} interfaces in it", kMostInterfaces),
                  say("{}, byte {}", m_path, m_offset), say("save those you need"));
    std::string name;
    Clock clock;
    eachOption(body.subspan(kFixed), [&](std::uint16_t code, std::span<const std::uint8_t> value) {
      if (code == pcapng::kInterfaceName)
        name.assign(value.begin(), std::find(value.begin(), value.end(), 0));
      else if (code == pcapng::kTimeResolution && value.size() == 1)
        clock.resolution = value[0];
      else if (code == pcapng::kTimeOffset && value.size() == 8)
        clock.offset = static_cast<std::int64_t>(m_numbers.eight(value, 0));
    });
    // In one section those of one name are of two recorders, whose files somebody merged.
    std::vector<std::size_t> beside;
    for (const Interface& other : m_interfaces)
      beside.push_back(other.number);
    const std::size_t number = m_collector.addInterface(m_numbers.two(body, 0), name, beside);
    if (m_collector.isRead(number))
      m_collector.tick(clock.tick());
    m_interfaces.push_back({number, clock});
    return {};
  }

  Result<void> addPacket(std::span<const std::uint8_t> body, std::size_t fixed, std::size_t interface)
  {
    if (body.size() < fixed || interface >= m_interfaces.size())
      return wrongBlock();
    const std::size_t bytes = m_numbers.four(body, 12);
    if (bytes > body.size() - fixed)
      return wrongBlock();
    const Interface& from = m_interfaces[interface];
    return m_collector.add(from.number, from.clock.time(m_numbers.highLow(body, 4)), body.subspan(fixed, bytes));
  }

  Result<void> addStatistics(std::span<const std::uint8_t> body)
  {
    constexpr std::size_t kFixed = 12;
    if (body.size() < kFixed || m_numbers.four(body, 0) >= m_interfaces.size())
      return wrongBlock();
    const Interface& of = m_interfaces[m_numbers.four(body, 0)];
    if (!m_collector.isRead(of.number))
      return {};
    eachOption(body.subspan(kFixed), [&](std::uint16_t code, std::span<const std::uint8_t> value) {
      if (value.size() != 8)
        return;
      if (code == pcapng::kBegin)
        m_collector.begin(of.clock.time(m_numbers.highLow(value, 0)));
      else if (code == pcapng::kFinish)
        m_collector.end(of.clock.time(m_numbers.highLow(value, 0)));
      else if (code == pcapng::kDropped)
        m_collector.lost(of.number, m_numbers.eight(value, 0));
    });
    return {};
  }

  std::string m_path;
  RecordCollector m_collector;
  Numbers m_numbers;
  std::vector<Interface> m_interfaces;  ///< of the section
  std::uint64_t m_offset = 0;
};

/// The file's bytes a stretch at a time, however long the next one has to be.
class Stretches {
 public:
  explicit Stretches(InputFile& file) : m_file(file) {}

  /// At least `wanted` of them unless the file ends before. Errors: those of the file.
  Result<std::span<const std::uint8_t>> look(std::size_t wanted)
  {
    if (m_end - m_begin < wanted && !m_atEnd) {
      std::copy(m_buffer.begin() + static_cast<std::ptrdiff_t>(m_begin),
                m_buffer.begin() + static_cast<std::ptrdiff_t>(m_end), m_buffer.begin());
      m_end -= m_begin;
      m_begin = 0;
      m_buffer.resize(std::max(kPiece, wanted));
      const auto got = m_file.read(std::span(m_buffer).subspan(m_end));
      if (!got)
        return tl::unexpected(got.error());
      m_atEnd = *got < m_buffer.size() - m_end;
      m_end += *got;
    }
    return std::span(reinterpret_cast<const std::uint8_t*>(m_buffer.data()) + m_begin, m_end - m_begin);
  }
  void use(std::size_t bytes)
  {
    m_begin += bytes;
    m_offset += bytes;
  }
  /// Where the next byte is in the file.
  std::uint64_t offset() const { return m_offset; }
  /// Whether there is nothing behind it but zeros. Reads to the end.
  Result<bool> onlyZerosLeft()
  {
    for (;;) {
      const auto rest = look(kPiece);
      if (!rest)
        return tl::unexpected(rest.error());
      if (std::any_of(rest->begin(), rest->end(), [](std::uint8_t b) { return b != 0; }))
        return false;
      if (rest->empty())
        return true;
      use(rest->size());
    }
  }

 private:
  static constexpr std::size_t kPiece = std::size_t{1} << 20U;
  InputFile& m_file;
  std::vector<char> m_buffer;
  std::size_t m_begin = 0;
  std::size_t m_end = 0;
  std::uint64_t m_offset = 0;
  bool m_atEnd = false;
};

/// All blocks of the file. True: it breaks off in one.
Result<bool> readBlocks(InputFile& file, PcapngParser& parser, const std::stop_token& stop, Progress& progress)
{
  Stretches bytes(file);
  for (std::uint64_t blocks = 0;; ++blocks) {
    constexpr std::uint64_t kBetween = 4096;
    if (blocks % kBetween == 0) {
      if (stop.stop_requested())
        return fail(ErrorCode::Cancelled, "cancelled");
      progress.report(file.fraction());
    }
    const auto begin = bytes.look(pcapng::kFrameBytes);
    if (!begin)
      return tl::unexpected(begin.error());
    const std::uint64_t at = bytes.offset();
    if (begin->size() < pcapng::kFrameBytes && at == 0)
      return fail(ErrorCode::Malformed, say("it does not begin like a file of packets"), parser.path(),
                  say("choose another file"));
    if (begin->size() < pcapng::kFrameBytes)
      return !begin->empty();
    const auto length = parser.lengthOf(*begin, at);
    if (!length) {
      // Room that a recorder had taken before its power went.
      if (at > 0 && std::all_of(begin->begin(), begin->begin() + pcapng::kFrameBytes, [](auto b) { return b == 0; })) {
        const auto zeros = bytes.onlyZerosLeft();
        if (!zeros)
          return tl::unexpected(zeros.error());
        if (*zeros)
          return true;
      }
      return tl::unexpected(length.error());
    }
    const auto block = bytes.look(*length);
    if (!block)
      return tl::unexpected(block.error());
    if (block->size() < *length)
      return true;
    if (auto taken = parser.take(block->first(*length), at); !taken)
      return tl::unexpected(taken.error());
    bytes.use(*length);
  }
}

}  // namespace

bool looksLikePcapng(std::string_view begin)
{
  if (begin.size() < pcapng::kFrameBytes)
    return false;
  const std::span bytes(reinterpret_cast<const std::uint8_t*>(begin.data()), begin.size());
  return Numbers().four(bytes, 0) == pcapng::kSection && (Numbers().four(bytes, 8) == pcapng::kByteOrderMagic ||
                                                          Numbers(true).four(bytes, 8) == pcapng::kByteOrderMagic);
}

Result<Capture> readPcapng(const std::string& path, const ReadHints& /*hints*/, const std::stop_token& stop,
                           Progress& progress)
{
  auto file = InputFile::open(path);
  if (!file)
    return tl::unexpected(file.error());
  PcapngParser parser(path);
  const auto cut = readBlocks(*file, parser, stop, progress);
  if (!cut)
    return tl::unexpected(cut.error());
  if (*cut)
    parser.collector().note(say("the file breaks off inside a block; what is before it is here"));
  for (std::string& note : file->notes())
    parser.collector().note(std::move(note));
  progress.report(1.0);
  return parser.collector().take();
}

}  // namespace bexto
