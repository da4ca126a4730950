// What the user does at the heads of the lanes.
#include <QContextMenuEvent>
#include <QLineEdit>
#include <QMenu>
#include <QScrollBar>
#include <QTimer>

#include "support/window_fixture.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

class Lanes : public WindowTest {
 protected:
  QWidget* view() { return window().timeline().viewport(); }
  QStringList names()
  {
    QStringList names;
    for (const ui::TimelineLane& lane : window().timeline().lanes())
      names << lane.name;
    return names;
  }
  const ui::TimelineLane& lane(std::size_t i) { return window().timeline().lanes().at(i); }
  QPoint head(std::size_t i) { return {30, ui::kRulerHeight + lane(i).top + lane(i).height / 2}; }
  void drag(QPoint from, QPoint to)
  {
    QTest::mousePress(view(), Qt::LeftButton, {}, from);
    QTest::mouseMove(view(), (from + to) / 2);
    QTest::mouseMove(view(), to);
    QTest::mouseRelease(view(), Qt::LeftButton, {}, to);
  }
  /// Opens the lane's menu, picks an action by the path of its texts, and closes it.
  void pick(std::size_t i, const QStringList& path)
  {
    QMenu menu;
    window().timeline().heads().fillMenu(menu, static_cast<int>(i), 0);
    QMenu* at = &menu;
    for (const QString& text : path) {
      QAction* found = nullptr;
      for (QAction* action : at->actions()) {
        if (action->text() == text)
          found = action;
      }
      ASSERT_NE(found, nullptr) << text.toStdString();
      if (found->menu() != nullptr)
        at = found->menu();
      else
        found->trigger();
    }
    ASSERT_TRUE(waitIdle());
  }
};

}  // namespace

TEST_F(Lanes, ABusMovesWithItsWires)
{
  openDemo();
  ASSERT_EQ(names(), (QStringList{u"sensors"_qs, u"SCL"_qs, u"SDA"_qs, u"console"_qs, u"CONSOLE_TX"_qs}));
  drag(head(3), {30, ui::kRulerHeight + 4});
  EXPECT_EQ(names(), (QStringList{u"console"_qs, u"CONSOLE_TX"_qs, u"sensors"_qs, u"SCL"_qs, u"SDA"_qs}));
}

TEST_F(Lanes, AWireMovesAmongItsBusesWires)
{
  openDemo();
  drag(head(2), {30, ui::kRulerHeight + lane(1).top + 2});
  EXPECT_EQ(names(), (QStringList{u"sensors"_qs, u"SDA"_qs, u"SCL"_qs, u"console"_qs, u"CONSOLE_TX"_qs}));
  window().timeline().heads().shift(1, 1);
  EXPECT_EQ(names(), (QStringList{u"sensors"_qs, u"SCL"_qs, u"SDA"_qs, u"console"_qs, u"CONSOLE_TX"_qs}));
  window().timeline().heads().shift(1, -1);
  EXPECT_EQ(names()[1], u"SCL"_qs) << "it is the first already";
}

TEST_F(Lanes, TheOnlyWireOfABusHasNoOtherPlace)
{
  openDemo();
  const QStringList before = names();
  QTest::mousePress(view(), Qt::LeftButton, {}, head(4));
  QTest::mouseMove(view(), head(1));
  EXPECT_FALSE(window().timeline().heads().isDragging());
  EXPECT_EQ(window().timeline().heads().dropLine(), -1);
  QTest::mouseRelease(view(), Qt::LeftButton, {}, head(1));
  EXPECT_EQ(names(), before);
}

TEST_F(Lanes, ADragOnAHeadNeitherPansNorSelects)
{
  openDemo();
  const Picoseconds before = focus().axis().span().begin;
  drag(head(3), {30, ui::kRulerHeight + 4});
  EXPECT_EQ(focus().axis().span().begin, before);
  EXPECT_FALSE(focus().selection().valid());
}

TEST_F(Lanes, TheLowerEdgeOfAHeadSetsTheHeight)
{
  openDemo();
  const int before = lane(1).height;
  const QPoint edge(40, ui::kRulerHeight + lane(1).bottom());
  drag(edge, edge + QPoint(0, 30));
  EXPECT_EQ(lane(1).height, before + 30);
  EXPECT_EQ(lane(2).top, lane(1).bottom());
  const QPoint edgeNow(40, ui::kRulerHeight + lane(1).bottom());
  drag(edgeNow, edgeNow - QPoint(0, 300));
  EXPECT_EQ(lane(1).height, ui::kLeastWireHeight);
}

TEST_F(Lanes, ADoubleClickNamesAWireAndTheNameStays)
{
  openDemo();
  QTest::mouseDClick(view(), Qt::LeftButton, {}, head(1));
  auto* edit = view()->findChild<QLineEdit*>(QStringLiteral("laneName"));
  ASSERT_NE(edit, nullptr);
  QTest::keyClicks(edit, QStringLiteral("clock at J7"));
  QTest::keyClick(edit, Qt::Key_Return);
  EXPECT_EQ(lane(1).name, u"clock at J7"_qs);
  session().removeBus(id(0));
  EXPECT_TRUE(names().contains(u"clock at J7"_qs)) << "also as a wire of no bus";
  EXPECT_EQ(engine().capture()->channels[0].name, "SCL") << "the channel itself keeps its name";
}

TEST_F(Lanes, EscapeLeavesTheNameAsItWas)
{
  openDemo();
  window().timeline().heads().rename(1, 0);
  auto* edit = view()->findChild<QLineEdit*>(QStringLiteral("laneName"));
  ASSERT_NE(edit, nullptr);
  QTest::keyClicks(edit, QStringLiteral("something else"));
  QTest::keyClick(edit, Qt::Key_Escape);
  EXPECT_EQ(lane(1).name, u"SCL"_qs);
}

TEST_F(Lanes, LanesThatGoInTheMiddleOfADragEndIt)
{
  openDemo();
  QTest::mousePress(view(), Qt::LeftButton, {}, head(3));
  QTest::mouseMove(view(), head(1));
  ASSERT_TRUE(window().timeline().heads().isDragging());
  session().removeBus(id(1));
  EXPECT_FALSE(window().timeline().heads().isDragging());
  QTest::mouseMove(view(), head(0));
  QTest::mouseRelease(view(), Qt::LeftButton, {}, head(0));
  EXPECT_EQ(names().first(), u"sensors"_qs);
}

TEST_F(Lanes, HiddenLanesComeBack)
{
  openDemo();
  pick(2, {u"Hide SDA"_qs});
  EXPECT_FALSE(names().contains(u"SDA"_qs));
  pick(0, {u"Show hidden"_qs, u"SDA"_qs});
  EXPECT_TRUE(names().contains(u"SDA"_qs));
  pick(0, {u"Hide sensors"_qs});
  EXPECT_EQ(names().first(), u"SCL"_qs) << "wires can stand without their bus lane";
  pick(0, {u"Show hidden"_qs, u"All"_qs});
  EXPECT_EQ(names().first(), u"sensors"_qs);
}

TEST_F(Lanes, ABusIsAsHighAsItsTiersAndAWireIsLow)
{
  openWholeDemo();
  for (const ui::TimelineLane& lane : window().timeline().lanes()) {
    const bool bus = lane.kind == ui::TimelineLane::Kind::Bus;
    const int second = lane.lines.size() > 1 ? ui::kSecondLineHeight : 0;
    EXPECT_EQ(lane.height, bus ? ui::kBusLaneHeight + second : ui::kWireLaneHeight) << lane.name.toStdString();
  }
}

TEST_F(Lanes, ABusFoldsItsWiresAway)
{
  openDemo();
  pick(0, {u"Fold its wires away"_qs});
  EXPECT_EQ(names(), (QStringList{u"sensors"_qs, u"console"_qs, u"CONSOLE_TX"_qs}));
  EXPECT_TRUE(lane(0).folded);
  pick(0, {u"Show its wires"_qs});
  EXPECT_EQ(names().size(), 5);
}

TEST_F(Lanes, InvertingAWireDecodesItsBusAgainAndUndoesItself)
{
  openDemo();
  const std::uint64_t before = transactionsOf(1).size();
  ASSERT_GT(before, 50U);
  pick(4, {u"Invert"_qs});
  EXPECT_TRUE(lane(4).track.how.invert);
  const std::uint64_t faults = engine().bus(1).faultCount();
  EXPECT_GT(faults, 100U) << "an inverted console makes no sense";
  pick(4, {u"Invert"_qs});
  EXPECT_EQ(transactionsOf(1).size(), before);
  EXPECT_EQ(engine().bus(1).faultCount(), 0U);
}

TEST_F(Lanes, AGlitchFilterIsKeptForTheNextCapture)
{
  openDemo();
  const std::uint64_t before = transactionsOf(0).frames().size();
  pick(1, {u"Ignore pulses under"_qs, u"50.0 ns"_qs});
  EXPECT_EQ(engine().capture()->channels[0].conditioning.minPulse, 50ns);
  EXPECT_EQ(transactionsOf(0).frames().size(), before) << "there are no such pulses";
  open(demoPath());
  EXPECT_EQ(engine().capture()->channels[0].conditioning.minPulse, 50ns);
  // Longer than any pulse of the clock: what is left is no bus.
  session().setConditioning({engine().capture()->channels[0].path}, {10us, false});
  ASSERT_TRUE(waitIdle());
  EXPECT_GT(engine().bus(0).faultCount(), before);
}

TEST_F(Lanes, AWireInvertedWhileItsBusIsDecodedIsReadInverted)
{
  open(demoPath());
  session().addBus(*parseBusSpec("console=uart,tx=CONSOLE_TX,baud=115200"));
  ASSERT_TRUE(engine().bus(0).decoding);
  session().setConditioning({engine().capture()->channels[2].path}, {Picoseconds{0}, true});
  ASSERT_TRUE(waitIdle());
  EXPECT_TRUE(engine().bus(0).streams.at(0).input.tracks.at(0).how.invert);
  EXPECT_GT(engine().bus(0).faultCount(), 100U);
}

TEST_F(Lanes, TheKeyboardWalksTheLanesAndOpensTheirMenu)
{
  openDemo();
  QWidget& timeline = window().timeline();
  timeline.setFocus();
  QTest::keyClick(&timeline, Qt::Key_Down, Qt::AltModifier);
  QTest::keyClick(&timeline, Qt::Key_Down, Qt::AltModifier);
  QStringList seen;
  QTimer::singleShot(50, &timeline, [&] {
    auto* menu = timeline.findChild<QMenu*>(QStringLiteral("laneMenu"));
    for (QAction* action : menu->actions())
      seen << action->text();
    menu->close();
  });
  QContextMenuEvent byKey(QContextMenuEvent::Keyboard, QPoint(5, 5), view()->mapToGlobal(QPoint(5, 5)));
  QApplication::sendEvent(view(), &byKey);
  EXPECT_TRUE(seen.contains(u"Hide SCL"_qs)) << seen.join(u", "_qs).toStdString();
}

TEST_F(Lanes, PickingALineOfTheLedgerBringsItsLaneIntoView)
{
  openWholeDemo();
  const std::uint64_t last = transactionsOf(5).frames().size() - 1;
  focus().select({streamId(5, 0), last, transactionsOf(5).frames().frame(last).time.begin});
  const auto& lanes = window().timeline().lanes();
  const auto drives = std::find_if(lanes.begin(), lanes.end(), [](const auto& l) { return l.name == u"drives"_qs; });
  ASSERT_NE(drives, lanes.end());
  const int scroll = window().timeline().verticalScrollBar()->value();
  EXPECT_GE(drives->top, scroll);
  EXPECT_LE(drives->bottom(), scroll + view()->height());
}

TEST_F(Lanes, AMenuThatOutlivesItsCaptureDoesNothingToTheNext)
{
  openDemo();
  QMenu menu;
  window().timeline().heads().fillMenu(menu, 1, 0);
  QAction* invert = nullptr;
  for (QAction* action : menu.actions()) {
    if (action->text() == u"Invert"_qs)
      invert = action;
  }
  ASSERT_NE(invert, nullptr);
  // The wires are others now, and one stands at the same place.
  engine().setCapture(longTalk(100), u"talk.vcd"_qs);
  invert->trigger();
  for (const Channel& channel : engine().capture()->channels)
    EXPECT_FALSE(channel.conditioning.any()) << channel.path;
  EXPECT_TRUE(session().value().conditioning.empty());
}
