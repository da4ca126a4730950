#pragma once

// What people are told of traffic, as lines of text.

#include <string>

#include "core/decode/sentence.h"
#include "core/query/complete.h"
#include "core/view/ledger_cells.h"
#include "core/view/related.h"
#include "support/waves.h"

namespace bexto::test {

inline std::string span(TimeRange t)
{
  return std::to_string(t.begin.count()) + ".." + std::to_string(t.end.count());
}

/// Control characters would break lines.
inline std::string clean(std::string text)
{
  for (char& c : text)
    c = c == '\n' || c == '\r' ? '~' : c;
  return text;
}

/// Fields and bits of a frame, a line each.
inline std::string anatomyText(const Bus& bus, const StreamInput& input, const FrameIndex& frames, std::uint64_t number)
{
  const Anatomy anatomy = anatomyOf(bus, input, frames, number);
  std::string text;
  for (const Field& f : anatomy.fields) {
    text += "    field " + std::to_string(static_cast<int>(f.role)) + " " + f.name + " \"" + f.brief + "\" " +
            std::to_string(f.value) + ":" + std::to_string(f.width) + " bits " + std::to_string(f.firstBit) + "+" +
            std::to_string(f.bitCount) + " no " + std::to_string(f.ordinal) + " line " + std::to_string(f.line) + " " +
            span(f.time) + (f.complete ? "" : " cut") + (f.wrong ? " wrong" : "") + "\n";
  }
  for (const Bit& b : anatomy.bits) {
    text += "    bit " + std::string(b.level ? "1" : "0") + " " + std::to_string(static_cast<int>(b.role)) + " at " +
            std::to_string(b.sample.count()) + " cell " + span(b.cell) + " long " + std::to_string(b.actual.count()) +
            " of " + std::to_string(b.nominal.count()) + " from " + std::to_string(b.actualBegin.count()) +
            (b.wrong ? " wrong" : "") + "\n";
  }
  return text + "    bit of " + std::to_string(anatomy.nominalBit.count()) + "\n";
}

/// Everything that is said of transaction `number`.
inline std::string told(const LedgerSource& source, std::uint64_t number, bool withBits, const StreamInput& input)
{
  const Transactions& lines = source.transactions;
  std::string text = "-- " + std::to_string(number) + " " + span(lines.timeOf(number)) + "\n";
  for (const SentencePart& part : sentenceOf(source.bus, lines, number, 12).parts)
    text += "  " + std::to_string(static_cast<int>(part.tone)) + " \"" + clean(part.text) + "\"\n";
  const LedgerCellContext context{&source, number, number, Picoseconds{1000}, Picoseconds{500}};
  for (const LedgerColumnSpec& column : ledgerColumns()) {
    if (!appliesTo(column.column, source.bus.protocol()))
      continue;
    const LedgerCell cell = cellOf(column.column, context, 12);
    const std::string term = termOf(column.column, context);
    if (!cell.text.empty() || !term.empty())
      text += "  " + column.key + " = " + clean(cell.text) + (cell.number ? " #" + std::to_string(*cell.number) : "") +
              (term.empty() ? "" : "  [" + clean(term) + "]") + "\n";
  }
  const std::uint64_t details = detailCount(source.bus, lines, number);
  for (std::uint64_t i = 0; i < std::min<std::uint64_t>(details, 30); ++i) {
    const Detail d = detailAt(source.bus, lines, number, i);
    text += "  > " + std::to_string(static_cast<int>(d.role)) + " " + clean(d.name) + " = " + clean(d.value) + " : " +
            clean(d.meaning) + " @" + std::to_string(d.frame) + "." + std::to_string(d.field) +
            (d.wrong ? " wrong" : "") + (d.isValue ? " value" : "") + "  [" + clean(termOfDetail(context, i)) + "]\n";
  }
  const FrameRange range = lines.framesOf(number);
  if (withBits)
    text += anatomyText(source.bus, input, lines.frames(), range.first);
  for (const bool forward : {true, false}) {
    for (const Alike how : {Alike::Name, Alike::Kind}) {
      const auto next = alike(source, number, how, forward);
      text += next ? " like " + std::to_string(*next) : " like -";
    }
  }
  return text + "\n";
}

}  // namespace bexto::test
