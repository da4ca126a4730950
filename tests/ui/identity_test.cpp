// A bus is itself whatever it is called: what was done to it, picked in it or typed in its card stays its own.
#include <QComboBox>
#include <QSignalSpy>

#include "support/window_fixture.h"
#include "ui/bytes/bytes_view.h"
#include "ui/markers/markers_panel.h"
#include "ui/window/lower_area.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;
using namespace Qt::StringLiterals;

namespace {

class Identity : public WindowTest {
 protected:
  void SetUp() override
  {
    WindowTest::SetUp();
    openDemo();
  }
  ui::Selection transaction(int bus, std::uint64_t number)
  {
    const Transactions& t = transactionsOf(bus);
    return {streamId(bus, 0), t.framesOf(number).first, t.beginOf(number)};
  }
  void rename(int bus, const char* name)
  {
    Bus changed = engine().bus(bus).wanted;
    changed.name = name;
    session().changeBus(id(bus), changed);
  }
  /// What a decode would make anew.
  const FrameChunk* decoded(int bus) { return transactionsOf(bus).frames().chunks().front().get(); }
};

}  // namespace

TEST_F(Identity, ARenameLosesNothingAndDecodesNothing)
{
  focus().select(transaction(0, 7));
  const MarkerId note = session().addNote(id(0), focus().selectedTime().begin, u"why so late"_s);
  window().ledgers().setPaneBus(0, id(0));
  window().ledgers().filter().setText(u"read"_s);
  ASSERT_TRUE(waitFor([this] { return !window().ledgers().filter().isScanning(); }));
  const std::uint64_t shown = window().ledger().rows().shownCount();
  LaneArrangement arrangement;
  const LaneKey lane{id(0), {}, {}};
  arrangement.setHeight(lane, 120);
  arrangement.setFolded(lane, true);
  session().setLanes(u"lanes"_s, arrangement);
  const FrameChunk* const before = decoded(0);
  QSignalSpy changes(&engine(), &ui::Engine::changed);

  rename(0, "climate");

  EXPECT_FALSE(engine().isDecoding());
  EXPECT_EQ(decoded(0), before);
  EXPECT_EQ(changes.count(), 1);
  EXPECT_EQ(engine().bus(0).shown.name, "climate");
  EXPECT_EQ(focus().selection(), transaction(0, 7));
  EXPECT_EQ(session().value().find(note)->pin->bus, id(0));
  EXPECT_EQ(window().ledger().rows().only(), id(0));
  ASSERT_TRUE(waitFor([this] { return !window().ledgers().filter().isScanning(); }));
  EXPECT_EQ(window().ledger().rows().shownCount(), shown);
  EXPECT_EQ(window().ledger().rows().visible({0, 0}, 1, 4).front().bus, u"climate"_s);
  EXPECT_EQ(window().timeline().lanes().front().name, u"climate"_s);
  EXPECT_EQ(window().timeline().lanes().front().height, 120);
  EXPECT_TRUE(window().timeline().lanes().front().folded);
}

TEST_F(Identity, ANameTypedWhileItsBusIsDecodedIsNotTakenBack)
{
  Bus slower = engine().bus(0).wanted;
  ASSERT_TRUE(slower.set("spike", "60ns"));
  session().changeBus(id(0), slower);
  ASSERT_TRUE(engine().bus(0).decoding);
  slower.name = "climate";
  session().changeBus(id(0), slower);
  ASSERT_TRUE(waitIdle());
  EXPECT_EQ(engine().bus(0).shown.name, "climate");
  EXPECT_EQ(engine().bus(0).shown.settings.text("spike"), "60ns");
}

TEST_F(Identity, AnotherNumberFormatGroupsAnewAndDecodesNothing)
{
  const FrameChunk* const before = decoded(1);
  const std::uint64_t lines = transactionsOf(1).size();
  focus().select(transaction(1, 3));
  const Picoseconds begin = focus().selectedTime().begin;
  Bus hex = engine().bus(1).wanted;
  hex.format = ValueFormat::Hex;
  session().changeBus(id(1), hex);
  ASSERT_TRUE(waitIdle());
  EXPECT_EQ(decoded(1), before);
  EXPECT_EQ(engine().bus(1).shown.format, ValueFormat::Hex);
  // A text's line ends at its line feed; bytes go on to a pause.
  EXPECT_LT(transactionsOf(1).size(), lines);
  EXPECT_LE(focus().selectedTime().begin, begin);
  EXPECT_TRUE(focus().selection().valid());
  hex.format = ValueFormat::Text;
  session().changeBus(id(1), hex);
  ASSERT_TRUE(waitIdle());
  EXPECT_EQ(transactionsOf(1).size(), lines);
}

TEST_F(Identity, AddingABusLeavesSelectionAndViewAsTheyAre)
{
  focus().select(transaction(0, 7));
  focus().show({2s, 2100ms});
  const TimeAxis axis = focus().axis();
  addBus("copy=i2c,scl=SCL,sda=SDA");
  EXPECT_EQ(focus().selection(), transaction(0, 7));
  // More lanes may need a scroll bar.
  EXPECT_EQ(focus().axis().resized(axis.width()), axis);
}

TEST_F(Identity, AViewThatWasChosenBeforeAnyBusIsKept)
{
  while (engine().busCount() > 0)
    session().removeBus(id(0));
  open(demoPath());
  focus().show({2s, 2100ms});
  const TimeAxis axis = focus().axis();
  addBus("sensors=i2c,scl=SCL,sda=SDA");
  EXPECT_EQ(focus().axis().resized(axis.width()), axis);
}

TEST_F(Identity, BackLeadsToTheSameBusAfterAnotherWasRemoved)
{
  const ui::Selection first = transaction(1, 3);
  focus().select(first);
  focus().select(transaction(1, 9));
  session().removeBus(id(0));
  EXPECT_TRUE(focus().selection().valid()) << "its bus is still there";
  focus().goBack();
  EXPECT_EQ(focus().selection(), first);
  EXPECT_EQ(selectedBus(), 0);
  session().removeBus(id(0));
  EXPECT_FALSE(focus().selection().valid());
  focus().goForward();
  EXPECT_FALSE(focus().selection().valid()) << "nothing is left to select";
}

TEST_F(Identity, BackDoesNotLeadIntoTheCaptureBefore)
{
  focus().select(transaction(0, 3));
  focus().select(transaction(0, 9));
  open(demoPath());
  const TimeRange span = focus().axis().span();
  focus().goBack();
  EXPECT_FALSE(focus().selection().valid());
  EXPECT_EQ(focus().axis().span(), span);
}

TEST_F(Identity, StepsFromLineToLineAreNoJumps)
{
  const ui::Selection from = transaction(0, 3);
  focus().select(from);
  focus().select(transaction(0, 40));
  window().ledger().setFocus();
  for (int i = 0; i < 12; ++i)
    QTest::keyClick(&window().ledger(), Qt::Key_Down);
  focus().selectNeighbour(true);
  EXPECT_NE(focus().selection(), transaction(0, 40));
  focus().goBack();
  EXPECT_EQ(focus().selection(), from);
}

TEST_F(Identity, ASelectionIsOfAFrameThatIsThereOrEmpty)
{
  focus().select(transaction(0, transactionsOf(0).size() - 1));
  const ui::Selection last = focus().selection();
  bool good = true;
  const auto look = [&] { good = good && (!focus().selection().valid() || focus().exists(focus().selection())); };
  QObject::connect(&engine(), &ui::Engine::changed, &focus(), look);
  QObject::connect(&focus(), &ui::Focus::selectionChanged, &focus(), look);
  Bus bus = engine().bus(0).wanted;
  ASSERT_TRUE(bus.set("spike", "60ns"));
  session().changeBus(id(0), bus);
  ASSERT_TRUE(waitIdle());
  EXPECT_TRUE(good);
  EXPECT_EQ(focus().selection(), last) << "back as soon as its frame is";
  // With the wires crossed there is hardly a frame, and none that begins there.
  bus.setChannel("scl", "SDA");
  bus.setChannel("sda", "SCL");
  session().changeBus(id(0), bus);
  ASSERT_TRUE(waitIdle());
  EXPECT_TRUE(good);
  EXPECT_FALSE(focus().selection().valid());
}

TEST_F(Identity, ASelectionThatIsClearedWhileItsFrameIsAwaitedStaysCleared)
{
  session().removeBus(id(1));
  session().removeBus(id(0));
  engine().setCapture(longTalk(400000), u"talk.vcd"_s);
  addBus("talk=uart,tx=TALK,baud=100000");
  focus().select(transaction(0, transactionsOf(0).size() - 1));
  bool awaited = false;
  QObject::connect(&focus(), &ui::Focus::selectionChanged, &focus(), [&] {
    if (awaited || focus().selection().valid())
      return;
    awaited = true;  // the new decode has some frames, and not yet that one
    focus().clearSelection();
  });
  Bus bus = engine().bus(0).wanted;
  ASSERT_TRUE(bus.set("baud", "100001"));
  session().changeBus(id(0), bus);
  ASSERT_TRUE(waitIdle());
  EXPECT_TRUE(awaited);
  EXPECT_FALSE(focus().selection().valid());
}

TEST_F(Identity, EveryFaultOfOneMomentIsPassed)
{
  addBus("copy=i2c,scl=SCL,sda=SDA");
  const std::uint64_t faults = engine().bus(0).faultCount() + engine().bus(1).faultCount();
  ASSERT_GT(engine().bus(0).faultCount(), 5U);
  focus().clearSelection();
  focus().show({0s, 1ms});
  std::vector<ui::Selection> passed;
  while (focus().selectFault(true))
    passed.push_back(focus().selection());
  EXPECT_EQ(passed.size(), faults + engine().bus(2).faultCount()) << "each fault of both, and none twice";
  for (std::size_t i = passed.size() - 1; i-- > 0;) {
    ASSERT_TRUE(focus().selectFault(false));
    ASSERT_EQ(focus().selection(), passed[i]);
  }
  EXPECT_FALSE(focus().selectFault(false));
}

TEST_F(Identity, ANoteIsNotErasedByAskingForItAgain)
{
  focus().select(transaction(0, 7));
  const MarkerId note = session().addNote(id(0), focus().selectedTime().begin, u"why so late"_s);
  window().ledger().setFocus();
  QTest::keyClick(&window().ledger(), Qt::Key_K);
  EXPECT_EQ(session().markers().size(), 1U);
  EXPECT_EQ(session().value().find(note)->note, "why so late");
}

TEST_F(Identity, WhatIsTypedInACardOutlivesOtherBusesLooksAndCaptures)
{
  openSettings(1);
  auto* baud = setting(1, "baud");
  typeInto(baud, u"9600"_s);
  addBus("copy=i2c,scl=SCL,sda=SDA");
  ui::theme().apply(ui::ThemeMode::Dark);
  ui::theme().apply(ui::ThemeMode::Light);
  EXPECT_EQ(setting(1, "baud"), baud) << "the same field";
  EXPECT_EQ(baud->currentText(), u"9600"_s);
  typeInto(baud, u"4800x"_s);
  open(demoPath());
  EXPECT_EQ(setting(1, "baud")->currentText(), u"4800x"_s);
  EXPECT_FALSE(editor(1)->message().isEmpty()) << "and it still says what is wrong with that";
}

TEST_F(Identity, ClosingACardTakesWhatWasTyped)
{
  openSettings(1);
  typeInto(setting(1, "baud"), u"9600"_s);
  window().buses().toggleSettings(id(1));
  EXPECT_EQ(engine().bus(1).wanted.settings.text("baud"), "9600");
}

TEST_F(Identity, BytesStayWithTheirBus)
{
  window().lower().show(window().bytes());
  auto* choice = window().findChild<QComboBox*>(u"bytesOf"_s);
  const int read = choice->findText(u"sensors, read"_s);
  ASSERT_GE(read, 0);
  choice->setCurrentIndex(read);
  rename(0, "climate");
  EXPECT_EQ(choice->currentText(), u"climate, read"_s);
  addBus("copy=i2c,scl=SCL,sda=SDA");
  EXPECT_EQ(choice->currentText(), u"climate, read"_s);
  session().removeBus(id(0));
  EXPECT_EQ(choice->currentIndex(), 0) << "its bus has gone";
}
