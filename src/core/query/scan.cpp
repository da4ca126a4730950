// A block of lines is a list of numbers; a term copies to another list those for which it holds. `and` hands the list
// from term to term, cheapest first, so the second term of most filters sees a handful; `or` and `not` are unions and
// differences of sorted lists. No line costs a virtual call, and a column is read in order.
// Tested by tests/core/query_scan_test.cpp, against a plain evaluation line by line.
#include "core/query/scan.h"

#include <algorithm>
#include <cassert>
#include <limits>
#include <optional>

#include "core/base/wildcard.h"
#include "core/decode/protocol.h"
#include "core/query/scan_node.h"

namespace bexto {

namespace {

using Lines = std::vector<std::uint32_t>;  ///< distances from the block's first line, rising

/// Goes through the lines of one source.
class StreamScan {
 public:
  StreamScan(const QueryNode& root, const ScanSource& source)
      : m_root(scanNodeOf(root, source)), m_source(source), m_payloads(source.bus.protocol().payloadReader(source.bus))
  {
    m_single = transactions().frames().size() == transactions().size();
    if (transactions().size() > 0)
      m_chunk = transactions().frames().chunks().front().get();
  }

  /// Lines below are known. Requires: no step was taken.
  void skipTo(std::uint64_t line) { m_next = line; }
  bool atEnd() const { return m_next == transactions().size(); }
  std::uint64_t next() const { return m_next; }
  Picoseconds nextBegin() const { return transactions().beginOf(m_next); }

  /// The next block. Requires: !atEnd(). The result counts from where next() stood before.
  const Lines& step()
  {
    constexpr std::uint64_t kBlock = 2048;
    m_first = m_next;
    std::uint64_t end = std::min(m_first + kBlock, transactions().size());
    if (m_single) {
      findChunk(m_first);
      end = std::min<std::uint64_t>(end, m_chunk->first + m_chunk->size());
    }
    if (m_block.size() != end - m_first) {
      m_block.resize(static_cast<std::size_t>(end - m_first));
      for (std::size_t i = 0; i < m_block.size(); ++i)
        m_block[i] = static_cast<std::uint32_t>(i);
    }
    m_next = end;
    eval(m_root, m_block, m_found);
    return m_found;
  }

 private:
  const Transactions& transactions() const { return m_source.transactions; }
  const Bus& bus() const { return m_source.bus; }

  void findChunk(std::uint64_t frame)
  {
    if (frame >= m_chunk->first && frame < m_chunk->first + m_chunk->size())
      return;
    const auto& chunks = transactions().frames().chunks();
    const auto after = std::upper_bound(chunks.begin(), chunks.end(), frame,
                                        [](std::uint64_t f, const auto& c) { return f < c->first; });
    m_chunk = (after - 1)->get();
  }

  /// Keeps the lines that have a frame for which test(chunk, place in it) holds.
  template <typename Test>
  void keepFrames(const Lines& in, Lines& out, const Test& test)
  {
    out.resize(in.size());
    std::size_t n = 0;
    if (m_single) {
      const FrameChunk& chunk = *m_chunk;
      const auto offset = static_cast<std::size_t>(m_first - chunk.first);
      for (const std::uint32_t line : in) {
        out[n] = line;
        n += test(chunk, offset + line) ? 1U : 0U;
      }
    } else {
      for (const std::uint32_t line : in) {
        const FrameRange range = transactions().framesOf(m_first + line);
        bool holds = false;
        for (std::uint64_t f = range.first; f < range.end && !holds; ++f) {
          findChunk(f);
          holds = test(*m_chunk, static_cast<std::size_t>(f - m_chunk->first));
        }
        out[n] = line;
        n += holds ? 1U : 0U;
      }
    }
    out.resize(n);
  }

  template <typename Test>
  void keepLines(const Lines& in, Lines& out, const Test& test)
  {
    out.clear();
    for (const std::uint32_t line : in) {
      if (test(m_first + line))
        out.push_back(line);
    }
  }

  /// Keeps the lines that have a payload for which test(bytes, direction) holds. Where frames join, a line is one.
  template <typename Test>
  void keepPayloads(const Lines& in, Lines& out, const Test& test)
  {
    if (m_payloads->joinsFrames()) {
      keepLines(in, out, [&](std::uint64_t line) {
        const FrameRange range = transactions().framesOf(line);
        m_run.clear();
        for (std::uint64_t f = range.first; f < range.end;) {
          findChunk(f);
          const std::uint64_t end = std::min<std::uint64_t>(range.end, m_chunk->first + m_chunk->size());
          m_payloads->collect(*m_chunk, static_cast<std::size_t>(f - m_chunk->first),
                              static_cast<std::size_t>(end - m_chunk->first), m_run);
          f = end;
        }
        return test(std::span<const std::uint8_t>(m_run), PayloadWay{0});
      });
      return;
    }
    keepFrames(in, out, [&](const FrameChunk& chunk, std::size_t i) {
      const Frame frame = chunk.frame(i);
      for (const FramePayload& p : m_payloads->of(frame)) {
        if (test(p.bytes, p.way))
          return true;
      }
      return false;
    });
  }

  /// The whole block at once: most runs of sixteen keys hold none that is wanted, and comparing them takes a few vector
  /// instructions.
  template <typename Reached>
  void keepKeys(std::uint32_t low, std::uint32_t width, Lines& out, const Reached& reached) const
  {
    constexpr std::size_t kRun = 16;
    const FrameChunk& chunk = *m_chunk;
    const auto offset = static_cast<std::size_t>(m_first - chunk.first);
    const std::uint32_t* const keys = chunk.key.data() + offset;
    std::size_t i = 0;
    const auto take = [&](std::size_t end) {
      for (; i < end; ++i) {
        if (keys[i] - low <= width && reached(chunk, offset + i))
          out.push_back(static_cast<std::uint32_t>(i));
      }
    };
    const std::size_t count = m_block.size();
    while (i + kRun <= count) {
      std::uint32_t any = 0;
      for (std::size_t k = 0; k < kRun; ++k)
        any |= keys[i + k] - low <= width ? 1U : 0U;
      if (any != 0)
        take(i + kRun);
      else
        i += kRun;
    }
    take(count);
  }

  /// A number that stands in the key column. The column first: most frames end there. Only then, whether the frame got
  /// as far as to have that field.
  void evalKey(const ScanNode& node, const Lines& in, Lines& out)
  {
    const Term& term = node.term;
    const auto reached = [isKey = node.property->isKey](const FrameChunk& chunk, std::size_t i) {
      return isKey(chunk, i);
    };
    out.clear();
    if (term.ranges.size() == 1) {
      // One comparison for a range: everything below it wraps around to the top.
      constexpr auto kMost = std::int64_t{std::numeric_limits<std::uint32_t>::max()};
      const auto low = static_cast<std::uint32_t>(std::clamp<std::int64_t>(term.ranges[0].low, 0, kMost));
      const auto high = static_cast<std::uint32_t>(std::clamp<std::int64_t>(term.ranges[0].high, 0, kMost));
      if (term.ranges[0].low > kMost || term.ranges[0].high < 0)
        return;
      const std::uint32_t width = high - low;
      if (m_single && &in == &m_block) {
        keepKeys(low, width, out, reached);
        return;
      }
      keepFrames(in, out, [&](const FrameChunk& chunk, std::size_t i) {
        return chunk.key[i] - low <= width && reached(chunk, i);
      });
      return;
    }
    keepFrames(in, out, [&](const FrameChunk& chunk, std::size_t i) {
      return term.inRanges(chunk.key[i]) && reached(chunk, i);
    });
  }

  static bool matchesAny(const Term& term, std::span<const std::uint8_t> bytes)
  {
    return std::any_of(term.patterns.begin(), term.patterns.end(),
                       [&](const BytePattern& p) { return p.matches(bytes); });
  }

  static bool isWanted(const Term& term, const PropertyValue& value)
  {
    if (const auto* number = std::get_if<std::int64_t>(&value))
      return term.inRanges(*number);
    if (const auto* flag = std::get_if<bool>(&value))
      return term.isNamed(*flag ? "yes" : "no");
    if (const auto* text = std::get_if<std::string>(&value))
      return std::any_of(term.names.begin(), term.names.end(),
                         [&](const std::string& name) { return matchesPattern(name, *text); });
    if (const auto* bytes = std::get_if<std::span<const std::uint8_t>>(&value))
      return matchesAny(term, *bytes);
    return false;
  }

  void evalProperty(const ScanNode& node, const Lines& in, Lines& out)
  {
    if (node.property == nullptr) {
      out.clear();
      return;
    }
    if (node.property->isKey != nullptr)
      return evalKey(node, in, out);
    if (node.way)
      return keepPayloads(in, out, [&](std::span<const std::uint8_t> bytes, PayloadWay way) {
        return way == *node.way && matchesAny(node.term, bytes);
      });
    keepFrames(in, out, [&](const FrameChunk& chunk, std::size_t i) {
      const Frame frame = chunk.frame(i);
      return isWanted(node.term, node.property->of({bus(), frame, m_source.line}));
    });
  }

  void evalPayload(const Term& term, const Lines& in, Lines& out)
  {
    switch (term.key) {
      case TermKey::Byte:
        return keepPayloads(in, out, [&](std::span<const std::uint8_t> bytes, PayloadWay /*way*/) {
          return term.byte < bytes.size() && term.inRanges(bytes[term.byte]);
        });
      case TermKey::LastByte:
        return keepPayloads(in, out, [&](std::span<const std::uint8_t> bytes, PayloadWay /*way*/) {
          return !bytes.empty() && term.inRanges(bytes.back());
        });
      case TermKey::Length:
        return keepPayloads(in, out, [&](std::span<const std::uint8_t> bytes, PayloadWay /*way*/) {
          return term.inRanges(static_cast<std::int64_t>(bytes.size()));
        });
      default:
        return keepPayloads(
            in, out, [&](std::span<const std::uint8_t> bytes, PayloadWay /*way*/) { return matchesAny(term, bytes); });
    }
  }

  /// A word that stands alone is a kind, an error, or a test of the room's; mostly one of them.
  void evalWord(const ScanNode& node, const Lines& in, Lines& out)
  {
    keepFrames(in, out, [&](const FrameChunk& chunk, std::size_t i) {
      if ((chunk.errors[i] & node.errors) != 0 || node.hasKind(chunk.kind[i]))
        return true;
      return !node.tests.empty() && std::any_of(node.tests.begin(), node.tests.end(),
                                                [&](const auto& test) { return test(bus(), chunk.frame(i)); });
    });
  }

  /// By the protocol's rules, or by those of a device.
  void evalFaulty(const Lines& in, Lines& out)
  {
    const Meaning* const meaning = transactions().meaning().get();
    if (meaning == nullptr)
      return keepFrames(
          in, out, [&](const FrameChunk& chunk, std::size_t i) { return isFaulty(chunk.kind[i], chunk.errors[i]); });
    keepFrames(in, out, [&](const FrameChunk& chunk, std::size_t i) {
      return isFaulty(chunk.kind[i], chunk.errors[i]) || meaning->isFaulty({chunk.first + i, chunk.first + i + 1});
    });
  }

  void evalTerm(const ScanNode& node, const Lines& in, Lines& out)
  {
    const Term& term = node.term;
    const auto allOrNone = [&](bool all) { out = all ? in : Lines(); };
    switch (term.key) {
      case TermKey::Protocol:
        return allOrNone(term.isNamed(bus().protocol().name()));
      case TermKey::Bus:
        return allOrNone(term.isNamed(bus().name));
      case TermKey::Line:
        return allOrNone(term.isNamed(m_source.line));
      case TermKey::Property:
        return evalProperty(node, in, out);
      case TermKey::Error:
        return keepFrames(in, out,
                          [&](const FrameChunk& chunk, std::size_t i) { return (chunk.errors[i] & node.errors) != 0; });
      case TermKey::Kind:
        return keepFrames(in, out, [&](const FrameChunk& chunk, std::size_t i) { return node.hasKind(chunk.kind[i]); });
      case TermKey::Word:
        return evalWord(node, in, out);
      case TermKey::Faulty:
        return evalFaulty(in, out);
      case TermKey::Value:
      case TermKey::Device:
      case TermKey::Message:
      case TermKey::Invalid:
        out.clear();
        if (node.meaning)
          node.meaning->keep(transactions(), m_first, in, out);
        return;
      case TermKey::Time:
        return keepLines(in, out,
                         [&](std::uint64_t line) { return term.inRanges(transactions().beginOf(line).count()); });
      case TermKey::Sent:
        if (m_source.sent == nullptr)
          return allOrNone(false);
        return keepLines(in, out,
                         [&](std::uint64_t line) { return isSent(m_source.sent.get(), transactions().beginOf(line)); });
      case TermKey::Lasts:
        return keepLines(
            in, out, [&](std::uint64_t line) { return term.inRanges(transactions().timeOf(line).length().count()); });
      case TermKey::Answer:
      case TermKey::Unanswered:
        if (!transactions().meaning())
          return allOrNone(false);
        return keepLines(in, out, [&](std::uint64_t line) {
          const auto partner = transactions().meaning()->partnerOf(transactions().framesOf(line));
          return partner &&
                 (term.key == TermKey::Unanswered ? partner->stream < 0
                                                  : partner->stream >= 0 && term.inRanges(partner->wait.count()));
        });
      case TermKey::Pause:
        return keepLines(in, out, [&](std::uint64_t line) {
          return line > 0 &&
                 term.inRanges((transactions().beginOf(line) - transactions().timeOf(line - 1).end).count());
        });
      case TermKey::Byte:
      case TermKey::LastByte:
      case TermKey::Length:
      case TermKey::Data:
      case TermKey::Text:
        return evalPayload(term, in, out);
    }
  }

  void eval(const ScanNode& node, const Lines& in, Lines& out)
  {
    switch (node.kind) {
      case QueryNode::Kind::Term:
        return evalTerm(node, in, out);
      case QueryNode::Kind::From:
        return keepLines(in, out, [&](std::uint64_t line) { return transactions().beginOf(line) >= node.from; });
      case QueryNode::Kind::Not: {
        Lines inner;
        eval(node.parts.front(), in, inner);
        out.clear();
        std::set_difference(in.begin(), in.end(), inner.begin(), inner.end(), std::back_inserter(out));
        return;
      }
      case QueryNode::Kind::Any: {
        Lines all;
        Lines one;
        Lines both;
        for (const ScanNode& part : node.parts) {
          eval(part, in, one);
          both.clear();
          std::set_union(all.begin(), all.end(), one.begin(), one.end(), std::back_inserter(both));
          all.swap(both);
        }
        out = std::move(all);
        return;
      }
      case QueryNode::Kind::All: {
        // The first reads the list itself, so that it can see that it is the whole block.
        if (node.parts.empty()) {
          out = in;
          return;
        }
        eval(node.parts.front(), in, out);
        Lines next;
        for (std::size_t i = 1; i < node.parts.size() && !out.empty(); ++i) {
          eval(node.parts[i], out, next);
          out.swap(next);
        }
        return;
      }
    }
  }

  ScanNode m_root;
  const ScanSource& m_source;
  std::unique_ptr<const PayloadReader> m_payloads;
  const FrameChunk* m_chunk = nullptr;
  bool m_single = false;
  std::uint64_t m_first = 0;  ///< of the block
  std::uint64_t m_next = 0;
  Lines m_block;
  Lines m_found;
  std::vector<std::uint8_t> m_run;
};

/// When the first line for which `node` holds begins; kNever when none does.
std::optional<Picoseconds> firstMatch(const QueryNode& node, const std::vector<ScanSource>& sources,
                                      const std::stop_token& stop)
{
  Picoseconds earliest = kNever;
  for (const ScanSource& source : sources) {
    StreamScan scan(node, source);
    while (!scan.atEnd() && scan.nextBegin() < earliest) {
      if (stop.stop_requested())
        return std::nullopt;
      const std::uint64_t first = scan.next();
      if (const Lines& found = scan.step(); !found.empty()) {
        earliest = std::min(earliest, source.transactions.beginOf(first + found.front()));
        break;
      }
    }
  }
  return earliest;
}

/// Finds what each `from` waits for, the inner ones first. False when stopped.
bool resolveFrom(QueryNode& node, const std::vector<ScanSource>& sources, const std::stop_token& stop)
{
  for (QueryNode& part : node.parts) {
    if (!resolveFrom(part, sources, stop))
      return false;
  }
  if (node.kind != QueryNode::Kind::From)
    return true;
  const auto first = firstMatch(node.parts.front(), sources, stop);
  if (first)
    node.from = *first;
  return first.has_value();
}

bool waitsForSomething(const QueryNode& node)
{
  return node.kind == QueryNode::Kind::From || std::any_of(node.parts.begin(), node.parts.end(), waitsForSomething);
}

/// Adds to `found` what holds from line `certain` of each source on.
Result<void> scanFrom(const Query& query, const std::vector<ScanSource>& sources,
                      const std::vector<std::uint64_t>& certain, std::vector<LineSet>& found,
                      const std::stop_token& stop, const ScanArrived& arrived)
{
  QueryNode root = query.root();
  if (!resolveFrom(root, sources, stop))
    return fail(ErrorCode::Cancelled, "cancelled");
  std::vector<StreamScan> scans;
  std::uint64_t all = 0;
  for (std::size_t s = 0; s < sources.size(); ++s) {
    scans.emplace_back(root, sources[s]).skipTo(certain[s]);
    all += sources[s].transactions.size() - certain[s];
  }
  for (std::uint64_t done = 0; done < all;) {
    if (stop.stop_requested())
      return fail(ErrorCode::Cancelled, "cancelled");
    // The source that is furthest behind in time: so what is there grows from the capture's begin, as it is read.
    std::size_t behind = scans.size();
    Picoseconds begin = kNever;
    for (std::size_t s = 0; s < scans.size(); ++s) {
      if (!scans[s].atEnd() && (behind == scans.size() || scans[s].nextBegin() < begin)) {
        behind = s;
        begin = scans[s].nextBegin();
      }
    }
    const std::uint64_t first = scans[behind].next();
    for (const std::uint32_t line : scans[behind].step())
      found[behind].add(first + line);
    done += scans[behind].next() - first;
    if (arrived)
      arrived(found, static_cast<double>(done) / static_cast<double>(all));
  }
  return {};
}

}  // namespace

Result<std::vector<LineSet>> scanLines(const Query& query, const std::vector<ScanSource>& sources,
                                       const std::stop_token& stop, const ScanArrived& arrived)
{
  return GrowingScan(query).run(sources, stop, arrived);
}

Result<std::vector<LineSet>> GrowingScan::run(const std::vector<ScanSource>& sources, const std::stop_token& stop,
                                              const ScanArrived& arrived)
{
  // What a `from` waits for may turn up earlier in a stream that was behind: then all has to be asked again.
  if (m_certain.size() != sources.size() || waitsForSomething(m_query.root())) {
    m_certain.assign(sources.size(), 0);
    m_found.assign(sources.size(), {});
  }
  for (std::size_t s = 0; s < sources.size(); ++s)
    m_found[s].cutFrom(m_certain[s]);
  if (const auto done = scanFrom(m_query, sources, m_certain, m_found, stop, arrived); !done)
    return tl::unexpected(done.error());
  for (std::size_t s = 0; s < sources.size(); ++s)
    m_certain[s] = std::max<std::uint64_t>(sources[s].transactions.size(), 1) - 1;
  return m_found;
}

}  // namespace bexto
