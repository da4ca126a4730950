// Lists as files: each format read back, and the same content in all of them.
#include <gmock/gmock.h>

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <sstream>

#include "core/export/ledger_export.h"
#include "support/kept_text.h"
#include "support/lock_cycle_sources.h"
#include "support/text_sum.h"

using namespace bexto;
using namespace bexto::test;
namespace fs = std::filesystem;
using nlohmann::json;

namespace {

class ListExport : public testing::Test {
 protected:
  void SetUp() override
  {
    m_folder = fs::temp_directory_path() / ("bexto-export-" + std::to_string(::getpid()));
    fs::create_directories(m_folder);
    m_list.lines.setRows(MergedRows({lockCycleSources()[0]}));
    m_list.columns = {LedgerColumn::Time, LedgerColumn::SincePrevious, LedgerColumn::Bus, LedgerColumn::Transaction,
                      LedgerColumn::Size};
  }
  void TearDown() override { fs::remove_all(m_folder); }

  Result<void> write(const std::string& name, const std::stop_token& stop = {})
  {
    NoProgress none;
    const std::string path = (m_folder / name).string();
    return exportLedger(m_list, path, *listFormatOf(path), stop, none);
  }
  std::string content(const std::string& name) const
  {
    std::ifstream file(m_folder / name, std::ios::binary);
    std::stringstream text;
    text << file.rdbuf();
    return text.str();
  }
  std::vector<std::string> lines(const std::string& name) const
  {
    std::istringstream text(content(name));
    std::vector<std::string> all;
    for (std::string line; std::getline(text, line);)
      all.push_back(line);
    return all;
  }
  std::size_t files() const
  {
    return static_cast<std::size_t>(std::distance(fs::directory_iterator(m_folder), fs::directory_iterator()));
  }
  /// A part of a workbook, by the unzip that Python has.
  std::string partOf(const std::string& name, const std::string& part) const
  {
    const std::string out = (m_folder / "part").string();
    const std::string command =
        "python3 -c \"import sys,zipfile;open(sys.argv[3],'wb').write(zipfile.ZipFile(sys.argv[1])"
        ".read(sys.argv[2]))\" '" +
        (m_folder / name).string() + "' '" + part + "' '" + out + "'";
    EXPECT_EQ(std::system(command.c_str()), 0);
    return content("part");
  }

  fs::path m_folder;
  LedgerList m_list;
};

}  // namespace

TEST_F(ListExport, CsvHoldsWhatIsShown)
{
  m_list.lines.setOpen(m_list.lines.rows().at(1), true);
  ASSERT_TRUE(write("list.csv"));
  const std::vector<std::string> records = lines("list.csv");
  ASSERT_EQ(records.size(), m_list.lines.rows().size() + 1 + 3);
  EXPECT_EQ(records[0], "time_s,since_previous_s,bus,transaction,bytes\r");
  EXPECT_EQ(records[1], "0.001208162000,,sensors,2A write 10 · read 01 7C 5F,4\r");
  EXPECT_EQ(records[3], ",,,\"  address 21 write, acked\",\r") << "opened lines carry their fields";
}

TEST_F(ListExport, TextStandsInColumns)
{
  ASSERT_TRUE(write("list.txt"));
  const std::vector<std::string> all = lines("list.txt");
  const std::size_t at = all[0].find("transaction");
  ASSERT_NE(at, std::string::npos);
  EXPECT_EQ(all[1].find("2A write"), at);
  EXPECT_EQ(all[40].find("0."), 0U);
  for (std::size_t i = 1; i < 40; ++i)
    EXPECT_EQ(all[i][at - 1], ' ') << all[i];
}

TEST_F(ListExport, JsonHasANumberForEveryNumber)
{
  m_list.lines.setOpen(m_list.lines.rows().at(1), true);
  ASSERT_TRUE(write("list.jsonl"));
  const std::vector<std::string> all = lines("list.jsonl");
  ASSERT_EQ(all.size(), m_list.lines.rows().size());
  const json first = json::parse(all[0]);
  EXPECT_EQ(first["time_s"], 0.001208162);
  EXPECT_TRUE(first["since_previous_s"].is_null());
  EXPECT_EQ(first["bytes"], 4);
  EXPECT_EQ(first["transaction"], "2A write 10 · read 01 7C 5F");
  EXPECT_FALSE(first.contains("below"));
  EXPECT_EQ(json::parse(all[1])["below"][0], "address 21 write, acked");
  for (const std::string& line : all)
    ASSERT_TRUE(json::accept(line)) << line;
}

TEST_F(ListExport, AWorkbookHasNumbersTimesAndAFrozenHead)
{
  ASSERT_TRUE(write("list.xlsx"));
  const std::string sheet = partOf("list.xlsx", "xl/worksheets/sheet1.xml");
  EXPECT_NE(sheet.find("<pane ySplit=\"1\""), std::string::npos);
  EXPECT_NE(sheet.find("state=\"frozen\""), std::string::npos);
  EXPECT_NE(sheet.find("<v>0.001208162</v>"), std::string::npos) << sheet.substr(0, 1500);
  EXPECT_NE(sheet.find("2A write 10 · read 01 7C 5F"), std::string::npos);
  EXPECT_NE(partOf("list.xlsx", "xl/styles.xml").find("0.000000000"), std::string::npos);
  fs::remove(m_folder / "part");
  EXPECT_EQ(files(), 1U);
}

TEST_F(ListExport, EveryFormatIsOnRecord)
{
  m_list.columns.clear();
  for (const LedgerColumnSpec& column : ledgerColumns())
    m_list.columns.push_back(column.column);
  std::string text;
  for (const LedgerForm form : {LedgerForm::Sentences, LedgerForm::Bytes}) {
    m_list.lines.setForm(form, 4);
    for (const std::uint64_t open : {1, 2, 7})
      m_list.lines.setOpen(m_list.lines.rows().at(open), true);
    for (const char* const name : {"list.csv", "list.txt", "list.jsonl"}) {
      ASSERT_TRUE(write(name));
      text += std::string("== ") + name + " " + sumOf(content(name)) + "\n";
      const std::vector<std::string> all = lines(name);
      for (std::size_t i = 0; i < std::min<std::size_t>(all.size(), 16); ++i)
        text += all[i] + "\n";
    }
    ASSERT_TRUE(write("list.xlsx"));
    const std::string sheet = partOf("list.xlsx", "xl/worksheets/sheet1.xml");
    text += "== workbook " + sumOf(sheet) + "\n" + sheet.substr(0, 6000) + "\n";
  }
  expectKept("said/list_files.txt", text);
}

TEST_F(ListExport, TheFormOfBytesWritesLinesOfBytes)
{
  m_list.lines.setForm(LedgerForm::Bytes, 4);
  ASSERT_TRUE(write("bytes.csv"));
  EXPECT_EQ(lines("bytes.csv")[1], "0.001208162000,,sensors,2A write  0000  10,4\r");
  EXPECT_EQ(lines("bytes.csv")[2], ",,,  2A read  0000  01 7C 5F,\r");
}

TEST_F(ListExport, TimesCountFromWhereTheyAreToldTo)
{
  m_list.zero = Picoseconds{1208162000} + Picoseconds{500};
  m_list.columns = {LedgerColumn::Time};
  ASSERT_TRUE(write("list.csv"));
  EXPECT_EQ(lines("list.csv")[1], "-0.000000000500\r");
}

TEST_F(ListExport, CancelledOrRefusedItLeavesNothing)
{
  std::stop_source stop;
  stop.request_stop();
  for (const char* name : {"a.csv", "a.txt", "a.jsonl", "a.xlsx"}) {
    const auto written = write(name, stop.get_token());
    ASSERT_FALSE(written);
    EXPECT_EQ(written.error().code, ErrorCode::Cancelled);
    EXPECT_EQ(files(), 0U) << name;
  }
  NoProgress none;
  for (const ListFormat format : {ListFormat::Csv, ListFormat::Xlsx}) {
    const auto written = exportLedger(m_list, "/nowhere/list", format, std::stop_token(), none);
    ASSERT_FALSE(written);
    EXPECT_EQ(written.error().code, ErrorCode::Unwritable);
  }
  EXPECT_FALSE(listFormatOf("list.pdf"));
}
