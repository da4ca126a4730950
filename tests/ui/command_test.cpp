#include <QLabel>

#include "support/window_fixture.h"
#include "ui/command/command_box.h"
#include "ui/window/lower_area.h"
#include "ui/window/shortcuts_dialog.h"
#include "ui/window/window_memory.h"

using namespace bexto;
using namespace bexto::test;
using namespace Qt::StringLiterals;
using namespace std::chrono_literals;

namespace {

class Commands : public WindowTest {
 protected:
  ui::CommandBox& box() { return window().commandBox(); }
  void type(const QString& text)
  {
    QTest::keyClick(&window(), Qt::Key_K, Qt::ControlModifier);
    ASSERT_TRUE(box().hasFocus());
    QTest::keyClicks(&box(), text);
  }
  void doIt(const QString& text)
  {
    type(text);
    QTest::keyClick(&box(), Qt::Key_Return);
  }
};

}  // namespace

TEST_F(Commands, EveryWordHasToBeginAWord)
{
  EXPECT_GE(ui::matchRank(u"drop mark"_s, u"Drop a marker"_s), 0);
  EXPECT_GE(ui::matchRank(u"mark drop"_s, u"Drop a marker"_s), 0);
  EXPECT_EQ(ui::matchRank(u"arker"_s, u"Drop a marker"_s), -1);
  EXPECT_LT(ui::matchRank(u"drop"_s, u"Drop a marker"_s), ui::matchRank(u"drop"_s, u"A drop"_s));
}

TEST_F(Commands, EveryActionWithAKeyIsInIt)
{
  openDemo();
  session().addMarker(1ms);
  session().addMarker(2ms);
  session().undo();  // there is something to undo, and to do again
  type({});
  const QStringList offered = box().offered();
  for (const QAction* action : window().actions()) {
    if (action->text() != u"Command box"_s) {
      EXPECT_TRUE(offered.contains(action->text())) << action->text().toStdString();
    }
  }
}

TEST_F(Commands, NoTwoActionsShareAKey)
{
  QStringList keys;
  for (const QAction* action : window().actions()) {
    const QString key = action->shortcut().toString();
    EXPECT_TRUE(key.isEmpty() || !keys.contains(key)) << key.toStdString() << ": " << action->text().toStdString();
    keys << key;
  }
}

TEST_F(Commands, GoesToTimesFramesBusesAndMarkers)
{
  openWholeDemo();
  doIt(u"5.1835"_s);
  const TimeRange span = focus().axis().span();
  EXPECT_TRUE(span.begin <= Picoseconds(5183500us) && span.end >= Picoseconds(5183500us));
  type(u"#40"_s);
  EXPECT_TRUE(box().offered().contains(u"Frame 40 of drives"_s)) << box().offered().join(u", "_s).toStdString();
  EXPECT_EQ(box().offered().first(), u"Line 40 of the list"_s);
  QTest::keyClick(&box(), Qt::Key_Return);
  EXPECT_EQ(row(), 39U);
  session().addMarker(3s);
  doIt(u"marker a"_s);
  EXPECT_TRUE(focus().axis().span().begin <= Picoseconds(3s) && focus().axis().span().end >= Picoseconds(3s));
  doIt(u"adc settings"_s);
  EXPECT_NE(editor(4), nullptr);
}

TEST_F(Commands, RunsActionsAndUsedFilters)
{
  openDemo();
  doIt(u"go bytes"_s);
  EXPECT_EQ(window().lower().shown().key(), u"bytes"_s);
  QTest::keyClick(&window(), Qt::Key_F);
  EXPECT_EQ(window().lower().shown().key(), u"ledger"_s);
  QTest::keyClicks(&window().ledgers().bar().filterEdit(), u"address:5D"_s);
  QTest::keyClick(&window().ledgers().bar().filterEdit(), Qt::Key_Return);
  window().ledgers().filter().setText({});
  doIt(u"address 5"_s);
  EXPECT_EQ(window().ledgers().filter().text(), u"address:5D"_s);
}

TEST_F(Commands, TheLookChangesAndIsRemembered)
{
  for (const auto& [text, mode] : {std::pair{u"Look dark"_s, ui::ThemeMode::Dark},
                                   {u"Look light"_s, ui::ThemeMode::Light},
                                   {u"Look as the system"_s, ui::ThemeMode::System}}) {
    doIt(text);
    EXPECT_EQ(ui::theme().mode(), mode) << text.toStdString();
    EXPECT_EQ(ui::memory::themeMode(), mode) << text.toStdString();
  }
}

TEST_F(Commands, EscapeGivesTheKeyboardBack)
{
  openDemo();
  type(u"zoom"_s);
  EXPECT_FALSE(box().offered().isEmpty());
  QTest::keyClick(&box(), Qt::Key_Escape);
  EXPECT_TRUE(box().offered().isEmpty());
  EXPECT_TRUE(window().ledger().hasFocus());
}

TEST_F(Commands, ShortcutsAndTheFilterLanguageAreListed)
{
  const ui::ShortcutsDialog dialog(window().actions(), &window());
  QStringList texts;
  for (const QLabel* label : dialog.findChildren<QLabel*>())
    texts << label->text();
  for (const QAction* action : window().actions()) {
    if (!action->shortcut().isEmpty()) {
      EXPECT_TRUE(texts.contains(action->text())) << action->text().toStdString();
    }
  }
  const ui::FilterHelpDialog language(&window());
  QStringList examples;
  for (const QLabel* label : language.findChildren<QLabel*>())
    examples << label->text();
  for (const TermHelp& key : queryKeys())
    EXPECT_TRUE(examples.contains(ui::toQString(key.example)));
  // Keys that belong to a part of the window stand there too, each with what it does.
  QStringList all;
  for (const QLabel* label : dialog.findChildren<QLabel*>())
    all << label->text();
  for (const char* key : {"F2", "Delete", "Return", "Ctrl+C", "Alt+Up, Alt+Down", "Ctrl+Left, Ctrl+Right"})
    EXPECT_TRUE(all.contains(QString::fromLatin1(key))) << key;
}

TEST_F(Commands, WhatIsAlikeAndWhatAnswersIsGoneTo)
{
  openWholeDemo();
  clickLedger(0);
  QTest::keyClick(&window(), Qt::Key_Down, Qt::ControlModifier);
  EXPECT_GT(row(), 1U);
  EXPECT_TRUE(rows().visible(lineOfSelection(), 1, 8).front().sentence.text().starts_with("2A "));
  QTest::keyClick(&window(), Qt::Key_Up, Qt::ControlModifier);
  EXPECT_EQ(row(), 0U);
  QTest::keyClick(&window(), Qt::Key_Up, Qt::ControlModifier);
  EXPECT_EQ(row(), 0U);
  EXPECT_EQ(window().notice().text(), u"No earlier line like this one."_s);
  const Transactions& asks = transactionsOf(2, 1);
  focus().select({streamId(2, 1), asks.framesOf(4).first, asks.beginOf(4)});
  QTest::keyClick(&window(), Qt::Key_R);
  EXPECT_EQ(focus().selection().stream.stream, 0);
  EXPECT_GT(focus().selectedTime().begin, asks.beginOf(4));
  QTest::keyClick(&window(), Qt::Key_R);
  EXPECT_EQ(focus().selection().stream.stream, 1);
  EXPECT_EQ(focus().selectedTransaction(), 4U);
}

TEST_F(Commands, TheWindowIsAsItWasLeft)
{
  openDemo();
  const QString path = demoPath();
  ui::memory::setThemeMode(ui::ThemeMode::Dark);
  const auto sizes = [](ui::MainWindow& of) {
    return std::array<int, 4>{of.width(), of.height(), of.buses().width(), of.timeline().height()};
  };
  std::array<int, 4> left{};
  {
    ui::Workspace elsewhere;
    ui::MainWindow other(elsewhere);
    other.show();
    other.resize(1100, 700);
    elsewhere.engine.setCapture(engine().capture(), path);
    for (QSplitter* splitter : other.findChildren<QSplitter*>()) {
      if (splitter->widget(0) == &other.buses())
        splitter->setSizes({300, 500, 300});
      if (splitter->widget(0) == &other.timeline())
        splitter->setSizes({200, 380});
    }
    QApplication::processEvents();
    left = sizes(other);
  }  // saved when it goes
  ui::Workspace elsewhere;
  ui::MainWindow again(elsewhere);
  again.show();
  // What the splitters share out is seen once there is a capture.
  elsewhere.engine.setCapture(engine().capture(), path);
  QApplication::processEvents();
  EXPECT_EQ(sizes(again), left);
  EXPECT_NE(sizes(again), sizes(window()));
  EXPECT_EQ(ui::memory::recentFiles().first(), QFileInfo(path).absoluteFilePath());
  EXPECT_EQ(ui::memory::themeMode(), ui::ThemeMode::Dark);
}

TEST_F(Commands, WhatIsAlikeFarAwayIsFoundInTheBackground)
{
  // A break, 25 000 lines of one character each, and another break.
  constexpr std::int64_t kBit = 10000000;
  constexpr int kLines = 25000;
  std::vector<std::int64_t> edges;
  std::int64_t t = 20 * kBit;
  for (int i = 0; i < kLines + 2; ++i, t += 60 * kBit) {
    const bool isBreak = i == 0 || i == kLines + 1;
    edges.push_back(t);
    edges.push_back(t + (isBreak ? 15 : 9) * kBit);
  }
  Capture capture;
  capture.channels = {{"TALK", "TALK", trackOf(true, edges)}};
  capture.end = Picoseconds{t};
  engine().setCapture(std::make_shared<const Capture>(std::move(capture)), u"talk.vcd"_s);
  addBus("talk=uart,rx=TALK,baud=100000");
  ASSERT_EQ(rows().shownCount(), static_cast<std::uint64_t>(kLines + 2));
  clickLedger(0);
  QTest::keyClick(&window(), Qt::Key_Down, Qt::ControlModifier | Qt::AltModifier);
  EXPECT_TRUE(waitFor([this] { return row() == kLines + 1; })) << row();
  QTest::keyClick(&window(), Qt::Key_Down, Qt::ControlModifier | Qt::AltModifier);
  EXPECT_TRUE(waitFor([this] { return window().notice().text() == u"No later line like this one."_s; }));
  QTest::keyClick(&window(), Qt::Key_Up, Qt::ControlModifier | Qt::AltModifier);
  EXPECT_TRUE(waitFor([this] { return row() == 0; })) << row();
  // Who has gone elsewhere meanwhile is left there.
  QTest::keyClick(&window(), Qt::Key_Down, Qt::ControlModifier | Qt::AltModifier);
  clickLedger(5);
  QTest::qWait(200);
  EXPECT_EQ(row(), 5U);
}

TEST_F(Commands, AFrameOfAnyBusIsGoneToByItsNumber)
{
  openWholeDemo();
  const auto take = [&](const QString& number, const QString& entry) {
    type(number);
    const qsizetype place = box().offered().indexOf(entry);
    ASSERT_GE(place, 0) << box().offered().join(u", "_s).toStdString();
    for (qsizetype i = 0; i < place; ++i)
      QTest::keyClick(&box(), Qt::Key_Down);
    QTest::keyClick(&box(), Qt::Key_Return);
  };
  take(u"7"_s, u"Frame 7 of log"_s);
  EXPECT_EQ(selectedBus(), 3);
  EXPECT_EQ(focus().selection().frame, 6U);
  take(u"# 3"_s, u"Frame 3 of sonar TX"_s);
  EXPECT_EQ(selectedBus(), 2);
  EXPECT_EQ(focus().selection().stream.stream, 1);
  EXPECT_EQ(focus().selection().frame, 2U);
}
