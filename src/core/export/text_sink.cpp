// CSV, aligned text and JSON lines of an exported list.
#include <fmt/core.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "core/base/atomic_file.h"
#include "core/export/csv.h"
#include "core/export/table_sink.h"

namespace bexto {

namespace {

class TextSink final : public TableSink {
 public:
  TextSink(AtomicFile file, ListFormat format, std::vector<LedgerColumn> columns, std::vector<std::size_t> widths)
      : m_file(std::move(file)), m_format(format), m_columns(std::move(columns)), m_widths(std::move(widths))
  {
    std::vector<LedgerCell> heads;
    for (const LedgerColumn column : m_columns)
      heads.push_back({fileHeadOf(column)});
    if (m_format == ListFormat::Csv)
      addCsv(heads);
    else if (m_format == ListFormat::Text)
      addAligned(heads);
  }

  Result<void> row(const std::vector<LedgerCell>& cells, const std::vector<std::string>& below) override
  {
    if (m_format == ListFormat::Jsonl) {
      addJson(cells, below);
    } else {
      m_format == ListFormat::Csv ? addCsv(cells) : addAligned(cells);
      for (const std::string& line : below)
        m_format == ListFormat::Csv ? addCsv(under(line)) : addAligned(under(line));
    }
    constexpr std::size_t kEnough = 1U << 18U;
    return m_text.size() > kEnough ? flush() : Result<void>();
  }

  Result<void> finish() override
  {
    if (auto written = flush(); !written)
      return written;
    return m_file.commit();
  }

 private:
  /// What stands below a transaction has its place in that column; without it, in the last one.
  std::vector<LedgerCell> under(const std::string& line) const
  {
    std::vector<LedgerCell> cells(m_columns.size());
    const auto at = std::find(m_columns.begin(), m_columns.end(), LedgerColumn::Transaction);
    cells[at == m_columns.end() ? cells.size() - 1 : static_cast<std::size_t>(at - m_columns.begin())].text =
        "  " + line;
    return cells;
  }

  void addCsv(const std::vector<LedgerCell>& cells)
  {
    std::vector<std::string> fields;
    fields.reserve(cells.size());
    for (const LedgerCell& cell : cells)
      fields.push_back(cell.text);
    m_text += csvRecord(fields);
  }

  void addAligned(const std::vector<LedgerCell>& cells)
  {
    std::string line;
    for (std::size_t i = 0; i < cells.size(); ++i) {
      const bool right = cells[i].number.has_value();
      // fmt counts what is seen, not bytes.
      line +=
          right ? fmt::format("{:>{}}", cells[i].text, m_widths[i]) : fmt::format("{:<{}}", cells[i].text, m_widths[i]);
      line += "  ";
    }
    line.erase(line.find_last_not_of(' ') + 1);
    m_text += line + "\n";
  }

  void addJson(const std::vector<LedgerCell>& cells, const std::vector<std::string>& below)
  {
    const auto quoted = [](const std::string& text) {
      return nlohmann::json(text).dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
    };
    m_text += '{';
    for (std::size_t i = 0; i < cells.size(); ++i) {
      // An exact decimal is a JSON number as it stands; through a double it would lose its last digits.
      const bool number = cells[i].number.has_value();
      m_text += fmt::format("{}\"{}\":{}", i == 0 ? "" : ",", fileHeadOf(m_columns[i]),
                            number                                            ? cells[i].text
                            : cells[i].text.empty() && isNumber(m_columns[i]) ? "null"
                                                                              : quoted(cells[i].text));
    }
    if (!below.empty()) {
      m_text += cells.empty() ? "\"below\":[" : ",\"below\":[";
      for (std::size_t i = 0; i < below.size(); ++i)
        m_text += (i == 0 ? "" : ",") + quoted(below[i]);
      m_text += ']';
    }
    m_text += "}\n";
  }

  static bool isNumber(LedgerColumn column) { return column == LedgerColumn::SincePrevious; }

  Result<void> flush()
  {
    auto written = m_file.write(m_text);
    m_text.clear();
    return written;
  }

  AtomicFile m_file;
  ListFormat m_format;
  std::vector<LedgerColumn> m_columns;
  std::vector<std::size_t> m_widths;
  std::string m_text;
};

}  // namespace

std::string fileHeadOf(LedgerColumn column)
{
  const bool time = column == LedgerColumn::Time || column == LedgerColumn::SincePrevious ||
                    column == LedgerColumn::Duration || column == LedgerColumn::Answer;
  return std::string(specOf(column).key) + (time ? "_s" : "");
}

Result<std::unique_ptr<TableSink>> makeTextSink(const std::string& path, ListFormat format,
                                                const std::vector<LedgerColumn>& columns,
                                                const std::vector<std::size_t>& widths)
{
  auto file = AtomicFile::create(path);
  if (!file)
    return tl::unexpected(file.error());
  return std::make_unique<TextSink>(std::move(*file), format, columns, widths);
}

}  // namespace bexto
