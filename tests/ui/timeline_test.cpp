#include <QSignalSpy>
#include <QWheelEvent>

#include "support/window_fixture.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

class Timeline : public WindowTest {
 protected:
  QWidget* view() { return window().timeline().viewport(); }
  void wheel(QWidget* on, QPoint at, int delta, Qt::KeyboardModifiers modifiers = {})
  {
    QWheelEvent event(at, on->mapToGlobal(at), {}, {0, delta}, Qt::NoButton, modifiers, Qt::NoScrollPhase, false);
    QApplication::sendEvent(on, &event);
  }
  void drag(QWidget* on, QPoint from, QPoint to)
  {
    QTest::mousePress(on, Qt::LeftButton, {}, from);
    QTest::mouseMove(on, (from + to) / 2);
    QTest::mouseMove(on, to);
    QTest::mouseRelease(on, Qt::LeftButton, {}, to);
  }
};

}  // namespace

TEST_F(Timeline, HasALaneForEachBusAndItsWires)
{
  openDemo();
  QStringList names;
  for (const ui::TimelineLane& lane : window().timeline().lanes())
    names << lane.name;
  EXPECT_EQ(names, (QStringList{u"sensors"_qs, u"SCL"_qs, u"SDA"_qs, u"console"_qs, u"CONSOLE_TX"_qs}));
  session().removeBus(id(0));
  names.clear();
  for (const ui::TimelineLane& lane : window().timeline().lanes())
    names << lane.name;
  EXPECT_EQ(names, (QStringList{u"console"_qs, u"CONSOLE_TX"_qs, u"SCL"_qs, u"SDA"_qs})) << "wires of no bus come last";
}

TEST_F(Timeline, TheWheelZoomsAtThePointer)
{
  openDemo();
  const QPoint at(400, 100);
  const Picoseconds under = focus().axis().timeAt(400 - ui::kLaneHeader);
  const double before = focus().axis().picosecondsPerPixel();
  wheel(view(), at, 240);
  EXPECT_LT(focus().axis().picosecondsPerPixel(), before);
  EXPECT_LE(std::chrono::abs(focus().axis().timeAt(400 - ui::kLaneHeader) - under), Picoseconds{2});
}

TEST_F(Timeline, ShiftWheelAndDragPanAndDoNotSelect)
{
  openDemo();
  focus().show({100ms, 101ms});
  const double scale = focus().axis().picosecondsPerPixel();
  wheel(view(), {400, 100}, -120, Qt::ShiftModifier);
  EXPECT_GT(focus().axis().span().begin, Picoseconds(100ms));
  focus().show({100ms, 101ms});
  drag(view(), {500, 60}, {400, 60});
  EXPECT_NEAR(focus().axis().xOf(100ms), -100.0, 1.5);
  EXPECT_DOUBLE_EQ(focus().axis().picosecondsPerPixel(), scale);
  EXPECT_FALSE(focus().selection().valid());
}

TEST_F(Timeline, KeysPanAndZoom)
{
  openDemo();
  window().timeline().setFocus();
  const Picoseconds begin = focus().axis().span().begin;
  const double scale = focus().axis().picosecondsPerPixel();
  QTest::keyClick(&window().timeline(), Qt::Key_Plus);
  EXPECT_LT(focus().axis().picosecondsPerPixel(), scale);
  QTest::keyClick(&window().timeline(), Qt::Key_Right);
  EXPECT_GT(focus().axis().span().begin, begin);
  QTest::keyClick(&window().timeline(), Qt::Key_End);
  EXPECT_GE(focus().axis().span().end, engine().whole().end);
  QTest::keyClick(&window(), Qt::Key_0);
  EXPECT_EQ(focus().axis().span(), engine().whole()) << "all of it, and no more than that";
  QTest::keyClick(&window().timeline(), Qt::Key_Minus);
  EXPECT_EQ(focus().axis().span(), engine().whole());
}

TEST_F(Timeline, MarkersSnapToEdgesAndSayWhich)
{
  openDemo();
  focus().show({1200us, 1260us});
  const EdgeTrack& scl = engine().capture()->channels[0].track;
  const Picoseconds falls = scl.at(0);
  const Picoseconds rises = scl.at(1);
  const int y = ui::kRulerHeight + ui::kBusLaneHeight + 10;
  for (const Picoseconds edge : {falls, rises}) {
    QTest::mouseMove(view(), {static_cast<int>(window().timeline().xOf(edge)) + 2, y});
    window().timeline().dropMarker();
  }
  ASSERT_EQ(session().markers().size(), 2U);
  EXPECT_EQ(session().markers()[0].time, falls);
  EXPECT_EQ(session().markers()[0].edge, "SCL falls");
  EXPECT_EQ(session().markers()[1].time, rises);
}

TEST_F(Timeline, TheWireUnderThePointerTakesTheMarkerAndElseTheNearest)
{
  auto capture = std::make_shared<Capture>();
  capture->channels = {{"a", "a", trackOf(false, {500'000'000, 900'000'000})},
                       {"b", "b", trackOf(false, {503'000'000, 907'000'000})},
                       {"c", "c", trackOf(false, {505'000'000, 904'000'000})}};
  capture->end = 1ms;
  engine().setCapture(capture, QStringLiteral("three"));
  ASSERT_TRUE(waitIdle());
  const auto& timeline = window().timeline();
  ASSERT_EQ(timeline.lanes().size(), 3U);
  ASSERT_LT(timeline.xOf(505us) - timeline.xOf(500us), 8.0) << "each is near enough for each";
  const auto x = [&](Picoseconds t) { return static_cast<int>(std::lround(timeline.xOf(t))); };
  for (const auto& [lane, at] : {std::pair{1U, 500us}, {0U, 503us}, {2U, 500us}}) {
    const ui::TimelineLane& on = timeline.lanes()[lane];
    QTest::mouseMove(view(), {x(at), ui::kRulerHeight + on.top + on.height / 2});
    window().timeline().dropMarker();
  }
  ASSERT_EQ(session().markers().size(), 3U);
  EXPECT_EQ(session().markers()[0].edge, "b rises");
  EXPECT_EQ(session().markers()[1].edge, "a rises");
  EXPECT_EQ(session().markers()[2].edge, "c rises");
  // A flag is dragged over no wire.
  session().clearMarkers();
  session().addMarker(100us);
  int from = x(100us);
  for (const Picoseconds edge : {503us, 500us, 505us, 904us}) {
    drag(view(), {from, 8}, {x(edge), 8});
    EXPECT_EQ(session().markers()[0].time, edge);
    from = x(edge);
  }
}

TEST_F(Timeline, AMarkersFlagIsDraggedFromEdgeToEdge)
{
  openDemo();
  focus().show({1200us, 1260us});
  const EdgeTrack& scl = engine().capture()->channels[0].track;
  session().addMarker(1205us);
  session().addMarker(scl.at(4), QStringLiteral("SCL falls"));
  const int from = static_cast<int>(window().timeline().xOf(1205us));
  const int to = static_cast<int>(window().timeline().xOf(scl.at(2))) - 3;
  drag(view(), {from, 8}, {to, 8});
  EXPECT_EQ(session().markers()[0].time, scl.at(2)) << "three pixels beside the edge is on it";
  EXPECT_EQ(session().markers()[0].edge, "SCL falls");
  const QString text = window().markerText();
  EXPECT_TRUE(text.contains(QStringLiteral("µs"))) << text.toStdString();
  EXPECT_TRUE(text.contains(QStringLiteral("kHz"))) << text.toStdString();
  QTest::keyClick(&window(), Qt::Key_M, Qt::ShiftModifier);
  EXPECT_EQ(window().markerText(), QString());
}

TEST_F(Timeline, TheOverviewsWindowIsTheVisibleSpan)
{
  openDemo();
  focus().show({2s, 4s});
  ui::OverviewStrip& overview = window().overview();
  const QRectF before = overview.windowRect();
  EXPECT_NEAR(before.width() / before.left(), 2.0 / 3.0, 0.5);
  drag(&overview, before.center().toPoint(), before.center().toPoint() + QPoint(60, 0));
  EXPECT_NEAR(overview.windowRect().left() - before.left(), 60.0, 2.0);
  EXPECT_NEAR(overview.windowRect().width(), before.width(), 1.0);
  const QRectF moved = overview.windowRect();
  drag(&overview, {static_cast<int>(moved.right()), 20}, {static_cast<int>(moved.right()) + 40, 20});
  EXPECT_NEAR(overview.windowRect().width(), moved.width() + 40.0, 3.0);
}

TEST_F(Timeline, EveryZoomPaintsWithoutHarm)
{
  openDemo();
  clickLedger(4);
  for (double length = 100.0; length < 2e13; length *= 3.0) {
    focus().show(
        {focus().selectedTime().begin, focus().selectedTime().begin + Picoseconds{static_cast<std::int64_t>(length)}});
    EXPECT_FALSE(window().grab().isNull());
  }
}

TEST_F(Timeline, DarkAndLightBothPaint)
{
  openDemo();
  clickLedger(0);
  const QImage light = window().grab().toImage();
  ui::theme().apply(ui::ThemeMode::Dark);
  const QImage dark = window().grab().toImage();
  ui::theme().apply(ui::ThemeMode::Light);
  const auto mean = [](const QImage& image) {
    return qGray(image.scaled(1, 1, Qt::IgnoreAspectRatio, Qt::SmoothTransformation).pixel(0, 0));
  };
  EXPECT_GT(mean(light), 200);
  EXPECT_LT(mean(dark), 80);
}
