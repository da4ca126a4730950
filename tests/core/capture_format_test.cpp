#include "core/format/capture_format.h"

#include <algorithm>

#include "core/format/pcapng_reader.h"
#include "core/format/vcd_writer.h"
#include "support/sessions.h"

using namespace bexto;
using namespace bexto::test;

TEST(CaptureFormat, IsChosenByContentWhateverTheName)
{
  const Folder folder;
  const Capture capture = capturedFor(300);
  NoProgress progress;
  ASSERT_TRUE(writeVcd(capture, folder / "a.txt"));
  const auto read = readCapture(folder / "a.txt", {}, {}, progress);
  ASSERT_TRUE(read) << read.error().text();
  EXPECT_TRUE(sameTracks(*read, capture));
  // What is packed is looked into.
  ASSERT_TRUE(writeVcd(capture, folder / "b.gz"));
  std::filesystem::rename(folder / "b.gz", folder / "b");
  EXPECT_EQ(contentOf(folder / "b").substr(0, 2), "\x1f\x8b");
  const auto packed = readCapture(folder / "b", {}, {}, progress);
  ASSERT_TRUE(packed) << packed.error().text();
  EXPECT_TRUE(sameTracks(*packed, capture));
}

TEST(CaptureFormat, SuffixesAreFoundInAnyCase)
{
  ASSERT_NE(formatOfName("x.VCD"), nullptr);
  EXPECT_EQ(formatOfName("x.vcd.gz"), formatOfName("x.VCD"));
  EXPECT_EQ(formatOfName("vcd"), nullptr);
  EXPECT_EQ(formatOfName(".vcd"), nullptr) << "a name has to be there";
  EXPECT_EQ(formatOfName("x.vcdx"), nullptr);
  EXPECT_EQ(suffixList(), ".vcd, .csv, .pcapng, .pcap and .bin, with .gz too");
}

TEST(CaptureFormat, WhatIsNothingSaysSoAsItsNameWould)
{
  const Folder folder;
  NoProgress progress;
  put(folder / "x.vcd", "it was a dark night");
  put(folder / "x", "it was a dark night");
  for (const char* name : {"x", "x.vcd"}) {
    const auto read = readCapture(folder / name, {}, {}, progress);
    ASSERT_FALSE(read);
    EXPECT_EQ(read.error().code, ErrorCode::Malformed);
    EXPECT_TRUE(read.error().text().starts_with(name)) << read.error().text();
  }
  EXPECT_EQ(readCapture(folder / "none.vcd", {}, {}, progress).error().code, ErrorCode::Unreadable);
}

TEST(CaptureFormat, APackedDumpIsWholeOrNotThere)
{
  const Folder folder;
  const Capture capture = capturedFor(100000, 2);
  ASSERT_TRUE(writeVcd(capture, folder / "long.vcd.gz"));
  NoProgress progress;
  const auto read = readCapture(folder / "long.vcd.gz", {}, {}, progress);
  ASSERT_TRUE(read);
  EXPECT_TRUE(sameTracks(*read, capture));
  EXPECT_TRUE(read->notes.empty()) << "it ends as gzip says";
  EXPECT_FALSE(writeVcd(capture, folder / "none/long.vcd.gz"));
}

TEST(CaptureFormat, PacketsAreKnownByTheirFirstBlockInEitherByteOrder)
{
  const auto begin = [](std::initializer_list<int> magic) {
    std::string text{"\x0a\x0d\x0d\x0a\x1c\0\0\0", 8};
    for (const int byte : magic)
      text += static_cast<char>(byte);
    return text + std::string(16, '\0');
  };
  EXPECT_TRUE(looksLikePcapng(begin({0x4d, 0x3c, 0x2b, 0x1a})));
  EXPECT_TRUE(looksLikePcapng(begin({0x1a, 0x2b, 0x3c, 0x4d})));
  EXPECT_FALSE(looksLikePcapng(begin({0x4d, 0x3c, 0x2b, 0x1b})));
  EXPECT_FALSE(looksLikePcapng(begin({0, 0, 0, 0})));
  EXPECT_TRUE(looksLikePcapng(begin({0x4d, 0x3c, 0x2b, 0x1a}).substr(0, 12)));
  EXPECT_FALSE(looksLikePcapng(begin({0x4d, 0x3c, 0x2b, 0x1a}).substr(0, 11)));
  std::string other = begin({0x4d, 0x3c, 0x2b, 0x1a});
  other[0] = '\x0b';
  EXPECT_FALSE(looksLikePcapng(other));
}
