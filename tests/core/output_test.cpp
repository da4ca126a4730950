#include <sys/stat.h>

#include <csignal>
#include <filesystem>
#include <fstream>
#include <sstream>

#include "core/base/atomic_file.h"
#include "core/decode/bus_spec.h"
#include "core/export/csv.h"
#include "core/export/frame_writer.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;
namespace fs = std::filesystem;

namespace {

std::string contentOf(const fs::path& path)
{
  std::ifstream file(path, std::ios::binary);
  std::stringstream text;
  text << file.rdbuf();
  return text.str();
}

class OutputFolder : public testing::Test {
 protected:
  void SetUp() override
  {
    m_path = fs::path(testing::TempDir()) / ("bexto-output-" + std::to_string(::getpid()));
    fs::remove_all(m_path);
    fs::create_directory(m_path);
  }
  void TearDown() override { fs::remove_all(m_path); }
  std::size_t files() const
  {
    return static_cast<std::size_t>(std::distance(fs::directory_iterator(m_path), fs::directory_iterator()));
  }
  fs::path m_path;
};

}  // namespace

using AtomicFileTest = OutputFolder;

TEST_F(AtomicFileTest, AppearsWholeWithCommit)
{
  const fs::path target = m_path / "a.csv";
  auto file = AtomicFile::create(target.string());
  ASSERT_TRUE(file);
  ASSERT_TRUE(file->write("one\n"));
  EXPECT_FALSE(fs::exists(target));
  ASSERT_TRUE(file->commit());
  EXPECT_EQ(contentOf(target), "one\n");
  EXPECT_EQ(files(), 1U);
}

TEST_F(AtomicFileTest, WithoutCommitTheOldFileStaysAndNothingElse)
{
  const fs::path target = m_path / "a.csv";
  std::ofstream(target) << "old";
  {
    auto file = AtomicFile::create(target.string());
    ASSERT_TRUE(file->write("new"));
  }
  EXPECT_EQ(contentOf(target), "old");
  EXPECT_EQ(files(), 1U);
}

TEST_F(AtomicFileTest, KeepsTheOldFilesPermissionsAndFollowsLinks)
{
  const fs::path target = m_path / "a.csv";
  std::ofstream(target) << "old";
  fs::permissions(target, fs::perms::owner_read | fs::perms::owner_write);
  fs::create_symlink(target, m_path / "link.csv");
  auto file = AtomicFile::create((m_path / "link.csv").string());
  ASSERT_TRUE(file && file->write("new") && file->commit());
  EXPECT_EQ(contentOf(target), "new");
  EXPECT_TRUE(fs::is_symlink(m_path / "link.csv"));
  EXPECT_EQ(fs::status(target).permissions(), fs::perms::owner_read | fs::perms::owner_write);
}

TEST_F(AtomicFileTest, SaysWhyItCannotWrite)
{
  EXPECT_EQ(AtomicFile::create((m_path / "no" / "a.csv").string()).error().code, ErrorCode::Unwritable);
  EXPECT_EQ(AtomicFile::create(m_path.string()).error().code, ErrorCode::Unwritable);
  auto full = AtomicFile::create("/dev/full");
  ASSERT_TRUE(full);
  const bool written = full->write(std::string(100000, 'x')) && full->commit();
  EXPECT_FALSE(written);
}

TEST_F(AtomicFileTest, ALinkKeepsPointingEvenToWhatIsNotThereYet)
{
  fs::create_symlink("later.csv", m_path / "link.csv");
  auto file = AtomicFile::create((m_path / "link.csv").string());
  ASSERT_TRUE(file && file->write("new") && file->commit());
  EXPECT_TRUE(fs::is_symlink(m_path / "link.csv"));
  EXPECT_EQ(contentOf(m_path / "later.csv"), "new");
}

TEST_F(AtomicFileTest, ANameMayBeAsLongAsNamesCanBe)
{
  const fs::path target = m_path / std::string(255, 'n');
  auto file = AtomicFile::create(target.string());
  ASSERT_TRUE(file) << file.error().text();
  ASSERT_TRUE(file->write("new") && file->commit());
  EXPECT_EQ(contentOf(target), "new");
}

TEST_F(AtomicFileTest, WhatNobodyMayWriteToIsNotReplaced)
{
  const fs::path target = m_path / "a.csv";
  std::ofstream(target) << "old";
  fs::permissions(target, fs::perms::owner_read);
  const auto file = AtomicFile::create(target.string());
  ASSERT_FALSE(file);
  EXPECT_EQ(file.error().code, ErrorCode::Unwritable);
  EXPECT_EQ(contentOf(target), "old");
}

TEST_F(AtomicFileTest, AnOpenFileOfTheProcessIsWrittenWhereItStands)
{
  const fs::path target = m_path / "log";
  std::ofstream(target) << "before ";
  std::FILE* log = std::fopen(target.c_str(), "ab");
  ASSERT_NE(log, nullptr);
  auto file = AtomicFile::create("/dev/fd/" + std::to_string(::fileno(log)));
  ASSERT_TRUE(file && file->write("behind") && file->commit());
  std::fclose(log);
  EXPECT_EQ(contentOf(target), "before behind");
}

TEST_F(AtomicFileTest, ASignalsHandlerCanRemoveWhatIsHalfWritten)
{
  auto file = AtomicFile::create((m_path / "a.csv").string());
  auto done = AtomicFile::create((m_path / "b.csv").string());
  ASSERT_TRUE(file && done && done->commit());
  EXPECT_EQ(files(), 2U);
  removeTemporaryFiles();
  EXPECT_EQ(files(), 1U);
  EXPECT_TRUE(fs::exists(m_path / "b.csv"));
}

TEST_F(AtomicFileTest, ASignalThatEndsTheProgramLeavesNothingHalfWritten)
{
  const fs::path target = m_path / "a.csv";
  std::ofstream(target) << "old";
  EXPECT_EXIT(
      {
        removeTemporaryFilesAtSignals();
        auto file = AtomicFile::create(target.string());
        file->write("new");
        std::raise(SIGTERM);
      },
      testing::KilledBySignal(SIGTERM), "");
  EXPECT_EQ(files(), 1U);
  EXPECT_EQ(contentOf(target), "old");
}

TEST(Csv, QuotesWhatNeedsIt)
{
  EXPECT_EQ(csvRecord({"a", "b,c", "d\"e", "f\r\ng", ""}), "a,\"b,c\",\"d\"\"e\",\"f\r\ng\",\r\n");
}

TEST(FrameRecord, OddBusNamesStayValidJson)
{
  Bus bus = *parseBusSpec("a=uart,rx=R,baud=9600");
  bus.name = "quote\" and \xff";
  Frame f;
  f.kind = kUartBreak;
  EXPECT_EQ(test::frameRecord(f, {&bus, "rx"}, FrameFormat::Jsonl).substr(0, 38),
            "{\"bus\":\"quote\\\" and \xef\xbf\xbd\",\"protocol\":\"u");
}
