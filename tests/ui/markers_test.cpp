#include <QComboBox>
#include <QTreeWidget>
#include <algorithm>

#include "support/window_fixture.h"
#include "ui/markers/markers_panel.h"

using namespace bexto;
using namespace bexto::test;
using namespace Qt::StringLiterals;
using namespace std::chrono_literals;

namespace {

class Markers : public WindowTest {
 protected:
  ui::MarkersPanel& panel() { return window().markers(); }
  QTreeWidgetItem* item(int i) { return panel().list().topLevelItem(i); }
  QStringList measured()
  {
    EXPECT_TRUE(waitFor([this] { return !panel().isMeasuring(); }));
    QApplication::processEvents();
    return panel().lines();
  }
};

}  // namespace

TEST_F(Markers, AnyNumberIsListedInTheOrderOfTime)
{
  openDemo();
  for (int i = 28; i > 0; --i)
    session().addMarker(i * 1ms);
  ASSERT_EQ(panel().list().topLevelItemCount(), 28);
  EXPECT_EQ(item(0)->text(0), u"B2"_s);
  EXPECT_EQ(item(27)->text(0), u"A"_s);
  EXPECT_EQ(item(0)->text(1), u"0.001 000 000"_s);
  session().removeMarker(session().markers()[0].id);
  session().addMarker(5ms);
  EXPECT_EQ(session().markers().size(), 28U);
  EXPECT_EQ(session().markers().back().name, "A") << "a name that is free again";
}

TEST_F(Markers, NamesNotesAndTimesAreEditedInTheList)
{
  openDemo();
  session().addMarker(2ms);
  session().addMarker(4ms);
  item(0)->setText(0, u"reset"_s);
  ASSERT_TRUE(waitFor([this] { return session().markers()[0].name == "reset"; }));
  item(0)->setText(2, u"supply drops here"_s);
  ASSERT_TRUE(waitFor([this] { return session().markers()[0].note == "supply drops here"; }));
  item(0)->setText(1, u"3.5 ms"_s);
  ASSERT_TRUE(waitFor([this] { return session().markers()[0].time == Picoseconds(3500us); }));
  item(1)->setText(0, u"reset"_s);
  QApplication::processEvents();
  EXPECT_EQ(session().markers()[1].name, "B") << "names are used once";
  item(1)->setText(1, u"soon"_s);
  QApplication::processEvents();
  EXPECT_EQ(session().markers()[1].time, Picoseconds(4ms));
}

TEST_F(Markers, SayWhatLiesBetweenTwoOfThem)
{
  openDemo();
  const Transactions& t = transactionsOf(0);
  session().addMarker(t.timeOf(0).begin - 1us);
  session().addMarker(t.timeOf(0).end + 1us);
  panel().wire().setCurrentText(u"SCL"_s);
  panel().bus().setCurrentText(u"sensors"_s);
  Q_EMIT panel().wire().activated(0);
  const QStringList said = measured();
  ASSERT_GE(said.size(), 4) << said.join(u"|"_s).toStdString();
  EXPECT_TRUE(said[0].startsWith(u"Δ 146.3 µs · 6.835 kHz"_s)) << said[0].toStdString();
  EXPECT_TRUE(said[1].startsWith(u"SCL  "_s) && said[1].contains(u" kHz · "_s)) << said[1].toStdString();
  EXPECT_TRUE(said.last().startsWith(u"sensors  2 frames · 4 bytes · load 98."_s)) << said.last().toStdString();
  panel().from().setCurrentText(u"B"_s);
  panel().to().setCurrentText(u"A"_s);
  Q_EMIT panel().to().activated(0);
  EXPECT_EQ(measured()[0], said[0]) << "the order does not matter";
  Bus renamed = engine().bus(0).wanted;
  renamed.name = "heads";
  session().changeBus(id(0), renamed);
  EXPECT_TRUE(waitFor([this] { return panel().lines().last().startsWith(u"heads  2 frames"_s); }));
}

TEST_F(Markers, TheWireAndTheBusThatAreMeasuredStayChosen)
{
  openDemo();
  panel().wire().setCurrentText(u"SDA"_s);
  panel().bus().setCurrentText(u"console"_s);
  addBus("again=i2c,scl=SCL,sda=SDA");
  EXPECT_TRUE(waitFor([this] { return panel().bus().count() == 3; }));
  EXPECT_EQ(panel().bus().currentText(), u"console"_s);
  session().removeBus(id(0));
  EXPECT_TRUE(waitFor([this] { return panel().bus().count() == 2; }));
  EXPECT_EQ(panel().bus().currentText(), u"console"_s);
  auto other = std::make_shared<Capture>(*engine().capture());
  std::rotate(other->channels.begin(), other->channels.begin() + 3, other->channels.end());
  engine().setCapture(other, u"again.vcd"_s);
  EXPECT_EQ(panel().wire().currentText(), u"SDA"_s);
}

TEST_F(Markers, WhatReachesToTheViewsEndsFollowsTheView)
{
  openDemo();
  session().addMarker(1s);
  const QString begin = panel().from().itemText(0);
  const QString end = panel().from().itemText(2);
  for (const auto& [from, to] :
       {std::pair(begin, u"A"_s), std::pair(end, u"A"_s), std::pair(u"A"_s, begin), std::pair(u"A"_s, end)}) {
    focus().show({2s, 3s});
    panel().from().setCurrentText(from);
    panel().to().setCurrentText(to);
    Q_EMIT panel().to().activated(0);
    const bool toEnd = from == end || to == end;
    EXPECT_TRUE(measured()[0].startsWith(toEnd ? u"Δ 2.000 s"_s : u"Δ 1.000 s"_s)) << measured()[0].toStdString();
    focus().show({4s, 6s});
    EXPECT_TRUE(measured()[0].startsWith(toEnd ? u"Δ 5.000 s"_s : u"Δ 3.000 s"_s))
        << from.toStdString() << " to " << to.toStdString() << ": " << measured()[0].toStdString();
  }
}

TEST_F(Markers, ANoteOnALineIsShownThereAndInTheTimeline)
{
  openDemo();
  clickLedger(2);
  const Picoseconds begin = focus().selectedTime().begin;
  QTest::keyClick(&window(), Qt::Key_K);
  auto* editor = panel().list().findChild<QLineEdit*>();
  ASSERT_NE(editor, nullptr) << "the note can be typed at once";
  QTest::keyClicks(editor, u"pump starts"_s);
  QTest::keyClick(editor, Qt::Key_Return);
  ASSERT_TRUE(waitFor([this] { return !session().markers().empty() && session().markers()[0].note == "pump starts"; }));
  ASSERT_TRUE(session().markers()[0].pin);
  EXPECT_EQ(session().markers()[0].pin->bus, id(0));
  EXPECT_EQ(session().markers()[0].time, begin);
  const QImage with = window().ledger().viewport()->grab().toImage();
  const QImage timeline = window().timeline().viewport()->grab().toImage();
  QTest::keyClick(&window(), Qt::Key_M, Qt::ShiftModifier);
  EXPECT_NE(window().ledger().viewport()->grab().toImage(), with);
  EXPECT_NE(window().timeline().viewport()->grab().toImage(), timeline);
}

TEST_F(Markers, AreRemovedByKeyAndGoneTo)
{
  openDemo();
  session().addMarker(2ms);
  session().addMarker(4s);
  focus().show({1ms, 3ms});
  panel().list().setFocus();
  panel().list().setCurrentItem(item(1));
  EXPECT_TRUE(focus().axis().span().begin <= Picoseconds(4s) && focus().axis().span().end >= Picoseconds(4s));
  QTest::keyClick(&panel().list(), Qt::Key_Delete);
  ASSERT_EQ(session().markers().size(), 1U);
  EXPECT_EQ(session().markers()[0].name, "A");
}
