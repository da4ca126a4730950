#include <QScrollBar>

#include "core/view/overview.h"
#include "support/window_fixture.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

using Selecting = WindowTest;

TEST_F(Selecting, AClickInTheLedgerMovesTimelineAndAnatomy)
{
  openDemo();
  window().ledger().verticalScrollBar()->setValue(1500);
  QApplication::processEvents();
  clickLedger(1503);
  ASSERT_TRUE(focus().selection().valid());
  EXPECT_EQ(row(), 1503U);
  const TimeRange time = focus().selectedTime();
  const TimeRange span = focus().axis().span();
  EXPECT_GE(time.begin, span.begin) << "the timeline shows it";
  EXPECT_LE(time.begin, span.end);
  EXPECT_FALSE(window().anatomy().title().isEmpty());
  EXPECT_FALSE(window().anatomy().fieldLines().isEmpty());
  EXPECT_FALSE(window().anatomy().bitStrip().bits().empty());
}

TEST_F(Selecting, AClickOnAFrameInTheTimelineSelectsItsLine)
{
  openDemo();
  clickLedger(0);
  focus().zoomToSelection();
  const Frame second = transactionsOf(0).frames().frame(1);
  clickTimeline(0, second.time.begin + second.time.length() / 2);
  EXPECT_EQ(focus().selection().frame, 1U);
  EXPECT_EQ(row(), 0U) << "both transfers are one line";
  // The console's first line is the list's second.
  focus().show({1340us, 1700us});
  clickTimeline(3, transactionsOf(1).beginOf(0) + 60us);
  EXPECT_EQ(selectedBus(), 1);
  EXPECT_EQ(row(), 1U);
  EXPECT_TRUE(window().anatomy().title().contains(QStringLiteral("gate controller ready")));
}

TEST_F(Selecting, TheAnatomyShowsTheByteThatWasPointedAt)
{
  openDemo();
  focus().show(spanAround(transactionsOf(0).timeOf(0)));
  const Anatomy anatomy =
      anatomyOf(engine().bus(0).shown, engine().bus(0).streams[0].input, transactionsOf(0).frames(), 1);
  const Field* level = nullptr;
  for (const Field& field : anatomy.fields) {
    if (field.role == Role::Data && field.value == 0x7c)
      level = &field;
  }
  ASSERT_NE(level, nullptr);
  clickTimeline(0, level->time.begin + level->time.length() / 2);
  const std::vector<Bit>& bits = window().anatomy().bitStrip().bits();
  ASSERT_EQ(bits.size(), 9U);
  unsigned value = 0;
  for (std::size_t i = 0; i < 8; ++i)
    value = value << 1U | (bits[i].level ? 1U : 0U);
  EXPECT_EQ(value, 0x7cU);
  EXPECT_EQ(bits[8].role, Role::Acknowledge);
}

TEST_F(Selecting, DoubleClickZoomsToIt)
{
  openDemo();
  QTest::mouseDClick(window().ledger().viewport(), Qt::LeftButton, {}, window().ledger().lineRect({3, 0}).center());
  const TimeRange time = focus().selectedTime();
  const TimeRange span = focus().axis().span();
  EXPECT_LT(span.length(), time.length() * 2);
  EXPECT_LE(span.begin, time.begin);
  EXPECT_GE(span.end, time.end);
  focus().zoomTo(engine().whole());
  const Picoseconds middle = transactionsOf(0).beginOf(1000);
  QTest::mouseDClick(window().timeline().viewport(), Qt::LeftButton, {}, timelinePoint(0, middle));
  EXPECT_LT(focus().axis().span().length(), 1ms);
}

TEST_F(Selecting, ALineOpensToItsFields)
{
  openDemo();
  const auto under = [&] { return rows().lines().detailCount(rows().merged().at(0)); };
  QTest::mouseClick(window().ledger().viewport(), Qt::LeftButton, {},
                    window().ledger().lineRect({0, 0}).topLeft() + QPoint(14, 12));
  EXPECT_EQ(under(), 6U);
  clickLedger({0, 5});  // byte 1 of the read
  EXPECT_EQ(window().ledger().current(), (LedgerPlace{0, 5}));
  EXPECT_EQ(focus().selection().frame, 1U);
  window().ledger().setFocus();
  QTest::keyClick(&window().ledger(), Qt::Key_Left);
  EXPECT_EQ(under(), 0U);
  EXPECT_EQ(row(), 0U);
}

TEST_F(Selecting, TheLedgerIsWalkedByKeyboard)
{
  openDemo();
  window().ledger().setFocus();
  QTest::keyClick(&window().ledger(), Qt::Key_Down);
  EXPECT_EQ(row(), 0U);
  QTest::keyClick(&window().ledger(), Qt::Key_Down);
  EXPECT_EQ(row(), 1U);
  QTest::keyClick(&window().ledger(), Qt::Key_End);
  EXPECT_EQ(row(), rows().shownCount() - 1);
  EXPECT_FALSE(window().ledger().lineRect(window().ledger().current()).isEmpty()) << "it is in view";
  QTest::keyClick(&window().ledger(), Qt::Key_Home);
  QTest::keyClick(&window().ledger(), Qt::Key_Right);
  EXPECT_TRUE(rows().lines().isOpen(rows().merged().at(0)));
  QTest::keyClick(&window().ledger(), Qt::Key_PageDown);
  EXPECT_GT(row(), 3U);
}

TEST_F(Selecting, NextAndPreviousFaultWalkAllBuses)
{
  openDemo();
  window().ledger().setFocus();
  std::vector<std::uint64_t> frames;
  while (focus().selectFault(true))
    frames.push_back(focus().selection().frame);
  EXPECT_EQ(frames.size(), engine().bus(0).faultCount() + engine().bus(1).faultCount());
  QTest::keyClick(&window(), Qt::Key_N);
  EXPECT_EQ(window().notice().text(), QStringLiteral("No fault after this place."));
  QTest::keyClick(&window(), Qt::Key_N, Qt::ShiftModifier);
  EXPECT_EQ(focus().selection().frame, frames[frames.size() - 2]);
}

TEST_F(Selecting, BackAndForwardWalkThePlacesOneHasBeen)
{
  openDemo();
  clickLedger(2);
  const ui::Selection first = focus().selection();
  clickLedger(5);
  const ui::Selection second = focus().selection();
  QTest::keyClick(&window(), Qt::Key_Left, Qt::AltModifier);
  EXPECT_EQ(focus().selection(), first);
  QTest::keyClick(&window(), Qt::Key_Right, Qt::AltModifier);
  EXPECT_EQ(focus().selection(), second);
}

TEST_F(Selecting, ASelectionOutlivesANewDecode)
{
  openDemo();
  clickLedger(6);
  const Picoseconds begin = focus().selectedTime().begin;
  Bus bus = engine().bus(0).wanted;
  bus.settings.edit<I2cSettings>().spike = 50ns;
  session().changeBus(id(0), bus);
  ASSERT_TRUE(waitIdle());
  ASSERT_TRUE(focus().selection().valid());
  EXPECT_EQ(focus().selectedTime().begin, begin);
}

TEST_F(Selecting, ANewDecodeMayHaveManyMoreFramesBeforeTheSelectedOne)
{
  openDemo();
  Bus bus = engine().bus(1).wanted;
  bus.settings.edit<UartSettings>().baud = 9600;
  session().changeBus(id(1), bus);
  ASSERT_TRUE(waitIdle());
  const std::uint64_t few = transactionsOf(1).frames().size();
  // The last start edge after a pause is one at any rate.
  const Picoseconds begin = transactionsOf(1).beginOf(transactionsOf(1).size() - 1);
  focus().select({streamId(1, 0), transactionsOf(1).frames().firstFrom(begin), begin});
  bus.settings.edit<UartSettings>().baud = 115200;
  session().changeBus(id(1), bus);
  ASSERT_TRUE(waitIdle());
  ASSERT_TRUE(focus().selection().valid());
  EXPECT_GT(focus().selection().frame, few);
  EXPECT_EQ(window().ledger().current(), lineOfSelection());
}

TEST_F(Selecting, TheFaultyFrameOfATransactionIsPicked)
{
  openDemo();
  const std::uint64_t frame = transactionsOf(0).frames().firstFrom(cycle().faults.stretchedRead);
  focus().select({streamId(0, 0), frame, cycle().faults.stretchedRead});
  QApplication::processEvents();
  clickLedger(lineOfSelection());
  EXPECT_EQ(focus().selection().frame, frame + 1) << "the read that was broken, not the write before it";
  EXPECT_TRUE(window().anatomy().title().startsWith(QStringLiteral("START inside a byte")));
}
