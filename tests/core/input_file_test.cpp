#include "core/base/input_file.h"

#include <unistd.h>
#include <zlib.h>

#include <filesystem>
#include <fstream>

using namespace bexto;
namespace fs = std::filesystem;

namespace {

class Input : public testing::Test {
 protected:
  void SetUp() override
  {
    m_path = fs::path(testing::TempDir()) / ("bexto-input-" + std::to_string(::getpid()));
    for (int i = 0; i < 100000; ++i)
      m_text += std::to_string(i * 7919) + "\n";
  }
  void TearDown() override { fs::remove(m_path); }
  void write(std::string_view bytes) const
  {
    std::ofstream(m_path, std::ios::binary).write(bytes.data(), static_cast<std::streamsize>(bytes.size()));
  }

  /// All of the file, in pieces of `piece`; or the error.
  Result<std::string> all(std::size_t piece, bool* breaksOff = nullptr) const
  {
    auto file = InputFile::open(m_path.string());
    if (!file)
      return tl::unexpected(file.error());
    std::string text;
    std::string room(piece, ' ');
    for (;;) {
      const auto got = file->read(room);
      if (!got)
        return tl::unexpected(got.error());
      text += room.substr(0, *got);
      if (*got < piece)
        break;
    }
    EXPECT_EQ(file->fraction(), 1.0);
    if (breaksOff != nullptr)
      *breaksOff = file->breaksOff();
    return text;
  }

  fs::path m_path;
  std::string m_text;
};

std::string packed(const std::string& text)
{
  z_stream stream = {};
  deflateInit2(&stream, 6, Z_DEFLATED, 16 + MAX_WBITS, 8, Z_DEFAULT_STRATEGY);
  std::string out(deflateBound(&stream, text.size()), ' ');
  std::string in = text;
  stream.next_in = reinterpret_cast<Bytef*>(in.data());
  stream.avail_in = static_cast<uInt>(in.size());
  stream.next_out = reinterpret_cast<Bytef*>(out.data());
  stream.avail_out = static_cast<uInt>(out.size());
  deflate(&stream, Z_FINISH);
  out.resize(stream.total_out);
  deflateEnd(&stream);
  return out;
}

}  // namespace

TEST_F(Input, GivesAllBytesInAnyPieces)
{
  write(m_text);
  for (const std::size_t piece : {std::size_t{1000}, std::size_t{65536}, m_text.size(), m_text.size() + 1})
    EXPECT_TRUE(all(piece) == m_text) << piece;
}

TEST_F(Input, UnpacksWhatGzipPackedAlsoSeveralInARow)
{
  bool breaksOff = true;
  write(packed(m_text));
  EXPECT_TRUE(all(4096, &breaksOff) == m_text);
  EXPECT_FALSE(breaksOff);
  write(packed(m_text) + packed("and more"));
  EXPECT_TRUE(all(4096, &breaksOff) == m_text + "and more");
  EXPECT_FALSE(breaksOff);
  // Zeros behind it are what tapes and block devices add.
  write(packed(m_text) + std::string(512, '\0'));
  EXPECT_TRUE(all(4096, &breaksOff) == m_text);
}

TEST_F(Input, WhatBreaksOffIsReadUpToThere)
{
  const std::string whole = packed(m_text);
  write(whole.substr(0, whole.size() / 2));
  bool breaksOff = false;
  const auto text = all(4096, &breaksOff);
  ASSERT_TRUE(text) << text.error().text();
  EXPECT_TRUE(breaksOff);
  EXPECT_GT(text->size(), m_text.size() / 4);
  EXPECT_TRUE(m_text.starts_with(*text));
}

TEST_F(Input, DamageIsSaidWithItsPlace)
{
  std::string whole = packed(m_text);
  whole[whole.size() - 6] = static_cast<char>(~whole[whole.size() - 6]);  // in the check sum
  write(whole);
  const auto text = all(4096);
  ASSERT_FALSE(text);
  EXPECT_EQ(text.error().code, ErrorCode::Malformed);
  EXPECT_NE(text.error().text().find("what is packed is damaged"), std::string::npos) << text.error().text();
}

TEST_F(Input, AFileThatGetsShorterIsAnErrorAndNotTheEnd)
{
  write(m_text);
  auto file = InputFile::open(m_path.string());
  ASSERT_TRUE(file);
  std::string room(1000, ' ');
  ASSERT_TRUE(file->read(room));
  fs::resize_file(m_path, 2000);
  ASSERT_TRUE(file->read(room));
  const auto behind = file->read(room);
  ASSERT_FALSE(behind);
  EXPECT_EQ(behind.error().code, ErrorCode::Unreadable);
  EXPECT_NE(behind.error().text().find("the file got shorter while it was read"), std::string::npos);
}

TEST_F(Input, EndsWhereTheFileEndedWhenItWasOpened)
{
  write("short");
  auto file = InputFile::open(m_path.string());
  ASSERT_TRUE(file);
  EXPECT_FALSE(file->changed());
  fs::last_write_time(m_path, fs::last_write_time(m_path) - std::chrono::hours(1));
  std::ofstream(m_path, std::ios::app) << " and longer";
  std::string room(100, ' ');
  EXPECT_EQ(*file->read(room), 5U);
  EXPECT_TRUE(file->changed());
}

TEST_F(Input, OnlyFilesAreOpened)
{
  EXPECT_EQ(InputFile::open(testing::TempDir()).error().message, "is not a file");
  EXPECT_EQ(InputFile::open("/dev/null").error().message, "is not a file");
  EXPECT_EQ(InputFile::open(m_path.string()).error().mend, "check the name");
}
