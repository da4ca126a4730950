// The Timeline, its lanes' heads and the Overview, step by step on record: see support/on_record.h.
#include <QLineEdit>
#include <QScrollBar>

#include "support/on_record.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;
using namespace Qt::StringLiterals;

namespace {

class TimelineWalk : public OnRecord {
 protected:
  void SetUp() override
  {
    WindowTest::SetUp();
    window().resize(1000, 700);
    openDemo();
    focus().show({transactionsOf(0).timeOf(3).begin - 20us, transactionsOf(0).timeOf(3).end + 80us});
    lookAt(window().timeline());
  }
  QWidget& view() { return *window().timeline().viewport(); }
  QPoint head(std::size_t lane)
  {
    const ui::TimelineLane& l = window().timeline().lanes().at(lane);
    return {40, ui::kRulerHeight + l.top + l.height / 2 - window().timeline().verticalScrollBar()->value()};
  }
  QPoint at(std::size_t lane, int x) { return {x, head(lane).y()}; }
  int xOf(Picoseconds t) { return static_cast<int>(window().timeline().xOf(t)); }
  Picoseconds begin() { return transactionsOf(0).timeOf(3).begin; }
};

class OverviewWalk : public OnRecord {
 protected:
  void SetUp() override
  {
    WindowTest::SetUp();
    window().resize(1000, 700);
    openWholeDemo();
    lookAt(window().overview());
  }
};

}  // namespace

TEST_F(TimelineWalk, WheelDragAndKeysMoveTheView)
{
  whole(u"an exchange"_s);
  wheel(u"in"_s, view(), at(0, 300), {0, 120});
  wheel(u"out, twice"_s, view(), at(0, 300), {0, -240});
  wheel(u"sideways"_s, view(), at(0, 300), {0, 120}, Qt::ShiftModifier);
  wheel(u"a touchpad, sideways"_s, view(), at(0, 300), {60, 10});
  wheel(u"down the lanes"_s, view(), at(0, 300), {0, -120}, Qt::ControlModifier);
  drag(u"panned"_s, view(), at(0, 400), at(0, 300));
  window().timeline().setFocus();
  keys(u"right"_s, {Qt::Key_Right});
  keys(u"left, twice"_s, {Qt::Key_Left, Qt::Key_Left});
  keys(u"plus"_s, {Qt::Key_Plus});
  keys(u"minus, twice"_s, {Qt::Key_Minus, Qt::Key_Minus});
  keys(u"home"_s, {Qt::Key_Home});
  keys(u"end"_s, {Qt::Key_End});
  keys(u"back"_s, {Qt::ALT | Qt::Key_Left});
  keys(u"everything"_s, {Qt::Key_0});
}

TEST_F(TimelineWalk, TheFieldsAtEachZoom)
{
  for (const auto span : {2us, 9us, 30us, 90us, 400us, 5000us, 90000us}) {
    step(u"%1 us"_s.arg(span.count()), [&] { focus().show({begin() - span / 4, begin() + span}); });
  }
  step(u"characters near"_s, [&] {
    const Picoseconds t = transactionsOf(1).timeOf(2).begin;
    focus().show({t - 20us, t + 200us});
    window().timeline().verticalScrollBar()->setValue(window().timeline().verticalScrollBar()->maximum());
  });
  step(u"characters far"_s, [&] { focus().show({begin() - 5ms, begin() + 5ms}); });
}

TEST_F(TimelineWalk, ThePointerSaysWhatIsBelowIt)
{
  hover(u"on a bus"_s, view(), at(0, xOf(begin() + 30us)));
  put(window().findChild<QLabel*>(u"markers"_s)->text());
  hover(u"on a wire"_s, view(), at(1, xOf(begin() + 50us)));
  hover(u"on a head"_s, view(), head(1));
  hover(u"at its lower edge"_s, view(), {40, ui::kRulerHeight + window().timeline().lanes().at(2).top - 1});
  hover(u"on the ruler"_s, view(), {300, 8});
  for (const int lane : {0, 1, 3})
    rest(u"resting on lane %1"_s.arg(lane), view(), at(static_cast<std::size_t>(lane), xOf(begin() + 30us)));
  rest(u"resting on a head"_s, view(), head(0));
  rest(u"resting on the ruler"_s, view(), {300, 8});
  step(u"gone"_s, [&] { leave(view()); });
}

TEST_F(TimelineWalk, AClickPicksAndADoubleClickZooms)
{
  click(u"a transaction"_s, view(), {xOf(begin() + 30us), ui::kRulerHeight + 14});
  click(u"a byte of it"_s, view(), {xOf(begin() + 60us), ui::kRulerHeight + 40});
  click(u"the next byte"_s, view(), {xOf(begin() + 95us), ui::kRulerHeight + 40});
  click(u"a wire, where nothing is said"_s, view(), at(1, xOf(begin() - 15us)));
  step(u"double-click"_s, [&] {
    QTest::mouseDClick(&view(), Qt::LeftButton, {}, {xOf(begin() + 30us), ui::kRulerHeight + 14});
  });
  keys(u"next of the list"_s, {Qt::Key_Down});
  keys(u"zoom to it"_s, {Qt::Key_Z});
  menu(u"of a transaction"_s, view(), {300, ui::kRulerHeight + 14});
}

TEST_F(TimelineWalk, MarkersAreDroppedDraggedAndNoted)
{
  hover(u"the pointer"_s, view(), at(1, 300));
  window().timeline().setFocus();
  keys(u"a marker"_s, {Qt::Key_M});
  hover(u"the pointer further"_s, view(), at(1, 500));
  keys(u"another"_s, {Qt::Key_M});
  put(window().markerText());
  const int flag = xOf(session().markers().front().time);
  hover(u"over its flag"_s, view(), {flag + 3, 10});
  rest(u"resting on its flag"_s, view(), {flag + 3, 10});
  drag(u"dragged"_s, view(), {flag + 3, 10}, {flag + 60, 10});
  put(window().markerText());
  click(u"on the flag"_s, view(), {xOf(session().markers().back().time) + 2, 10});
  menu(u"of a flag"_s, view(), {xOf(session().markers().back().time) + 2, 10});
  step(u"a note"_s, [&] {
    session().addNote(id(0), begin(), u"begins here"_s);
    session().setNote(session().markers().front().id, u"the clock"_s);
  });
  keys(u"undone"_s, {Qt::CTRL | Qt::Key_Z});
  keys(u"none"_s, {Qt::SHIFT | Qt::Key_M});
}

TEST_F(TimelineWalk, HeadsMoveResizeNameFoldHide)
{
  drag(u"SDA above SCL"_s, view(), head(2), head(1) - QPoint(0, 14));
  drag(u"the console on top"_s, view(), head(3), head(0) - QPoint(0, 30));
  const auto edge = [&](std::size_t lane) {
    const ui::TimelineLane& l = window().timeline().lanes().at(lane);
    return QPoint(40, ui::kRulerHeight + l.top + l.height - 1);
  };
  drag(u"higher"_s, view(), edge(0), edge(0) + QPoint(0, 25));
  step(u"a double-click on a wire's head"_s, [&] { QTest::mouseDClick(&view(), Qt::LeftButton, {}, head(1)); });
  step(u"typed"_s, [&] {
    auto* const edit = view().findChild<QLineEdit*>(u"laneName"_s);
    ASSERT_NE(edit, nullptr);
    edit->selectAll();
    QTest::keyClicks(edit, u"clock at J7"_s);
    QTest::keyClick(edit, Qt::Key_Return);
  });
  window().timeline().setFocus();
  keys(u"wires away"_s, {Qt::Key_W});
  keys(u"and back"_s, {Qt::Key_W});
  keys(u"down the lanes"_s, {Qt::ALT | Qt::Key_Down, Qt::ALT | Qt::Key_Down});
  step(u"one hidden, one folded"_s, [&] {
    window().timeline().heads().setHidden(window().timeline().lanes().at(1), true);
    window().timeline().heads().setFolded(window().timeline().lanes().at(0), true);
  });
  step(u"as at first"_s, [&] { window().timeline().heads().reset(); });
}

TEST_F(TimelineWalk, MenusOfHeads)
{
  menu(u"of a bus"_s, view(), head(0));
  menu(u"of a wire"_s, view(), head(1));
  menu(u"below the lanes"_s, view(), {40, view().height() - 3});
  menu(u"inverted"_s, view(), head(1), u"Invert"_s);
  menu(u"of an inverted wire"_s, view(), head(1));
  menu(u"hidden"_s, view(), head(2), u"Hide"_s);
  menu(u"with a hidden one"_s, view(), head(0));
  menu(u"back"_s, view(), head(0), u"All"_s);
}

TEST_F(TimelineWalk, AChannelIsFoundByItsName)
{
  window().timeline().setFocus();
  keys(u"asked"_s, {Qt::Key_L});
  step(u"typed"_s, [&] { QTest::keyClicks(keyboard(), u"conso"_s); });
  keys(u"taken"_s, {Qt::Key_Return});
  keys(u"asked again"_s, {Qt::Key_L});
  step(u"a bus keeps all its wires"_s, [&] { QTest::keyClicks(keyboard(), u"sens"_s); });
  step(u"a wire stays alone"_s, [&] {
    qobject_cast<QLineEdit*>(keyboard())->selectAll();
    QTest::keyClicks(keyboard(), u"sd"_s);
  });
  step(u"nothing fits"_s, [&] { QTest::keyClicks(keyboard(), u"xyz"_s); });
  keys(u"left"_s, {Qt::Key_Escape});
}

TEST_F(OverviewWalk, ClickDragWheelAndKeysMoveTheWindow)
{
  QWidget& strip = window().overview();
  whole(u"the lock cycle"_s);
  step(u"a second of it"_s, [&] { focus().show({3s, 4s}); });
  click(u"a click"_s, strip, {500, 40});
  drag(u"the window dragged"_s, strip, {500, 40}, {600, 40});
  wheel(u"wheel in"_s, strip, {600, 40}, {0, 240});
  wheel(u"wheel out"_s, strip, {600, 40}, {0, -480});
  const QRectF shown = window().overview().windowRect();
  const int middle = static_cast<int>(shown.center().y());
  hover(u"on its left grip"_s, strip, {static_cast<int>(shown.left()), middle});
  drag(u"its left side"_s, strip, {static_cast<int>(shown.left()), middle},
       {static_cast<int>(shown.left()) - 60, middle});
  const QRectF wider = window().overview().windowRect();
  drag(u"its right side"_s, strip, {static_cast<int>(wider.right()), middle},
       {static_cast<int>(wider.right()) + 50, middle});
  strip.setFocus();
  keys(u"right"_s, {Qt::Key_Right});
  keys(u"left"_s, {Qt::Key_Left});
  keys(u"plus"_s, {Qt::Key_Plus});
  keys(u"minus"_s, {Qt::Key_Minus});
  keys(u"home"_s, {Qt::Key_Home});
  keys(u"end"_s, {Qt::Key_End});
  step(u"with matches"_s, [&] {
    window().ledgers().search().setText(u"nack"_s);
    waitFor([&] { return !window().overview().matches().empty(); });
  });
  step(u"with a bus less"_s, [&] { session().removeBus(id(5)); });
  for (int row = 0; row < window().overview().spokenRows(); ++row)
    put(window().overview().spokenText(row, 0));
  step(u"without buses"_s, [&] {
    while (engine().busCount() > 0)
      session().removeBus(id(0));
  });
}
