// Tested by tests/core/value_series_test.cpp.
#include "core/export/series_export.h"

#include <fmt/format.h>

#include <cmath>

#include "core/base/atomic_file.h"
#include "core/base/say.h"
#include "core/export/csv.h"
#include "core/view/ledger_cells.h"

namespace bexto {

Result<void> exportSeries(const ValueSeries& series, const std::string& name, const SheetField& field,
                          const std::string& path, const std::stop_token& stop, Progress& progress)
{
  auto file = AtomicFile::create(path);
  if (!file)
    return tl::unexpected(file.error());
  const bool hasWords = !field.words.empty();
  std::vector<std::string> cells{"time_s", field.unit.empty() ? name : name + " (" + field.unit + ")"};
  if (hasWords)
    cells.emplace_back("text");
  std::string text = csvRecord(cells);
  constexpr std::size_t kEnough = 1U << 18U;
  for (std::uint64_t i = 0; i < series.size(); ++i) {
    const ValueSeries::Point point = series.at(i);
    cells[0] = exactSeconds(point.at);
    cells[1] = field.form == FieldForm::Float ? fmt::format("{}", point.value)
                                              : fmt::format("{:.{}f}", point.value, field.digits);
    if (hasWords) {
      const std::string* const word = field.wordOf(std::llround((point.value - field.offset) / field.scale));
      cells[2] = word == nullptr ? std::string() : *word;
    }
    text += csvRecord(cells);
    if (text.size() < kEnough)
      continue;
    if (stop.stop_requested())
      return fail(ErrorCode::Cancelled, "cancelled");
    if (auto written = file->write(text); !written)
      return written;
    text.clear();
    progress.report(static_cast<double>(i) / static_cast<double>(series.size()));
  }
  if (auto written = file->write(text); !written)
    return written;
  return file->commit();
}

}  // namespace bexto
