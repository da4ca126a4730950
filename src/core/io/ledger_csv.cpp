#include "core/io/ledger_csv.h"

#include <fmt/core.h>
#include <fmt/ranges.h>

#include "core/io/atomic_file.h"
#include "core/io/csv.h"
#include "core/view/sentence.h"

namespace bexto {

namespace {

/// Exact, and without the gaps that are for eyes.
std::string seconds(Picoseconds t)
{
  const std::int64_t n = t.count();
  return fmt::format("{}{}.{:012}", n < 0 ? "-" : "", std::abs(n / 1000000000000), std::abs(n % 1000000000000));
}

std::string sourceName(const LedgerSource& source)
{
  return source.line.empty() ? source.bus.name : source.bus.name + " " + source.line;
}

}  // namespace

Result<void> writeLedgerCsv(const MergedRows& rows, const LedgerLines& lines, const std::vector<LedgerSource>& sources,
                            const std::string& path, const std::stop_token& stop, Progress& progress)
{
  constexpr std::size_t kBatch = 1024;
  constexpr std::size_t kAllValues = std::size_t{1} << 20U;
  auto file = AtomicFile::create(path);
  if (!file)
    return tl::unexpected(file.error());
  std::string text = csvRecord({"time", "since previous", "bus", "transaction", "faults"});
  Picoseconds before = kNever;
  for (std::uint64_t first = 0; first < rows.size(); first += kBatch) {
    if (stop.stop_requested())
      return fail(ErrorCode::Cancelled, "cancelled");
    std::uint64_t number = first;
    for (const LedgerRow& row : rows.rows(first, kBatch)) {
      const Transactions& transactions = rows.sources()[row.source];
      const LedgerSource& source = sources[row.source];
      const Picoseconds begin = transactions.beginOf(row.number);
      const auto words = errorWords(transactions.errorsOf(row.number));
      text += csvRecord({seconds(begin), before == kNever ? "" : seconds(begin - before), sourceName(source),
                         sentenceOf(source.bus, transactions, row.number, kAllValues).text(),
                         fmt::format("{}", fmt::join(words, " "))});
      before = begin;
      if (lines.isOpen(number)) {
        const std::uint64_t details = detailCount(source.bus, transactions, row.number);
        for (std::uint64_t i = 0; i < details; ++i) {
          const Detail d = detailAt(source.bus, transactions, row.number, i);
          text += csvRecord({"", "", sourceName(source), fmt::format("  {} {} {}", d.name, d.value, d.meaning), ""});
        }
      }
      ++number;
    }
    if (auto written = file->write(text); !written)
      return written;
    text.clear();
    progress.report(static_cast<double>(first) / static_cast<double>(rows.size()));
  }
  if (auto written = file->write(text); !written)
    return written;
  return file->commit();
}

}  // namespace bexto
