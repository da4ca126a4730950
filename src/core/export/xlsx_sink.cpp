// The workbook of an exported list, by libxlsxwriter, which writes a finished file under the name it is given: that of
// the temporary one.
#include <xlsxwriter.h>

#include <algorithm>

#include "core/base/atomic_file.h"
#include "core/base/say.h"
#include "core/export/table_sink.h"

namespace bexto {

namespace {

constexpr lxw_row_t kRowsASheet = 1048576;   // ECMA-376 part 1, 18.3.1.73 names rows up to this number
constexpr std::size_t kLongestText = 32767;  // of a cell, as libxlsxwriter checks it

class XlsxSink final : public TableSink {
 public:
  XlsxSink(AtomicFile file, std::string path, std::vector<LedgerColumn> columns)
      : m_file(std::move(file)), m_path(std::move(path)), m_columns(std::move(columns))
  {
    // Rows go to disk as they are finished: a list of a million rows needs no memory.
    lxw_workbook_options options{};
    options.constant_memory = LXW_TRUE;
    m_book = workbook_new_opt(m_file.temporaryPath().c_str(), &options);
    m_bold = workbook_add_format(m_book);
    format_set_bold(m_bold);
    m_seconds = workbook_add_format(m_book);
    format_set_num_format(m_seconds, "0.000000000");
    addSheet();
  }
  ~XlsxSink() override
  {
    if (m_book != nullptr)
      workbook_close(m_book);  // also frees it; the temporary file goes with m_file
  }

  Result<void> row(const std::vector<LedgerCell>& cells, const std::vector<std::string>& below) override
  {
    startRow();
    for (std::size_t i = 0; i < cells.size(); ++i) {
      const auto column = static_cast<lxw_col_t>(i);
      if (cells[i].number)
        worksheet_write_number(m_sheet, m_row, column, *cells[i].number, cells[i].time ? m_seconds : nullptr);
      else
        write(column, cells[i].text);
    }
    ++m_row;
    const auto at = std::find(m_columns.begin(), m_columns.end(), LedgerColumn::Transaction);
    const auto column = static_cast<lxw_col_t>(
        at == m_columns.end() ? m_columns.size() - 1 : static_cast<std::size_t>(at - m_columns.begin()));
    for (const std::string& line : below) {
      startRow();
      write(column, "  " + line);
      ++m_row;
    }
    return {};
  }

  Result<void> finish() override
  {
    lxw_workbook* const book = m_book;
    m_book = nullptr;
    if (const lxw_error error = workbook_close(book); error != LXW_NO_ERROR)
      return fail(ErrorCode::Unwritable, lxw_strerror(error), m_path);
    return m_file.commit();
  }

 private:
  void addSheet()
  {
    m_sheet = workbook_add_worksheet(m_book, nullptr);
    for (std::size_t i = 0; i < m_columns.size(); ++i) {
      const auto column = static_cast<lxw_col_t>(i);
      worksheet_write_string(m_sheet, 0, column, fileHeadOf(m_columns[i]).c_str(), m_bold);
      const bool wide = m_columns[i] == LedgerColumn::Transaction || m_columns[i] == LedgerColumn::Payload ||
                        m_columns[i] == LedgerColumn::Text;
      worksheet_set_column(m_sheet, column, column, wide ? 60.0 : 18.0, nullptr);
    }
    worksheet_freeze_panes(m_sheet, 1, 0);
    m_row = 1;
  }

  void startRow()
  {
    if (m_row == kRowsASheet)
      addSheet();
  }

  void write(lxw_col_t column, std::string text)
  {
    if (text.size() > kLongestText) {
      // Not in the middle of a character.
      std::size_t end = kLongestText - 4;
      while ((static_cast<unsigned char>(text[end]) & 0xc0U) == 0x80U)
        --end;
      text = text.substr(0, end) + "…";
    }
    if (!text.empty())
      worksheet_write_string(m_sheet, m_row, column, text.c_str(), nullptr);
  }

  AtomicFile m_file;
  std::string m_path;
  std::vector<LedgerColumn> m_columns;
  lxw_workbook* m_book = nullptr;
  lxw_worksheet* m_sheet = nullptr;
  lxw_format* m_bold = nullptr;
  lxw_format* m_seconds = nullptr;
  lxw_row_t m_row = 0;
};

}  // namespace

Result<std::unique_ptr<TableSink>> makeXlsxSink(const std::string& path, const std::vector<LedgerColumn>& columns)
{
  auto file = AtomicFile::create(path);
  if (!file)
    return tl::unexpected(file.error());
  if (file->temporaryPath().empty())
    return fail(ErrorCode::Unwritable, say("a workbook can only be written to a file"), path);
  return std::make_unique<XlsxSink>(std::move(*file), path, columns);
}

}  // namespace bexto
