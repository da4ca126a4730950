// A capture that nobody has described yet: what it looks like at first, and how one finds one's way in it.
#include <QCompleter>
#include <QMenu>
#include <QScrollBar>
#include <QToolButton>

#include "core/view/overview.h"
#include "support/window_fixture.h"
#include "ui/timeline/lane_finder.h"
#include "ui/timeline/lane_footer.h"
#include "ui/timeline/timeline_painter.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;
using namespace Qt::StringLiterals;

namespace {

class Unknown : public WindowTest {
 protected:
  /// A number of eight bits that counts from 0 to 40, once a microsecond, and wires beside it.
  static std::shared_ptr<Capture> counter()
  {
    auto capture = std::make_shared<Capture>();
    for (int bit = 7; bit >= 0; --bit) {
      EdgeTrackBuilder builder;
      for (int i = 0; i <= 40; ++i)
        builder.set(i * 1000000, ((i >> bit) & 1) != 0);
      capture->channels.push_back({"top.count[" + std::to_string(bit) + "]", {}, builder.snapshot()});
    }
    capture->vectors = {{"top.count[7:0]", {}, 0, 8}};
    capture->channels.push_back({"top.ready", {}, trackOf(false, {500000, 7500000})});
    capture->channels.push_back({"top.mode", {}, trackOf(true, {})});
    capture->channels.push_back({"top.spare", {}, trackOf(false, {})});
    capture->end = 41us;
    nameChannels(*capture);
    return capture;
  }
  void take(std::shared_ptr<Capture> capture)
  {
    engine().setCapture(std::move(capture), u"unknown.vcd"_s);
    QApplication::processEvents();
  }
  QStringList names()
  {
    QStringList names;
    for (const ui::TimelineLane& lane : window().timeline().lanes())
      names << lane.name;
    return names;
  }
  const ui::TimelineLane& lane(std::size_t i) { return window().timeline().lanes().at(i); }
  QToolButton* button(const char* name) { return window().timeline().findChild<QToolButton*>(QLatin1String(name)); }
  ui::LaneFinder* finder() { return window().timeline().findChild<ui::LaneFinder*>(); }
  QImage timeline() { return window().timeline().viewport()->grab().toImage().convertToFormat(QImage::Format_RGB32); }
  /// Pixels of about that colour in the row of a lane.
  int pixels(const QImage& image, QRect rect, const QColor& colour)
  {
    int count = 0;
    rect = rect.intersected(image.rect());
    for (int y = rect.top(); y <= rect.bottom(); ++y) {
      for (int x = rect.left(); x <= rect.right(); ++x) {
        const QColor c = image.pixelColor(x, y);
        count += std::abs(c.red() - colour.red()) + std::abs(c.green() - colour.green()) +
                             std::abs(c.blue() - colour.blue()) <
                         40
                     ? 1
                     : 0;
      }
    }
    return count;
  }
  void pick(std::size_t i, const QString& submenu, const QString& text)
  {
    QMenu menu;
    window().timeline().heads().fillMenu(menu, static_cast<int>(i), 0);
    QMenu* at = &menu;
    for (QAction* action : menu.actions()) {
      if (!submenu.isEmpty() && action->text() == submenu)
        at = action->menu();
    }
    for (QAction* action : at->actions()) {
      if (action->text() == text) {
        action->trigger();
        return;
      }
    }
    FAIL() << text.toStdString();
  }
};

}  // namespace

TEST_F(Unknown, ANumberIsOneLaneThatOpensToItsBits)
{
  take(counter());
  EXPECT_EQ(names(), (QStringList{u"count[7:0]"_s, u"ready"_s}));
  // A double-click on its head, as a bus opens its settings.
  const QPoint head(40, ui::kRulerHeight + 10);
  QTest::mouseDClick(window().timeline().viewport(), Qt::LeftButton, {}, head);
  ASSERT_EQ(names().size(), 10);
  EXPECT_EQ(names()[1], u"count[7]"_s);
  EXPECT_EQ(names()[8], u"count[0]"_s);
  EXPECT_EQ(names()[9], u"ready"_s);
  session().undo();
  EXPECT_EQ(names().size(), 2);
  pick(0, {}, u"Show its bits"_s);
  EXPECT_EQ(names().size(), 10);
  pick(0, {}, u"Put its bits away"_s);
  EXPECT_EQ(names().size(), 2);
}

TEST_F(Unknown, ANumberSaysItsValueInTheChosenFormat)
{
  take(counter());
  focus().show({0us, 12us});
  const auto valueAt = [&](Picoseconds t) {
    const QImage image = timeline();
    const int left = static_cast<int>(window().timeline().xOf(t));
    return image.copy(left + 3, ui::kRulerHeight + 4, 46, 28);
  };
  const QImage ten = valueAt(10us);
  EXPECT_NE(ten, valueAt(9us)) << "0A and 09";
  // The text itself is pinned by the core; here it changes with the format and comes back.
  pick(0, u"Show values as"_s, u"decimal"_s);
  EXPECT_EQ(lane(0).format, ValueFormat::Decimal);
  EXPECT_NE(valueAt(10us), ten);
  session().undo();
  EXPECT_EQ(valueAt(10us), ten);
  // A rule where it changes, none in between.
  const QImage image = timeline();
  const QColor payload = ui::theme().colours().payload;
  const auto ruleAt = [&](Picoseconds t) {
    return pixels(image, QRect(static_cast<int>(window().timeline().xOf(t)), ui::kRulerHeight + 10, 2, 16), payload);
  };
  EXPECT_GT(ruleAt(3us), 12);
  EXPECT_EQ(ruleAt(3500ns), 0);
}

TEST_F(Unknown, MarkersSnapToTheChangesOfANumber)
{
  take(counter());
  focus().show({0us, 12us});
  QWidget* view = window().timeline().viewport();
  QTest::mouseMove(view, {static_cast<int>(window().timeline().xOf(5us)) + 3, ui::kRulerHeight + 14});
  QTest::keyClick(&window().timeline(), Qt::Key_M);
  ASSERT_EQ(session().markers().size(), 1U);
  EXPECT_EQ(session().markers()[0].time, 5us);
  EXPECT_EQ(session().markers()[0].edge, "count[7:0] changes");
  // A double-click zooms to the stretch in which it has one value.
  QTest::mouseDClick(view, Qt::LeftButton, {},
                     {static_cast<int>(window().timeline().xOf(7500ns)), ui::kRulerHeight + 14});
  EXPECT_LT(focus().axis().span().length(), 2us);
  EXPECT_LT(focus().axis().span().begin, 7us);
  EXPECT_GT(focus().axis().span().end, 8us);
}

TEST_F(Unknown, TheLikelyProtocolIsOfferedFirst)
{
  auto capture = std::make_shared<Capture>();
  capture->channels = {{"top.SCL", {}, trackOf(true, {1000000})}, {"top.SDA", {}, trackOf(true, {500000})}};
  capture->end = 10us;
  nameChannels(*capture);
  take(capture);
  QTest::keyClick(&window(), Qt::Key_A);
  auto* const menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
  ASSERT_NE(menu, nullptr);
  ASSERT_NE(menu->activeAction(), nullptr);
  EXPECT_EQ(menu->activeAction()->text(), u"I2C"_s);
  QTest::keyClick(menu, Qt::Key_Return);
  ASSERT_EQ(engine().busCount(), 1);
  EXPECT_EQ(engine().bus(0).wanted.channelOf("sda"), "SDA");
}

TEST_F(Unknown, WhatNeverChangesIsFoldedTogetherAndComesLast)
{
  take(counter());
  QToolButton* still = button("stillWires");
  ASSERT_TRUE(still->isVisible());
  EXPECT_EQ(still->text(), u"2 channels that never change: show them"_s);
  QTest::mouseClick(still, Qt::LeftButton);
  EXPECT_EQ(names(), (QStringList{u"count[7:0]"_s, u"ready"_s, u"mode"_s, u"spare"_s}));
  EXPECT_EQ(still->text(), u"2 channels that never change: put them away"_s);
  QTest::mouseClick(still, Qt::LeftButton);
  EXPECT_EQ(names().size(), 2);
  // Where nothing moves, they are all there is.
  auto quiet = std::make_shared<Capture>();
  quiet->channels = {{"a", "a", trackOf(false, {})}, {"b", "b", trackOf(true, {})}};
  quiet->end = 5s;
  take(quiet);
  EXPECT_EQ(names(), (QStringList{u"a"_s, u"b"_s}));
  EXPECT_FALSE(still->isVisible());
  EXPECT_EQ(focus().axis().span(), engine().whole());
}

TEST_F(Unknown, AChannelIsFoundByTypingAPartOfItsName)
{
  auto wide = counter();
  for (int i = 0; i < 300; ++i)
    wide->channels.push_back({"block.net_" + std::to_string(i), {}, wide->channels[8].track});
  nameChannels(*wide);
  take(wide);
  ASSERT_NE(finder(), nullptr);
  EXPECT_TRUE(finder()->isVisible()) << "there are many";
  EXPECT_EQ(names().size(), static_cast<qsizetype>(ui::kMostLooseWires));
  QTest::keyClick(&window(), Qt::Key_L);
  ASSERT_TRUE(finder()->hasFocus());
  QTest::keyClicks(finder(), u"NET_29"_s);
  EXPECT_EQ(names().size(), 11) << "29 and 290 to 299, though they had no lane before";
  EXPECT_EQ(names()[0], u"net_29"_s);
  // Wires that never change are found too, and one bit of a number.
  finder()->setText(u"spare"_s);
  EXPECT_EQ(names(), QStringList{u"spare"_s});
  finder()->setText(u"count[3]"_s);
  EXPECT_EQ(names(), QStringList{u"count[3]"_s});
  finder()->setText(u"net"_s);
  EXPECT_EQ(names().size(), static_cast<qsizetype>(ui::kMostLooseWires));
  EXPECT_EQ(button("moreWires")->text(), u"236 more fit: show them"_s);
  finder()->setText(u"nowhere"_s);
  EXPECT_TRUE(names().isEmpty());
  // Return leaves what was found, Escape brings all back.
  finder()->setText(u"spare"_s);
  QTest::keyClick(finder(), Qt::Key_Return);
  EXPECT_TRUE(window().timeline().hasFocus());
  EXPECT_EQ(names().size(), 1);
  QTest::keyClick(&window(), Qt::Key_L);
  QTest::keyClick(finder(), Qt::Key_Escape);
  EXPECT_TRUE(window().timeline().hasFocus());
  EXPECT_EQ(names().size(), static_cast<qsizetype>(ui::kMostLooseWires));
  // What was looked for in one capture hides nothing of the next.
  finder()->setText(u"spare"_s);
  take(counter());
  EXPECT_EQ(names().size(), 2);
}

TEST_F(Unknown, ABusIsFoundByItsNameOrByOneOfItsWires)
{
  openDemo();
  QTest::keyClick(&window(), Qt::Key_L);
  ASSERT_TRUE(finder()->isVisible()) << "asked for, though there are few";
  finder()->setText(u"console"_s);
  EXPECT_EQ(names(), (QStringList{u"console"_s, u"CONSOLE_TX"_s}));
  finder()->setText(u"sda"_s);
  EXPECT_EQ(names(), (QStringList{u"sensors"_s, u"SDA"_s}));
  // Also where they were put away.
  window().timeline().heads().toggleWires();
  EXPECT_EQ(names(), (QStringList{u"sensors"_s, u"SDA"_s}));
  QTest::keyClick(finder(), Qt::Key_Escape);
  EXPECT_FALSE(finder()->isVisible());
  EXPECT_EQ(names(), (QStringList{u"sensors"_s, u"console"_s}));
}

TEST_F(Unknown, TheChoicesOfACardAreSearchedByAnyPartOfAName)
{
  auto wide = counter();
  for (int i = 0; i < 3000; ++i)
    wide->channels.push_back({"block.net_" + std::to_string(i), {}, wide->channels[8].track});
  nameChannels(*wide);
  take(wide);
  session().addBus(*parseBusSpec("u=uart,rx=ready,baud=9600"));
  ASSERT_TRUE(waitIdle());
  openSettings(0);
  QComboBox* rx = setting(0, "rx");
  ASSERT_NE(rx, nullptr);
  QCompleter* completer = rx->completer();
  completer->setCompletionPrefix(u"T_299"_s);
  QStringList offered;
  for (int i = 0; completer->setCurrentRow(i); ++i)
    offered << completer->currentCompletion();
  EXPECT_EQ(offered.size(), 11);
  EXPECT_EQ(offered[0], u"net_299"_s);
  EXPECT_EQ(completer->completionMode(), QCompleter::PopupCompletion) << "what is typed stays what is typed";
}

TEST_F(Unknown, TheOverviewShowsWhatTheWiresDoAsLongAsThereIsNoBus)
{
  take(counter());
  ui::OverviewStrip& overview = window().overview();
  ASSERT_EQ(overview.spokenRows(), 7) << "bits 7 and 6 never change, nor do mode and spare";
  EXPECT_EQ(overview.spokenText(0, 0), u"wire count[5], 1 transition"_s);
  EXPECT_EQ(overview.spokenText(6, 0), u"wire ready, 2 transitions"_s);
  focus().showEverything();  // so that the frame of what is in view stands at the ends
  const QImage image = overview.grab().toImage().convertToFormat(QImage::Format_RGB32);
  const auto dark = [&](int row) {
    const QRect rect = overview.spokenRect(row, 0);
    int count = 0;
    for (int x = rect.left() + 4; x <= rect.right() - 4; ++x)
      count += image.pixelColor(x, rect.center().y()).lightness() < 215 ? 1 : 0;
    return count;
  };
  EXPECT_EQ(dark(0), 1) << "count[5] changes once";
  EXPECT_GE(dark(5), 35) << "count[0] changes forty times";
  // As soon as there is a bus, it is about buses.
  session().addBus(*parseBusSpec("u=uart,rx=ready,baud=9600"));
  ASSERT_TRUE(waitIdle());
  EXPECT_EQ(overview.spokenRows(), 1);
  EXPECT_TRUE(overview.spokenText(0, 0).startsWith(u"u, "_s));
  session().undo();
  EXPECT_EQ(overview.spokenRows(), 7);
}

TEST_F(Unknown, WFoldsAllWiresSoThatEveryBusIsSeenAtOnce)
{
  openWholeDemo();
  const std::size_t before = window().timeline().lanes().size();
  QTest::keyClick(&window(), Qt::Key_W);
  std::size_t buses = 0;
  for (const ui::TimelineLane& l : window().timeline().lanes()) {
    EXPECT_EQ(l.kind, ui::TimelineLane::Kind::Bus) << l.name.toStdString();
    EXPECT_EQ(l.height, ui::kFoldedBusHeight);
    ++buses;
  }
  EXPECT_EQ(buses, 7U) << "six buses, one of them with two directions";
  EXPECT_LE(ui::kRulerHeight + window().timeline().lanes().back().bottom(), window().timeline().viewport()->height());
  EXPECT_EQ(window().timeline().verticalScrollBar()->maximum(), 0);
  QToolButton* folded = button("foldedWires");
  EXPECT_EQ(folded->text(), u"2 wires are folded away: show them"_s)
      << "the lamps' and the bearings' buses were not set up";
  // Its sentence is still there.
  focus().show(spanAround(transactionsOf(0).timeOf(3), 0.5));
  const QImage image = timeline();
  const int x = static_cast<int>(window().timeline().xOf(transactionsOf(0).timeOf(3).begin));
  EXPECT_GT(pixels(image, QRect(x, ui::kRulerHeight, 200, ui::kFoldedBusHeight), ui::theme().colours().address), 20);
  // One that is opened again has its tiers, and then W folds once more.
  window().timeline().heads().setFolded(lane(0), false);
  EXPECT_EQ(lane(0).height, ui::kBusLaneHeight);
  EXPECT_EQ(lane(1).name, u"SCL"_s);
  QTest::keyClick(&window(), Qt::Key_W);
  EXPECT_EQ(window().timeline().lanes().size(), 7U);
  QTest::keyClick(&window(), Qt::Key_W);
  EXPECT_EQ(window().timeline().lanes().size(), before);
  session().undo();
  EXPECT_EQ(window().timeline().lanes().size(), 7U) << "it is one step";
}

TEST_F(Unknown, ABusIsAddedWithoutAMouse)
{
  QTest::keyClick(&window(), Qt::Key_A);
  EXPECT_EQ(QApplication::activePopupWidget(), nullptr) << "there is no capture yet";
  open(demoPath());
  QTest::keyClick(&window(), Qt::Key_A);
  QWidget* const menu = QApplication::activePopupWidget();
  ASSERT_NE(menu, nullptr);
  QTest::keyClick(menu, Qt::Key_Down);
  QTest::keyClick(menu, Qt::Key_Return);
  ASSERT_TRUE(waitIdle());
  ASSERT_EQ(engine().busCount(), 1);
  EXPECT_TRUE(engine().bus(0).wanted.isOf(i2cProtocol())) << "the second of the list";
  EXPECT_NE(editor(0), nullptr) << "its settings are open";
  EXPECT_GT(engine().bus(0).frameCount(), 1000U);
}

TEST_F(Unknown, WithoutABusThereIsNothingThatWCouldLeave)
{
  take(counter());
  QTest::keyClick(&window(), Qt::Key_W);
  EXPECT_EQ(names().size(), 2);
}

TEST_F(Unknown, ALeadHasTheColourOfItsProbe)
{
  openDemo();
  const auto chip = [&](const QImage& image, WireColour colour) {
    const ui::TimelineLane& scl = lane(1);
    return pixels(image, QRect(2, ui::kRulerHeight + scl.top + 10, 8, scl.height - 20), ui::wireColour(colour));
  };
  EXPECT_EQ(chip(timeline(), WireColour::Red), 0);
  const QImage before = timeline().copy(60, ui::kRulerHeight + lane(1).top, 34, 34);
  pick(1, u"Colour of the lead"_s, u"RD  red"_s);
  EXPECT_EQ(lane(1).colour, WireColour::Red);
  EXPECT_GT(chip(timeline(), WireColour::Red), 30);
  EXPECT_NE(timeline().copy(60, ui::kRulerHeight + lane(1).top, 34, 34), before) << "and its letters";
  // It belongs to the wire: another capture with that wire has it, and so has another bus on it.
  open(demoPath());
  EXPECT_EQ(lane(1).colour, WireColour::Red);
  pick(1, u"Colour of the lead"_s, u"As at first"_s);
  EXPECT_EQ(lane(1).colour, std::nullopt);
  session().undo();
  EXPECT_EQ(lane(1).colour, WireColour::Red);
}

TEST_F(Unknown, AFileThatIsFollowedShowsItsFirstStretchWhenItHasOne)
{
  const std::string head = "$timescale 1 us $end $var wire 1 ! d $end $enddefinitions $end\n#0\n0!\n";
  const QString path = fileWith(u"growing.vcd"_s, head);
  engine().source().follow(path);
  ASSERT_TRUE(waitFor([&] { return engine().capture() != nullptr; }));
  {
    std::ofstream more(path.toStdString(), std::ios::app);
    for (int i = 0; i < 200; ++i)
      more << "#" << 900000 + i * 50 << "\n" << (i % 2 == 0 ? 1 : 0) << "!\n";
    more << "#2000000\n";
  }
  ASSERT_TRUE(waitFor([&] { return engine().whole().end > 900ms; }));
  QApplication::processEvents();
  EXPECT_GT(focus().axis().span().begin, 890ms);
  EXPECT_LT(focus().axis().span().length(), 20ms);
  engine().source().end();
  ASSERT_TRUE(waitFor([&] { return !engine().isLive(); }));
}

TEST_F(Unknown, WhatStandsBelowTheLanesGoesWithThem)
{
  Capture capture;
  for (int i = 0; i < 60; ++i) {
    const std::string name = "w" + std::to_string(i);
    const std::vector<std::int64_t> edges =
        i < 50 ? std::vector<std::int64_t>{1000000 + i, 2000000} : std::vector<std::int64_t>();
    capture.channels.push_back({name, name, trackOf(false, edges)});
  }
  nameChannels(capture);
  capture.end = Picoseconds{3000000};
  take(std::make_shared<Capture>(std::move(capture)));
  ui::TimelineView& timeline = window().timeline();
  const auto* const footer = timeline.findChild<ui::LaneFooter*>();
  ASSERT_NE(footer, nullptr);
  const auto place = [&] {
    return ui::kRulerHeight + timeline.lanes().back().bottom() - timeline.verticalScrollBar()->value();
  };
  ASSERT_TRUE(footer->isVisible()) << "ten wires never change";
  EXPECT_EQ(footer->y(), place());
  ASSERT_GT(timeline.verticalScrollBar()->maximum(), 100);
  timeline.verticalScrollBar()->setValue(100);
  EXPECT_EQ(footer->y(), place());
  timeline.verticalScrollBar()->setValue(timeline.verticalScrollBar()->maximum());
  EXPECT_EQ(footer->y(), place());
  EXPECT_LT(footer->geometry().bottom(), timeline.viewport()->height()) << "at the end it is seen";
}
