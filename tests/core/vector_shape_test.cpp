#include "core/view/vector_shape.h"

#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;

namespace {

std::vector<ConditionedTrack> bitsOf(const std::vector<std::string>& pictures)
{
  std::vector<ConditionedTrack> bits;
  for (const std::string& picture : pictures)
    bits.push_back({wave(picture, Picoseconds{1000}), {}});
  return bits;
}

/// "0-3:A 3-5:busy …"
std::string shapeText(const std::vector<ConditionedTrack>& bits, TimeRange span, int pixels, Picoseconds until)
{
  std::string text;
  for (const VectorRun& run : vectorShape(bits, TimeAxis(span, pixels), until))
    text += std::to_string(run.x0) + "-" + std::to_string(run.x1) + ":" +
            (run.busy ? "busy" : vectorText(run.bits, ValueFormat::Hex)) + " ";
  return text;
}

}  // namespace

TEST(VectorShape, HasOneRunForEachValue)
{
  const auto bits = bitsOf({"__##", "_##_", "_#_#", "____"});
  EXPECT_EQ(shapeText(bits, {Picoseconds{0}, Picoseconds{4000}}, 40, Picoseconds{4000}),
            "0-10:0 10-20:6 20-30:C 30-40:A ");
}

TEST(VectorShape, ChangesTooCloseToBeToldAreBusy)
{
  std::vector<std::int64_t> many;
  for (int i = 0; i < 1000; ++i)
    many.push_back(100000 + i * 10);
  const std::vector<ConditionedTrack> bits{{trackOf(false, many), {}}, {trackOf(true, {}), {}}};
  const auto runs = vectorShape(bits, TimeAxis({Picoseconds{0}, Picoseconds{200000}}, 100), Picoseconds{200000});
  ASSERT_EQ(runs.size(), 3U);
  EXPECT_EQ(vectorText(runs[0].bits, ValueFormat::Binary), "01");
  EXPECT_TRUE(runs[1].busy);
  EXPECT_GT(runs[1].density, 0);
  EXPECT_EQ(vectorText(runs[2].bits, ValueFormat::Binary), "01");
  EXPECT_NEAR(runs[1].x0, 50, 1);
  EXPECT_NEAR(runs[1].x1, 55, 1);
}

TEST(VectorShape, AnInvertedWireCountsAsItIsRead)
{
  auto bits = bitsOf({"__", "##"});
  bits[0].how.invert = true;
  EXPECT_EQ(shapeText(bits, {Picoseconds{0}, Picoseconds{2000}}, 20, Picoseconds{2000}), "0-20:3 ");
}

TEST(VectorText, IsWrittenInEachFormat)
{
  const auto number = [](const std::string& digits) {
    std::vector<bool> bits;
    for (const char c : digits)
      bits.push_back(c == '1');
    return bits;
  };
  const auto ten = number("1001000001");
  EXPECT_EQ(vectorText(ten, ValueFormat::Hex), "241");
  EXPECT_EQ(vectorText(ten, ValueFormat::Octal), "1101");
  EXPECT_EQ(vectorText(ten, ValueFormat::Binary), "1001000001");
  EXPECT_EQ(vectorText(ten, ValueFormat::Decimal), "577");
  EXPECT_EQ(vectorText(ten, ValueFormat::Text), "241") << "no whole bytes";
  EXPECT_EQ(vectorText(number("0100111101101011"), ValueFormat::Text), "Ok");
  EXPECT_EQ(vectorText(std::vector<bool>(64, true), ValueFormat::Decimal), "18446744073709551615");
  EXPECT_EQ(vectorText(std::vector<bool>(68, true), ValueFormat::Decimal), std::string(17, 'F'));
}
