#include "ui/ledger/ledger_rows.h"

#include "support/window_fixture.h"

using namespace bexto;
using namespace bexto::test;

namespace {

class LedgerContent : public WindowTest {
 protected:
  const ui::LedgerRows& rows() { return window().ledger().rows(); }
};

}  // namespace

TEST_F(LedgerContent, LinesAreInTheOrderOfTimeOverAllBuses)
{
  openDemo();
  Picoseconds before{-1};
  const auto lines = rows().visible({}, 4000, 4);
  ASSERT_EQ(lines.size(), rows().shownCount());
  bool sensors = false;
  bool console = false;
  for (const ui::LedgerRows::Line& line : lines) {
    ASSERT_GE(line.begin, before);
    if (before >= Picoseconds{0}) {
      ASSERT_EQ(line.sincePrevious, line.begin - before);
    }
    before = line.begin;
    sensors = sensors || line.bus == QStringLiteral("sensors");
    console = console || line.bus == QStringLiteral("console");
  }
  EXPECT_TRUE(sensors && console);
}

TEST_F(LedgerContent, AnyWindowOfItIsTheSameAsThatPartOfTheWhole)
{
  openDemo();
  window().ledger().openLine({3, 0}, true);
  window().ledger().openLine({14, 0}, true);
  const auto all = rows().visible({}, 100, 8);
  for (std::size_t first = 0; first < 60; first += 7) {
    const auto part = rows().visible(all[first].place, 20, 8);
    for (std::size_t i = 0; i < part.size(); ++i) {
      const ui::LedgerRows::Line& expected = all[first + i];
      ASSERT_EQ(part[i].place, expected.place);
      ASSERT_EQ(part[i].row, expected.row) << first << "+" << i;
      ASSERT_EQ(part[i].isDetail, expected.isDetail);
      ASSERT_EQ(part[i].sentence.text(), expected.sentence.text());
      ASSERT_EQ(part[i].detail, expected.detail);
      ASSERT_EQ(part[i].sincePrevious, expected.sincePrevious);
    }
  }
}

TEST_F(LedgerContent, OpenLinesStayOpenWhenABusIsAddedOrDecodedAnew)
{
  open(demoPath());
  addBus("sensors=i2c,scl=SCL,sda=SDA");
  window().ledger().openLine({5, 0}, true);
  const Picoseconds begin = rows().visible({5, 0}, 1, 4).front().begin;
  addBus("console=uart,tx=CONSOLE_TX,baud=115200");
  Bus bus = engine().bus(0).wanted;
  bus.settings.edit<I2cSettings>().spike = Picoseconds{20000};
  session().changeBus(id(0), bus);
  ASSERT_TRUE(waitIdle());
  ASSERT_EQ(rows().lines().exceptions().size(), 1U);
  const ui::LedgerRows::Line line =
      rows().visible({rows().merged().rowOf(*rows().lines().exceptions().begin()), 0}, 1, 4).front();
  EXPECT_EQ(line.begin, begin);
  EXPECT_TRUE(line.isOpen);
}

TEST_F(LedgerContent, EarlierLinesOfAnotherBusComeIntoViewAtTheBegin)
{
  open(demoPath());
  addBus("console=uart,tx=CONSOLE_TX,baud=115200");
  EXPECT_EQ(rows().visible(window().ledger().top(), 1, 4).front().bus, QStringLiteral("console"));
  addBus("sensors=i2c,scl=SCL,sda=SDA");
  EXPECT_EQ(window().ledger().top(), LedgerPlace{});
  EXPECT_EQ(rows().visible(window().ledger().top(), 1, 4).front().bus, QStringLiteral("sensors"));
}

TEST_F(LedgerContent, SelectionAndLineAnswerEachOther)
{
  openDemo();
  for (std::uint64_t row = 0; row < rows().shownCount(); row += 97) {
    const ui::Selection selection = rows().selectionOf(LedgerPlace{row, 0});
    ASSERT_EQ(rows().placeOf(selection), (LedgerPlace{row, 0}));
  }
}

TEST_F(LedgerContent, BothLinesOfAUartAreNamed)
{
  open(QStringLiteral(BEXTO_TEST_DATA "/mixed_four.vcd"));
  addBus("con=uart,tx=con_tx,rx=con_rx,baud=115200");
  QStringList names;
  for (const ui::LedgerRows::Line& line : rows().visible({}, 1000, 4)) {
    if (!names.contains(line.bus))
      names << line.bus;
  }
  names.sort();
  EXPECT_EQ(names, (QStringList{QStringLiteral("con RX"), QStringLiteral("con TX")}));
  EXPECT_EQ(window().timeline().lanes()[0].detail, QStringLiteral("UART RX"));
  EXPECT_EQ(window().timeline().lanes()[2].detail, QStringLiteral("UART TX"));
}

TEST_F(LedgerContent, BusesThatDoNotFitTheCaptureLeaveTheOthersAlone)
{
  openDemo();
  Bus bus = engine().bus(1).wanted;
  bus.setChannel("tx", "NOWHERE");
  session().changeBus(id(1), bus);
  ASSERT_TRUE(waitIdle());
  ASSERT_TRUE(engine().bus(1).error);
  EXPECT_GT(engine().bus(1).transactionCount(), 0U) << "the last good decode stays";
  EXPECT_GT(engine().bus(0).transactionCount(), 2000U);
}
