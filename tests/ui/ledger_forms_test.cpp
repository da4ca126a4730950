// Forms, columns and times of the Ledger, and several side by side.
#include <QApplication>
#include <QClipboard>
#include <QComboBox>
#include <QMenu>
#include <QScrollBar>
#include <QTimer>

#include "support/window_fixture.h"

using namespace bexto;
using namespace bexto::test;
using namespace Qt::StringLiterals;
using namespace std::chrono_literals;

namespace {

class Forms : public WindowTest {
 protected:
  ui::LedgerView& ledger() { return window().ledger(); }
  ui::LedgerArea& ledgers() { return window().ledgers(); }
};

}  // namespace

TEST_F(Forms, AllLinesOpenAndCloseByOneKey)
{
  openDemo();
  clickLedger(3);
  const QRect place = ledger().lineRect({3, 0});
  QTest::keyClick(&window(), Qt::Key_O);
  EXPECT_TRUE(rows().lines().isOpen(rows().merged().at(0)));
  EXPECT_TRUE(rows().lines().isOpen(rows().merged().at(rows().shownCount() - 1)));
  EXPECT_EQ(ledger().lineRect({3, 0}), place) << "the line that one looks at stays";
  QTest::keyClick(&ledger(), Qt::Key_Left);
  EXPECT_FALSE(rows().lines().isOpen(rows().merged().at(3)));
  EXPECT_TRUE(rows().lines().isOpen(rows().merged().at(4)));
  QTest::keyClick(&window(), Qt::Key_O, Qt::ShiftModifier);
  EXPECT_FALSE(rows().lines().isOpen(rows().merged().at(4)));
  EXPECT_EQ(ledger().lineRect({3, 0}), place);
}

TEST_F(Forms, OpenedTheLastLineIsReachedByKeyAndByScrolling)
{
  openDemo();
  QTest::keyClick(&window(), Qt::Key_O);
  ledger().setFocus();
  QTest::keyClick(&ledger(), Qt::Key_End);
  EXPECT_EQ(ledger().current(), rows().lines().last());
  EXPECT_FALSE(ledger().lineRect(rows().lines().last()).isEmpty());
  QTest::keyClick(&ledger(), Qt::Key_Home);
  ledger().verticalScrollBar()->setValue(ledger().verticalScrollBar()->maximum());
  EXPECT_FALSE(ledger().lineRect(rows().lines().last()).isEmpty());
}

TEST_F(Forms, TheWheelMovesByLinesAlsoInsideALongTransaction)
{
  openDemo();
  QTest::keyClick(&window(), Qt::Key_O);
  QWheelEvent down({100, 100}, ledger().viewport()->mapToGlobal(QPointF(100, 100)), {}, {0, -120}, Qt::NoButton, {},
                   Qt::NoScrollPhase, false);
  QApplication::sendEvent(ledger().viewport(), &down);
  EXPECT_EQ(ledger().top(), (LedgerPlace{0, 3}));
  QApplication::sendEvent(ledger().viewport(), &down);
  EXPECT_EQ(ledger().top(), rows().lines().moved({0, 0}, 6));
}

TEST_F(Forms, BytesListThePayloadOnly)
{
  openDemo();
  auto* form = window().findChild<QComboBox*>(u"ledgerForm"_s);
  form->setCurrentText(u"Bytes by 8"_s);
  Q_EMIT form->activated(form->currentIndex());
  const auto lines = rows().visible({}, 40, 4);
  EXPECT_EQ(lines[0].bytes.label, "2A write");
  EXPECT_EQ(lines[0].bytes.bytes, (std::vector<std::uint8_t>{0x10}));
  EXPECT_EQ(lines[1].bytes.label, "2A read");
  EXPECT_EQ(lines[1].bytes.bytes, (std::vector<std::uint8_t>{0x01, 0x7c, 0x5f}));
  EXPECT_EQ(lines[2].bus, u"console"_s);
  EXPECT_EQ(lines[2].bytes.bytes.size(), 8U);
  EXPECT_EQ(lines[3].bytes.offset, 8U);
  clickLedger(LedgerPlace{0, 1});
  EXPECT_EQ(focus().selection().frame, 1U) << "the bytes of the read select the read";
}

TEST_F(Forms, ColumnsAreChosenMovedAndRememberedForEachKindOfBus)
{
  openDemo();
  ledger().header().setShown(LedgerColumn::Address, true);
  ledger().header().setShown(LedgerColumn::Duration, false);
  ledger().header().moveSection(ledger().header().visualIndex(static_cast<int>(LedgerColumn::Bus)), 0);
  const auto chosen = ledger().header().columns();
  EXPECT_EQ(chosen.front(), LedgerColumn::Bus);
  ledgers().setPaneBus(0, id(0));
  const auto ofI2c = ledger().header().columns();
  EXPECT_NE(ofI2c, chosen);
  EXPECT_TRUE(ledger().header().isShown(LedgerColumn::Duration));
  EXPECT_FALSE(ledger().header().isShown(LedgerColumn::Bus)) << "one bus needs no name";
  ledgers().setPaneBus(0, BusId::None);
  EXPECT_EQ(ledger().header().columns(), chosen);
  ui::Workspace elsewhere;
  ui::MainWindow another(elsewhere);
  another.show();
  another.ledgers().first().header().showFor(nullptr);
  another.ledgers().first().header().fitTo(1000);
  EXPECT_EQ(another.ledgers().first().header().columns(), chosen) << "the next start has them too";
}

TEST_F(Forms, OneColumnIsAlwaysLeft)
{
  openDemo();
  for (const LedgerColumnSpec& spec : ledgerColumns())
    ledger().header().setShown(spec.column, false);
  EXPECT_EQ(ledger().header().columns().size(), 1U);
  ledger().header().useDefaults();
  EXPECT_EQ(ledger().header().columns().size(), 5U);
}

TEST_F(Forms, TimesCountFromAMarkerOrTheLineBefore)
{
  openDemo();
  ledger().setZero(ui::TimeZero::Marker, session().addMarker(1300us));
  EXPECT_EQ(ledger().zeroTime(), Picoseconds(1300us));
  EXPECT_EQ(ledger().header().model()->headerData(static_cast<int>(LedgerColumn::Time), Qt::Horizontal).toString(),
            u"since A, s"_s);
  clickLedger(0);
  EXPECT_TRUE(ledger().pickedText().startsWith(u"-0.000091838000\t"_s)) << ledger().pickedText().toStdString();
  session().clearMarkers();
  EXPECT_EQ(ledger().zero(), ui::TimeZero::Start) << "the marker has gone";
  ledger().setZero(ui::TimeZero::Previous);
  EXPECT_FALSE(ledger().zeroTime());
}

TEST_F(Forms, TheTriggerIsOfferedOnlyWhenTheCaptureHasOne)
{
  openDemo();
  ledger().setZero(ui::TimeZero::Trigger);
  EXPECT_EQ(ledger().zeroTime(), Picoseconds(6100ms));
  EXPECT_EQ(ledger().header().model()->headerData(static_cast<int>(LedgerColumn::Time), Qt::Horizontal).toString(),
            u"since trigger, s"_s);
  open(QStringLiteral(BEXTO_TEST_DATA "/i2c_10bit.vcd"));
  EXPECT_EQ(ledger().zero(), ui::TimeZero::Start);
}

TEST_F(Forms, PickedLinesAreCopiedAsText)
{
  openDemo();
  clickLedger(0);
  QTest::keyClick(&ledger(), Qt::Key_Down, Qt::ShiftModifier);
  QTest::keyClick(&ledger(), Qt::Key_Down, Qt::ShiftModifier);
  QTest::keyClick(&ledger(), Qt::Key_C, Qt::ControlModifier);
  const QStringList copied = QApplication::clipboard()->text().split(u'\n', Qt::SkipEmptyParts);
  ASSERT_EQ(copied.size(), 3);
  EXPECT_EQ(copied[0], u"0.001208162000\t\tsensors\t2A write 10 · read 01 7C 5F\t0.000144315000"_s);
  EXPECT_EQ(copied[1].split(u'\t')[2], u"console"_s);
}

TEST_F(Forms, LedgersSideBySideAreEquallyWide)
{
  openDemo();
  for (int count = 2; count <= 4; ++count) {
    ledgers().addBeside();
    ASSERT_EQ(ledgers().paneCount(), count);
    for (int i = 1; i < count; ++i)
      EXPECT_NEAR(ledgers().pane(i).width(), ledgers().pane(0).width(), 2) << i << " of " << count;
  }
}

TEST_F(Forms, LedgersSideBySideScrollTogetherUnlessUnlinked)
{
  openDemo();
  QTest::keyClick(&window(), Qt::Key_L, Qt::ControlModifier);
  ASSERT_EQ(ledgers().paneCount(), 2);
  ledgers().setPaneBus(1, id(0));
  const ui::LedgerRows& beside = ledgers().pane(1).rows();
  EXPECT_EQ(beside.protocol(), &i2cProtocol());
  EXPECT_LT(beside.shownCount(), rows().shownCount());
  ledger().verticalScrollBar()->setValue(1000);
  const Picoseconds there = rows().merged().beginOf(rows().merged().at(ledger().top().row));
  const auto topOf = [&] { return beside.merged().beginOf(beside.merged().at(ledgers().pane(1).top().row)); };
  EXPECT_GE(topOf(), there);
  EXPECT_LT(topOf() - there, Picoseconds(50ms));
  ledgers().setLinked(false);
  const Picoseconds before = topOf();
  ledger().verticalScrollBar()->setValue(10);
  EXPECT_EQ(topOf(), before);
  clickLedger(12);
  if (selectedBus() == 0) {
    EXPECT_TRUE(beside.shows(focus().selection())) << "one selection for all of them";
  }
  QTest::keyClick(&window(), Qt::Key_L, Qt::ControlModifier | Qt::ShiftModifier);
  EXPECT_EQ(ledgers().paneCount(), 1);
}

TEST_F(Forms, ANarrowListKeepsRoomForWhatWasSaid)
{
  openDemo();
  ledger().header().fitTo(420);
  EXPECT_TRUE(ledger().header().isSectionHidden(static_cast<int>(LedgerColumn::Duration)));
  EXPECT_TRUE(ledger().header().isShown(LedgerColumn::Duration)) << "put away, not unchosen";
  ledger().header().fitTo(900);
  EXPECT_FALSE(ledger().header().isSectionHidden(static_cast<int>(LedgerColumn::Duration)));
}
