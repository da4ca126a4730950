// Tested by tests/core/export_test.cpp.
#include "core/export/ledger_export.h"

#include <fmt/core.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "core/decode/sentence.h"
#include "core/export/table_sink.h"
#include "core/view/line_payload.h"

namespace bexto {

namespace {

constexpr std::size_t kAllValues = std::size_t{1} << 20U;
constexpr std::size_t kBatch = 1024;

std::size_t charactersOf(const std::string& text)
{
  return static_cast<std::size_t>(
      std::count_if(text.begin(), text.end(), [](char c) { return (static_cast<unsigned char>(c) & 0xc0U) != 0x80U; }));
}

std::string textOf(const ByteLine& line)
{
  return fmt::format("{}{}{:04X}  {:02X}", line.label, line.label.empty() ? "" : "  ", line.offset,
                     fmt::join(line.bytes, " "));
}

/// The cells of a row as its form has them, and the lines below it.
class Cells {
 public:
  explicit Cells(const LedgerList& list) : m_list(list) {}

  std::vector<LedgerCell> of(const LedgerCellContext& context) const
  {
    std::vector<LedgerCell> cells;
    for (const LedgerColumn column : m_list.columns) {
      if (column == LedgerColumn::Transaction && m_list.lines.form() == LedgerForm::Bytes)
        cells.push_back({byteLine(context, 0)});
      else
        cells.push_back(cellOf(column, context, kAllValues));
    }
    return cells;
  }

  std::vector<std::string> below(const LedgerCellContext& context, LedgerRow row) const
  {
    std::vector<std::string> lines;
    const std::uint64_t count = m_list.lines.detailCount(row);
    for (std::uint64_t i = 1; i <= count; ++i) {
      if (m_list.lines.form() == LedgerForm::Bytes) {
        lines.push_back(byteLine(context, i));
        continue;
      }
      const Detail d = detailAt(context.source->bus, context.source->transactions, context.number, i - 1);
      lines.push_back(fmt::format("{} {} {}", d.name, d.value, d.meaning));
    }
    return lines;
  }

 private:
  std::string byteLine(const LedgerCellContext& c, std::uint64_t index) const
  {
    return textOf(byteLineAt(c.source->bus, c.source->transactions, c.number, m_list.lines.wrap(), index));
  }

  const LedgerList& m_list;
};

/// Widths that suit nearly all rows: those of a few thousand, spread over the list.
std::vector<std::size_t> widthsOf(const LedgerList& list)
{
  constexpr std::uint64_t kLooks = 64;
  constexpr std::size_t kRowsALook = 40;
  constexpr std::size_t kWidest = 100;
  std::vector<std::size_t> widths;
  for (const LedgerColumn column : list.columns)
    widths.push_back(charactersOf(fileHeadOf(column)));
  const Cells cells(list);
  const MergedRows& rows = list.lines.rows();
  for (std::uint64_t look = 0; look < kLooks; ++look) {
    const std::uint64_t first = rows.size() / kLooks * look;
    std::uint64_t number = first;
    for (const LedgerRow& row : rows.rows(first, kRowsALook)) {
      const LedgerCellContext context{&rows.sources()[row.source], row.number, number++, Picoseconds{0}, list.zero};
      const std::vector<LedgerCell> made = cells.of(context);
      for (std::size_t i = 0; i < made.size(); ++i)
        widths[i] = std::max(widths[i], std::min(kWidest, charactersOf(made[i].text)));
    }
  }
  return widths;
}

}  // namespace

std::optional<ListFormat> listFormatOf(const std::string& path)
{
  for (const auto& [suffix, format] : {std::pair(".csv", ListFormat::Csv), std::pair(".txt", ListFormat::Text),
                                       std::pair(".jsonl", ListFormat::Jsonl), std::pair(".xlsx", ListFormat::Xlsx)}) {
    if (path.ends_with(suffix))
      return format;
  }
  return std::nullopt;
}

Result<void> exportLedger(const LedgerList& list, const std::string& path, ListFormat format,
                          const std::stop_token& stop, Progress& progress)
{
  const MergedRows& rows = list.lines.rows();
  auto sink = format == ListFormat::Xlsx
                  ? makeXlsxSink(path, list.columns)
                  : makeTextSink(path, format, list.columns,
                                 format == ListFormat::Text ? widthsOf(list) : std::vector<std::size_t>());
  if (!sink)
    return tl::unexpected(sink.error());
  const Cells cells(list);
  std::optional<Picoseconds> before;
  for (std::uint64_t first = 0; first < rows.size(); first += kBatch) {
    if (stop.stop_requested())
      return fail(ErrorCode::Cancelled, "cancelled");
    std::uint64_t number = first;
    for (const LedgerRow& row : rows.rows(first, kBatch)) {
      const LedgerCellContext context{&rows.sources()[row.source], row.number, number++, before, list.zero};
      if (auto written = (*sink)->row(cells.of(context), cells.below(context, row)); !written)
        return written;
      before = rows.beginOf(row);
    }
    progress.report(static_cast<double>(first) / static_cast<double>(rows.size()));
  }
  return (*sink)->finish();
}

}  // namespace bexto
