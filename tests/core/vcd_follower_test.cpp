// A dump that is read while it grows ends as the same capture as one that is read whole.
#include "core/format/vcd_follower.h"

#include <sys/stat.h>
#include <filesystem>
#include <fstream>
#include <random>

#include "core/format/vcd_reader.h"
#include "core/format/vcd_writer.h"
#include "support/lock_cycle.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;
namespace fs = std::filesystem;

namespace {

class Growing : public testing::Test {
 protected:
  void SetUp() override
  {
    m_path = fs::temp_directory_path() / ("bexto-growing-" + std::to_string(::getpid()) + ".vcd");
  }
  void TearDown() override { fs::remove(m_path); }
  void append(std::string_view text)
  {
    std::ofstream(m_path, std::ios::binary | std::ios::app)
        .write(text.data(), static_cast<std::streamsize>(text.size()));
  }

  fs::path m_path;
};

const std::string& head()
{
  static const std::string kHead =
      "$timescale 1 ns $end\n$var wire 1 ! a $end\n$enddefinitions $end\n#0\n$dumpvars\n0!\n$end\n";
  return kHead;
}

}  // namespace

TEST_F(Growing, AnyPiecesGiveTheWholeCapture)
{
  Capture some = lockCycle().capture;
  some.channels.resize(4);
  const std::string text = vcdText(some);
  NoProgress none;
  const auto whole = parseVcd(text, "x", std::stop_token(), none);
  ASSERT_TRUE(whole);
  std::mt19937_64 random(3);
  VcdFollower follower(m_path.string());
  append("");
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t piece = std::min<std::size_t>(text.size() - at, 1 + random() % (text.size() / 20));
    append(std::string_view(text).substr(at, piece));
    at += piece;
    ASSERT_TRUE(follower.more(false, std::stop_token()));
    if (follower.hasHeader()) {
      ASSERT_LE(follower.capture().end, whole->end);
    }
  }
  ASSERT_TRUE(follower.more(true, std::stop_token()));
  const Capture grown = follower.capture();
  EXPECT_EQ(grown.end, whole->end);
  ASSERT_EQ(grown.channels.size(), whole->channels.size());
  for (std::size_t i = 0; i < grown.channels.size(); ++i) {
    EXPECT_EQ(grown.channels[i].path, whole->channels[i].path);
    EXPECT_EQ(timesOf(grown.channels[i].track), timesOf(whole->channels[i].track));
  }
}

TEST_F(Growing, AMomentThatMayGoOnIsLeftForLater)
{
  append(head() + "#100\n1!\n#200\n0");
  VcdFollower follower(m_path.string());
  ASSERT_TRUE(*follower.more(false, std::stop_token()));
  EXPECT_EQ(follower.capture().end, Picoseconds{100000});
  EXPECT_FALSE(*follower.more(false, std::stop_token())) << "nothing was added";
  append("!\n#300\n");
  EXPECT_TRUE(*follower.more(false, std::stop_token()));
  EXPECT_EQ(timesOf(follower.capture().channels[0].track), (std::vector<std::int64_t>{100000, 200000}));
  ASSERT_TRUE(follower.more(true, std::stop_token()));
  EXPECT_EQ(follower.capture().end, Picoseconds{300000});
}

TEST_F(Growing, BeforeItsDeclarationsThereIsNoCapture)
{
  append("$timescale 1 ns $end\n$var wire 1 ! a");
  VcdFollower follower(m_path.string());
  EXPECT_FALSE(*follower.more(false, std::stop_token()));
  EXPECT_FALSE(follower.hasHeader());
  append(" $end\n$enddefinitions $end\n");
  EXPECT_TRUE(*follower.more(false, std::stop_token()));
  EXPECT_TRUE(follower.hasHeader());
}

TEST_F(Growing, SaysWhatIsWrong)
{
  EXPECT_EQ(VcdFollower("/nowhere.vcd").more(false, std::stop_token()).error().code, ErrorCode::Unreadable);
  append(head() + "#100\n1!\n#50\n0!\n#400\n");
  VcdFollower back(m_path.string());
  const auto wrong = back.more(false, std::stop_token());
  ASSERT_FALSE(wrong);
  EXPECT_EQ(wrong.error().code, ErrorCode::Malformed);
  EXPECT_NE(wrong.error().text().find("the time goes back"), std::string::npos);
  fs::resize_file(m_path, 0);
  append(head() + "#100\n1!\n#200\n");
  VcdFollower shrinks(m_path.string());
  ASSERT_TRUE(shrinks.more(false, std::stop_token()));
  fs::resize_file(m_path, 10);
  EXPECT_EQ(shrinks.more(false, std::stop_token()).error().code, ErrorCode::Unreadable);
}

TEST_F(Growing, APipeThatNobodyWritesDoesNotHoldUp)
{
  ASSERT_EQ(::mkfifo(m_path.c_str(), 0600), 0);
  VcdFollower follower(m_path.string());
  const auto nothing = follower.more(false, std::stop_token());
  ASSERT_TRUE(nothing);
  EXPECT_FALSE(*nothing);
  std::ofstream writer(m_path);
  writer << head() << "#100\n1!\n#200\n" << std::flush;
  ASSERT_TRUE(follower.more(false, std::stop_token()));
  EXPECT_TRUE(follower.hasHeader());
  const auto waits = follower.more(false, std::stop_token());
  ASSERT_TRUE(waits) << waits.error().text();
  EXPECT_FALSE(*waits) << "somebody writes, and has written nothing since";
}
