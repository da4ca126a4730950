// Everything that a user changes can be taken back, and done again.
#include <QComboBox>
#include <QTreeWidget>

#include "support/window_fixture.h"
#include "ui/markers/markers_panel.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;
using namespace Qt::StringLiterals;

namespace {

class Undo : public WindowTest {
 protected:
  void SetUp() override
  {
    WindowTest::SetUp();
    openDemo();
    m_before = session().steps().count();
  }
  /// How many steps there are beyond those that opened the demo.
  int steps() { return session().steps().count() - m_before; }
  void undo() { QTest::keyClick(&window().ledger(), Qt::Key_Z, Qt::ControlModifier); }
  void redo() { QTest::keyClick(&window().ledger(), Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier); }
  const QAction* action(const QString& begin)
  {
    for (const QAction* action : window().actions()) {
      if (action->text().startsWith(begin))
        return action;
    }
    return nullptr;
  }
  const std::vector<ui::TimelineLane>& lanes() { return window().timeline().lanes(); }

 private:
  int m_before = 0;
};

}  // namespace

TEST_F(Undo, ABusThatWasRemovedComesBackWithItsNotesAndLanes)
{
  const BusId bus = id(0);
  const std::uint64_t frames = engine().bus(0).frameCount();
  focus().select({streamId(0, 0), 3, {}});
  const MarkerId note = session().addNote(bus, focus().selectedTime().begin, u"why so late"_s);
  window().timeline().heads().resize(0, 130);
  ASSERT_EQ(lanes()[0].height, 130);
  session().removeBus(bus);
  ASSERT_EQ(engine().busCount(), 1);
  undo();
  ASSERT_TRUE(waitIdle());
  ASSERT_EQ(engine().busCount(), 2);
  EXPECT_EQ(id(0), bus) << "at its place, and the same bus";
  EXPECT_EQ(engine().bus(0).frameCount(), frames);
  EXPECT_EQ(session().value().find(note)->pin->bus, bus);
  EXPECT_EQ(lanes()[0].height, 130);
  EXPECT_EQ(window().buses().cards().size(), 2U);
  redo();
  EXPECT_EQ(engine().busCount(), 1);
}

TEST_F(Undo, ASettingGoesBackAndIsDecodedAgain)
{
  const std::uint64_t frames = engine().bus(1).frameCount();
  openSettings(1);
  typeInto(setting(1, "baud"), u"57600"_s);
  ASSERT_TRUE(waitFor([&] { return engine().bus(1).shown.settings.as<UartSettings>().baud == 57600.0; }));
  ASSERT_TRUE(waitIdle());
  ASSERT_NE(engine().bus(1).frameCount(), frames);
  window().ledger().setFocus();
  undo();
  ASSERT_TRUE(waitIdle());
  EXPECT_EQ(engine().bus(1).frameCount(), frames);
  EXPECT_EQ(setting(1, "baud")->currentText(), u"115200"_s) << "the open card says what holds";
  redo();
  ASSERT_TRUE(waitIdle());
  EXPECT_NE(engine().bus(1).frameCount(), frames);
  EXPECT_EQ(setting(1, "baud")->currentText(), u"57600"_s);
}

TEST_F(Undo, AMarkerThatWasDraggedGoesBackInOneStepAndTheNextDragInAnother)
{
  focus().show({1200us, 1260us});
  const MarkerId marker = session().addMarker(1205us);
  const auto time = [&] { return session().value().find(marker)->time; };
  const int before = steps();
  const auto drag = [&](Picoseconds to) {
    QWidget* const view = window().timeline().viewport();
    const auto flag = [this](Picoseconds t) { return QPoint(static_cast<int>(window().timeline().xOf(t)), 8); };
    const Picoseconds from = time();
    QTest::mousePress(view, Qt::LeftButton, {}, flag(from));
    for (int part = 1; part <= 3; ++part)
      QTest::mouseMove(view, flag(from + (to - from) * part / 3));
    QTest::mouseRelease(view, Qt::LeftButton, {}, flag(to));
  };
  drag(1225us);
  const Picoseconds first = time();
  ASSERT_NE(first, Picoseconds(1205us));
  drag(1240us);
  ASSERT_NE(time(), first);
  EXPECT_EQ(steps(), before + 2);
  undo();
  EXPECT_EQ(time(), first);
  undo();
  EXPECT_EQ(time(), Picoseconds(1205us));
  undo();
  EXPECT_TRUE(session().markers().empty());
}

TEST_F(Undo, ANoteThatIsBegunAndWrittenIsOneStep)
{
  clickLedger(3);
  QTest::keyClick(&window().ledger(), Qt::Key_K);
  auto* edit = window().markers().list().findChild<QLineEdit*>();
  ASSERT_NE(edit, nullptr);
  QTest::keyClicks(edit, u"pump starts"_s);
  QTest::keyClick(edit, Qt::Key_Return);
  ASSERT_TRUE(
      waitFor([this] { return session().markers().size() == 1 && session().markers()[0].note == "pump starts"; }));
  window().ledger().setFocus();
  undo();
  EXPECT_TRUE(session().markers().empty());
  redo();
  ASSERT_EQ(session().markers().size(), 1U);
  EXPECT_EQ(session().markers()[0].note, "pump starts");
}

TEST_F(Undo, AFilterThatWasTypedGoesAtOnceAndAChipAlone)
{
  ui::Lookup& filter = window().ledgers().filter();
  ui::QueryEdit& edit = window().ledgers().bar().filterEdit();
  const auto settled = [&] { return waitFor([&] { return !filter.isScanning(); }); };
  const std::uint64_t all = window().ledger().rows().shownCount();
  edit.setFocus();
  QTest::keyClicks(&edit, u"read nack"_s);
  QTest::keyClick(&edit, Qt::Key_Escape);
  QTest::keyClick(&edit, Qt::Key_Return);
  ASSERT_TRUE(settled());
  const std::uint64_t shown = window().ledger().rows().shownCount();
  ASSERT_LT(shown, all);
  window().ledgers().bar().chips().at(1)->click();
  ASSERT_TRUE(settled());
  ASSERT_TRUE(filter.isOff(1));
  window().ledger().setFocus();
  undo();
  ASSERT_TRUE(settled());
  EXPECT_FALSE(filter.isOff(1));
  EXPECT_EQ(window().ledger().rows().shownCount(), shown);
  undo();
  ASSERT_TRUE(settled());
  EXPECT_EQ(filter.text(), QString());
  EXPECT_EQ(edit.text(), QString());
  EXPECT_EQ(window().ledger().rows().shownCount(), all);
  redo();
  redo();
  ASSERT_TRUE(settled());
  EXPECT_EQ(edit.text(), u"read nack"_s);
  EXPECT_TRUE(filter.isOff(1));
}

TEST_F(Undo, ColumnsGoBackToWhatTheyWere)
{
  ui::LedgerHeader& header = window().ledger().header();
  const auto before = header.columns();
  ASSERT_TRUE(header.isShown(LedgerColumn::Duration));
  header.setShown(LedgerColumn::Duration, false);
  header.moveSection(header.visualIndex(static_cast<int>(LedgerColumn::Bus)), 0);
  ASSERT_EQ(header.columns().front(), LedgerColumn::Bus);
  undo();
  EXPECT_EQ(header.columns(), before);
  redo();
  EXPECT_EQ(header.columns().front(), LedgerColumn::Bus);
  EXPECT_FALSE(header.isShown(LedgerColumn::Duration));
}

TEST_F(Undo, LanesAndWiresGoBack)
{
  const std::size_t count = lanes().size();
  const QString first = lanes()[0].name;
  window().timeline().heads().setFolded(lanes()[0], true);
  ASSERT_LT(lanes().size(), count);
  window().timeline().heads().shift(0, 1);
  ASSERT_NE(lanes()[0].name, first);
  undo();
  EXPECT_EQ(lanes()[0].name, first);
  undo();
  EXPECT_EQ(lanes().size(), count);
  const std::string path = engine().capture()->channels[2].path;
  session().setConditioning({path}, {Picoseconds{0}, true});
  ASSERT_TRUE(waitIdle());
  ASSERT_GT(engine().bus(1).faultCount(), 100U);
  undo();
  ASSERT_TRUE(waitIdle());
  EXPECT_EQ(engine().bus(1).faultCount(), 0U);
  EXPECT_FALSE(engine().capture()->channels[2].conditioning.any());
}

TEST_F(Undo, ALaneThatIsDrawnTallerIsOneStepAndTheNextDragAnother)
{
  const auto drag = [this](int to) {
    const ui::TimelineLane& lane = lanes()[1];
    const QPoint edge(30, ui::kRulerHeight + lane.bottom());
    QTest::mousePress(window().timeline().viewport(), Qt::LeftButton, {}, edge);
    for (int y = 10; y <= to; y += 10)
      QTest::mouseMove(window().timeline().viewport(), edge + QPoint(0, y));
    QTest::mouseRelease(window().timeline().viewport(), Qt::LeftButton, {}, edge + QPoint(0, to));
  };
  const int height = lanes()[1].height;
  drag(40);
  const int taller = lanes()[1].height;
  ASSERT_GT(taller, height + 20);
  drag(30);
  ASSERT_GT(lanes()[1].height, taller);
  EXPECT_EQ(steps(), 2);
  undo();
  EXPECT_EQ(lanes()[1].height, taller);
  undo();
  EXPECT_EQ(lanes()[1].height, height);
}

TEST_F(Undo, WhatIsStillBeingTypedInACardIsTheFirstToGoBack)
{
  Bus renamed = engine().bus(1).wanted;
  renamed.name = "terminal";
  session().changeBus(id(1), renamed);
  openSettings(1);
  typeInto(setting(1, "baud"), u"9600"_s);
  undo();  // long before the pause in which it would be taken
  EXPECT_EQ(setting(1, "baud")->currentText(), u"115200"_s);
  EXPECT_EQ(engine().bus(1).wanted.name, "terminal");
  undo();
  EXPECT_EQ(engine().bus(1).wanted.name, "console");
  ASSERT_TRUE(waitIdle());
  QTest::qWait(2 * ui::BusEditor::kPauseMilliseconds);
  EXPECT_EQ(engine().bus(1).wanted.settings.text("baud"), "115200") << "and nothing comes after";
}

TEST_F(Undo, TheMenuSaysWhatAStepBackWouldDo)
{
  session().addMarker(1ms);
  ASSERT_NE(action(u"Undo: drop a marker"_s), nullptr);
  EXPECT_TRUE(action(u"Undo"_s)->isEnabled());
  EXPECT_FALSE(action(u"Redo"_s)->isEnabled());
  undo();
  EXPECT_NE(action(u"Redo: drop a marker"_s), nullptr);
}

TEST_F(Undo, ALineBeingTypedHasItsOwnWayBack)
{
  session().addMarker(1ms);
  ui::QueryEdit& edit = window().ledgers().bar().searchEdit();
  edit.setFocus();
  QTest::keyClicks(&edit, u"read"_s);
  QTest::keyClick(&edit, Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(edit.text(), QString());
  EXPECT_EQ(session().markers().size(), 1U);
}

TEST_F(Undo, AnotherCaptureIsWhereTheWayBackEnds)
{
  session().addMarker(1ms);
  open(demoPath());
  EXPECT_FALSE(session().steps().canUndo());
  EXPECT_TRUE(session().markers().empty());
  EXPECT_EQ(engine().busCount(), 2) << "its buses are those of the one before";
}

TEST_F(Undo, LookingAroundIsNoStep)
{
  const int before = steps();
  focus().select({streamId(0, 0), 3, {}});
  focus().zoomToSelection();
  focus().selectFault(true);
  window().ledgers().setForm(LedgerForm::Opened, 16);
  EXPECT_EQ(steps(), before);
  EXPECT_EQ(session().value().view.stream, focus().selection().stream);
  EXPECT_EQ(session().value().view.span, focus().axis().span());
}

TEST_F(Undo, AFormatThatWasGuessedIsNotForgottenByAStepBack)
{
  open(demoPath());
  session().addBus(*parseBusSpec("second=uart,tx=CONSOLE_TX,baud=115200"));
  Bus renamed = engine().bus(2).wanted;
  renamed.name = "terminal";
  session().changeBus(id(2), renamed);
  ASSERT_TRUE(waitFor([this] { return engine().bus(2).shown.format == ValueFormat::Text; }));
  ASSERT_TRUE(waitIdle());
  undo();
  EXPECT_EQ(engine().bus(2).wanted.name, "second");
  EXPECT_EQ(engine().bus(2).wanted.format, ValueFormat::Text);
}

TEST_F(Undo, AFormatThatWasChosenIsNotGuessedAgainWhenItsBusComesBack)
{
  Bus asHex = engine().bus(1).wanted;
  ASSERT_EQ(asHex.format, ValueFormat::Text);
  asHex.format = ValueFormat::Hex;
  session().changeBus(id(1), asHex);
  ASSERT_TRUE(waitIdle());
  session().removeBus(id(1));
  undo();
  ASSERT_TRUE(waitIdle());
  QTest::qWait(50);
  EXPECT_EQ(engine().bus(1).shown.format, ValueFormat::Hex);
  EXPECT_EQ(engine().bus(1).wanted.format, ValueFormat::Hex);
}
