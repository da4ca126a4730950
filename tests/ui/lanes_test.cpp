// What the user does at the heads of the lanes.
#include <QContextMenuEvent>
#include <QInputDialog>
#include <QLineEdit>
#include <QMenu>
#include <QScrollBar>
#include <QTimer>

#include "support/answers.h"
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

TEST_F(Lanes, AnyWidthCanBeTypedAndWhatIsNoneIsAskedAgain)
{
  openDemo();
  QStringList asked;
  const auto typed = [&](const QStringList& texts) {
    QStringList left = texts;
    QTimer timer;
    QObject::connect(&timer, &QTimer::timeout, &timer, [&] {
      auto* const dialog = qobject_cast<QInputDialog*>(QApplication::activeModalWidget());
      if (dialog == nullptr)
        return;
      asked << dialog->labelText();
      if (left.isEmpty())
        return dialog->reject();
      dialog->setTextValue(left.takeFirst());
      dialog->accept();
    });
    timer.start(30);
    pick(1, {u"Ignore pulses under"_qs, u"Another width …"_qs});
  };
  typed({u"some"_qs, u"2 ms"_qs, u"-1us"_qs, u"70 ns"_qs});
  EXPECT_EQ(lane(1).track.how.minPulse, Picoseconds{70000});
  ASSERT_EQ(asked.size(), 4);
  EXPECT_EQ(asked[0], u"Pulses of SCL shorter than this do not count:"_qs);
  for (int i = 1; i < 4; ++i)
    EXPECT_TRUE(asked[i].startsWith(u"That is no time from 0s to 1ms: write it like 50ns.\n"_qs)) << i;
  typed({});
  EXPECT_EQ(lane(1).track.how.minPulse, Picoseconds{70000}) << "left without an answer";
  typed({u"1ms"_qs});
  EXPECT_EQ(lane(1).track.how.minPulse, Picoseconds{1000000000});
  typed({u"0s"_qs});
  EXPECT_EQ(lane(1).track.how.minPulse, Picoseconds{0});
}

TEST_F(Lanes, ADoubleClickOnTheHeadOfABusOpensItsSettings)
{
  openDemo();
  ASSERT_EQ(editor(0), nullptr);
  QTest::mouseDClick(view(), Qt::LeftButton, {}, head(0));
  EXPECT_NE(editor(0), nullptr);
  QTest::mouseDClick(view(), Qt::RightButton, {}, head(1));
  EXPECT_EQ(view()->findChild<QLineEdit*>(u"laneName"_qs), nullptr) << "the other button names nothing";
}

TEST_F(Lanes, TheWheelOverTheHeadsScrollsAndZoomsNothing)
{
  openWholeDemo();
  const TimeRange before = focus().axis().span();
  const auto roll = [&](QPoint at, Qt::KeyboardModifiers keys) {
    QWheelEvent event(at, view()->mapToGlobal(at), {}, {0, -240}, Qt::NoButton, keys, Qt::NoScrollPhase, false);
    QApplication::sendEvent(view(), &event);
  };
  QScrollBar* const bar = window().timeline().verticalScrollBar();
  ASSERT_GT(bar->maximum(), 240);
  bar->setValue(0);
  roll({30, 100}, Qt::NoModifier);
  EXPECT_EQ(bar->value(), 120);
  roll({ui::kLaneHeader + 100, 100}, Qt::AltModifier);
  EXPECT_EQ(bar->value(), 240);
  EXPECT_EQ(focus().axis().span(), before);
  roll({ui::kLaneHeader + 100, 100}, Qt::NoModifier);
  EXPECT_EQ(bar->value(), 240);
  EXPECT_NE(focus().axis().span(), before) << "beside the heads it zooms";
}

TEST_F(Lanes, UpAndDownSelectTheNeighbourOfTheSelectedLine)
{
  openDemo();
  clickLedger(5);
  const std::uint64_t frame = focus().selection().frame;
  window().timeline().setFocus();
  QTest::keyClick(&window().timeline(), Qt::Key_Down);
  EXPECT_GT(focus().selection().frame, frame);
  QTest::keyClick(&window().timeline(), Qt::Key_Up);
  EXPECT_EQ(focus().selection().frame, frame);
  QTest::keyClick(&window().timeline(), Qt::Key_Up);
  EXPECT_LT(focus().selection().frame, frame);
}

TEST_F(Lanes, AMarkerIsDroppedFromTheMenuOnTheWireThatWasPointedAt)
{
  openDemo();
  focus().show({Picoseconds{0}, Picoseconds{200000000}});
  const ui::TimelineLane& scl = lane(1);
  const EdgeTrack edges = scl.track.track;
  const std::int64_t edge = edges.nextAfter(Picoseconds{50000000}).count();
  const QPoint at(static_cast<int>(window().timeline().xOf(Picoseconds{edge})), ui::kRulerHeight + scl.top + 4);
  const auto ask = [&] {
    QContextMenuEvent event(QContextMenuEvent::Mouse, at, view()->mapToGlobal(at));
    QApplication::sendEvent(view(), &event);
  };
  EXPECT_TRUE(pickedFromMenu(ask, u"Drop a marker here"_qs));
  ASSERT_EQ(session().markers().size(), 1U);
  EXPECT_EQ(session().markers()[0].time, Picoseconds{edge});
  EXPECT_TRUE(session().markers()[0].note.empty());
  EXPECT_TRUE(pickedFromMenu(ask, u"Remove markers"_qs));
  EXPECT_TRUE(session().markers().empty());
  EXPECT_FALSE(pickedFromMenu(ask, u"Remove markers"_qs)) << "there is none to be removed";
}

TEST_F(Lanes, ALineShowsWhereADraggedBusWillStand)
{
  openDemo();
  const ui::LaneHeads& heads = window().timeline().heads();
  EXPECT_LT(heads.dropLine(), 0);
  const auto lineOn = [&](int y) {
    const QImage image = view()->grab().toImage();
    int count = 0;
    for (int x = 0; x < image.width() && ui::kRulerHeight + y < image.height(); ++x)
      count += image.pixelColor(x, ui::kRulerHeight + y) == ui::theme().colours().address ? 1 : 0;
    return count > image.width() * 9 / 10;
  };
  ASSERT_EQ(lane(3).name, u"console"_qs);
  const int below = window().timeline().lanes().back().bottom();
  QTest::mousePress(view(), Qt::LeftButton, {}, head(0));
  QTest::mouseMove(view(), QPoint(30, ui::kRulerHeight + lane(3).top + 4));
  EXPECT_EQ(heads.dropLine(), lane(3).top) << "above the middle of the other bus: before it";
  EXPECT_TRUE(lineOn(lane(3).top));
  QTest::mouseMove(view(), QPoint(30, ui::kRulerHeight + below + 10));
  EXPECT_EQ(heads.dropLine(), below) << "below the last one with all that belongs to it";
  QTest::mouseRelease(view(), Qt::LeftButton, {}, QPoint(30, ui::kRulerHeight + below + 10));
  EXPECT_LT(heads.dropLine(), 0);
  EXPECT_EQ(names().first(), u"console"_qs);
  // Put back where it was, it leaves no line either.
  const QStringList before = names();
  QTest::mousePress(view(), Qt::LeftButton, {}, head(0));
  QTest::mouseMove(view(), QPoint(30, ui::kRulerHeight + below + 10));
  QTest::mouseMove(view(), QPoint(30, ui::kRulerHeight + lane(0).top + 2));
  EXPECT_EQ(heads.dropLine(), lane(0).top);
  QTest::mouseRelease(view(), Qt::LeftButton, {}, QPoint(30, ui::kRulerHeight + lane(0).top + 2));
  EXPECT_EQ(names(), before);
  EXPECT_LT(heads.dropLine(), 0);
  EXPECT_FALSE(lineOn(lane(0).top));
}
