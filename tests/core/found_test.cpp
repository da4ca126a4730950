// Inputs that a fuzzer once broke something with, and a few hundred random ones, through the fuzzers' own targets.
#include <filesystem>
#include <fstream>
#include <random>

#include "core/decode/protocol.h"
#include "fuzz/targets.h"

using namespace bexto;

TEST(Found, StaysMended)
{
  std::size_t files = 0;
  for (const std::string& target : fuzz::targetNames()) {
    const std::filesystem::path folder = std::filesystem::path(BEXTO_TEST_DATA) / "fuzz" / target;
    if (!std::filesystem::exists(folder))
      continue;
    for (const auto& entry : std::filesystem::directory_iterator(folder)) {
      SCOPED_TRACE(entry.path().string());
      std::ifstream file(entry.path(), std::ios::binary);
      const std::vector<char> bytes((std::istreambuf_iterator<char>(file)), std::istreambuf_iterator<char>());
      // What does not hold ends the program, and this test with it.
      fuzz::runTarget(target, {reinterpret_cast<const std::uint8_t*>(bytes.data()), bytes.size()});
      ++files;
    }
  }
  EXPECT_GT(files, 0U) << "the inputs are missing";
}

TEST(Found, RandomBytesHoldToo)
{
  std::mt19937_64 random(17);
  for (const std::string& target : fuzz::targetNames()) {
    // A session is a file each time, and takes its time under the sanitizers.
    const int rounds = target == "session" ? 20 : 300;
    for (int round = 0; round < rounds; ++round) {
      std::vector<std::uint8_t> bytes(random() % 600);
      for (std::uint8_t& b : bytes)
        b = static_cast<std::uint8_t>(random());
      fuzz::runTarget(target, bytes);
    }
  }
  EXPECT_EQ(fuzz::targetNames().size(), 8U + protocols().size());
}

TEST(Found, SheetsWithAnyMistakeHoldToo)
{
  std::mt19937_64 random(23);
  for (const auto& entry :
       std::filesystem::directory_iterator(std::filesystem::path(BEXTO_TEST_DATA) / "fuzz" / "sheet")) {
    std::ifstream file(entry.path(), std::ios::binary);
    const std::string whole((std::istreambuf_iterator<char>(file)), std::istreambuf_iterator<char>());
    for (int round = 0; round < 60; ++round) {
      std::string text = whole;
      for (std::uint64_t change = 0; change <= random() % 3; ++change) {
        const std::size_t at = random() % text.size();
        switch (random() % 4) {
          case 0:
            text.erase(at, 1 + random() % 6);
            break;
          case 1:
            text.insert(at, 1, "0123456789-[]{}:,\"\n ax"[random() % 22]);
            break;
          case 2:
            text[at] = static_cast<char>('0' + random() % 10);
            break;
          default:  // a line moves
            if (const std::size_t end = text.find('\n', at); end != std::string::npos)
              text = text.substr(0, at) + text.substr(end) + text.substr(at, end - at);
            break;
        }
      }
      SCOPED_TRACE(entry.path().string());
      fuzz::runTarget("sheet", {reinterpret_cast<const std::uint8_t*>(text.data()), text.size()});
    }
  }
}
