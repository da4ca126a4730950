// What the keyboard and the mouse mean depends on where they are: typing is typing, a drop is a copy, and what is held
// when something else takes over is let go.
#include <QComboBox>
#include <QDragEnterEvent>
#include <QLabel>
#include <QMimeData>
#include <QProcess>
#include <QTimer>
#include <QTreeWidget>
#include <QUrl>

#include "core/view/overview.h"
#include "support/window_fixture.h"
#include "ui/bytes/bytes_view.h"
#include "ui/command/command_box.h"
#include "ui/markers/markers_panel.h"
#include "ui/query/filter_bar.h"
#include "ui/window/lower_area.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;
using namespace Qt::StringLiterals;

using Keys = WindowTest;

TEST_F(Keys, TypingInAChoiceChoosesAndDoesNothingElse)
{
  openDemo();
  session().addMarker(2ms);
  QComboBox box(&window());
  box.addItems({u"CLK"_s, u"MISO"_s, u"MOSI"_s});
  box.show();
  box.setFocus();
  // M drops a marker and Shift+M removes them all, elsewhere.
  QTest::keyClick(&box, Qt::Key_M, Qt::ShiftModifier);
  EXPECT_EQ(session().markers().size(), 1U);
  EXPECT_EQ(box.currentText(), u"MISO"_s);
  QTest::keyClick(&box, Qt::Key_O);
  EXPECT_EQ(session().markers().size(), 1U);
  window().ledger().setFocus();
  QTest::keyClick(&window().ledger(), Qt::Key_M, Qt::ShiftModifier);
  EXPECT_EQ(session().markers().size(), 0U) << "in the Ledger it is the shortcut";
}

TEST_F(Keys, WithCtrlTheyMeanTheSameWhileALineIsTyped)
{
  openDemo();
  QTest::keyClick(&window(), Qt::Key_F);
  auto* line = qobject_cast<QLineEdit*>(QApplication::focusWidget());
  ASSERT_NE(line, nullptr);
  QTest::keyClicks(line, u"read"_s);
  line->setCursorPosition(0);
  // Lines of text have Ctrl+K for the rest of the line, and Ctrl+L is two Ledgers.
  QTest::keyClick(line, Qt::Key_L, Qt::ControlModifier);
  EXPECT_EQ(window().ledgers().paneCount(), 2);
  line->setFocus();
  QTest::keyClick(line, Qt::Key_K, Qt::ControlModifier);
  EXPECT_EQ(line->text(), u"read"_s);
  EXPECT_NE(QApplication::focusWidget(), line) << "the command box";
  line->setFocus();
  QString asked;
  QTimer::singleShot(200, [&] {
    if (auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget())) {
      asked = dialog->objectName();
      dialog->reject();
    }
  });
  QTest::keyClick(line, Qt::Key_E, Qt::ControlModifier);
  ASSERT_TRUE(waitFor([&] { return !asked.isEmpty(); }));
  EXPECT_EQ(asked, u"exportDialog"_s);
  line->setFocus();
  // What edits a text everywhere still does.
  QTest::keyClick(line, Qt::Key_A, Qt::ControlModifier);
  EXPECT_EQ(line->selectedText(), u"read"_s);
  QTest::keyClicks(line, u"w"_s);
  EXPECT_EQ(line->text(), u"w"_s);
  QTest::keyClick(line, Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(line->text(), u"read"_s) << "the line's own step back";
}

TEST_F(Keys, TypingInAListSearchesIt)
{
  openDemo();
  session().addMarker(2ms);
  session().addMarker(3ms);
  session().renameMarker(session().markers()[1].id, u"Mains"_s);
  QTreeWidget& list = window().markers().list();
  list.setFocus();
  list.setCurrentItem(list.topLevelItem(0));
  QTest::keyClick(&list, Qt::Key_M, Qt::ShiftModifier);
  EXPECT_EQ(session().markers().size(), 2U);
  EXPECT_EQ(list.currentItem()->text(0), u"Mains"_s);
}

TEST_F(Keys, SpacePressesTheButtonThatHasTheKeyboard)
{
  openDemo();
  auto* done = new QPushButton(u"done"_s, &window());
  done->show();
  int pressed = 0;
  QObject::connect(done, &QPushButton::clicked, done, [&pressed] { ++pressed; });
  done->setFocus();
  QTest::keyClick(done, Qt::Key_Space);
  EXPECT_EQ(pressed, 1);
  EXPECT_FALSE(window().ledger().isFollowing());
}

TEST_F(Keys, LeavingTheCommandBoxGivesTheKeyboardBackToWhatHadIt)
{
  openDemo();
  window().timeline().setFocus();
  window().commandBox().open();
  QTest::keyClick(&window().commandBox(), Qt::Key_Escape);
  EXPECT_TRUE(window().timeline().hasFocus());
  window().lower().show(window().bytes());
  QWidget* const bytes = QApplication::focusWidget();
  window().commandBox().open();
  QTest::keyClick(&window().commandBox(), Qt::Key_Escape);
  EXPECT_EQ(QApplication::focusWidget(), bytes);
}

TEST_F(Keys, AFileThatIsDroppedIsCopiedWhateverWasProposed)
{
  QMimeData data;
  data.setUrls({QUrl::fromLocalFile(demoPath())});
  QDragEnterEvent enter({200, 200}, Qt::MoveAction | Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
  enter.ignore();
  QApplication::sendEvent(&window(), &enter);
  EXPECT_TRUE(enter.isAccepted());
  QDropEvent drop({200, 200}, Qt::MoveAction | Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
  drop.ignore();
  QApplication::sendEvent(&window(), &drop);
  EXPECT_TRUE(drop.isAccepted());
  EXPECT_EQ(drop.dropAction(), Qt::CopyAction) << "a move would take the file away";
  ASSERT_TRUE(waitIdle());
  EXPECT_NE(engine().capture(), nullptr);
  data.setUrls({QUrl(u"https://nowhere.example/x.vcd"_s)});
  QDropEvent far({200, 200}, Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
  far.ignore();
  QApplication::sendEvent(&window(), &far);
  EXPECT_FALSE(far.isAccepted());
}

TEST_F(Keys, AMarkerThatIsRemovedWhileItIsDraggedIsGone)
{
  openDemo();
  focus().show({1200us, 1260us});
  session().addMarker(1205us);
  session().addMarker(1230us);
  QWidget* const view = window().timeline().viewport();
  const auto flag = [this](Picoseconds t) { return QPoint(static_cast<int>(window().timeline().xOf(t)), 8); };
  QTest::mousePress(view, Qt::LeftButton, {}, flag(1205us));
  QTest::mouseMove(view, flag(1210us));
  session().removeMarker(session().markers()[0].id);
  QTest::mouseMove(view, flag(1215us));
  QTest::mouseRelease(view, Qt::LeftButton, {}, flag(1215us));
  ASSERT_EQ(session().markers().size(), 1U);
  EXPECT_EQ(session().markers()[0].time, 1230us) << "the other one was not taken instead";
}

TEST_F(Keys, ATremblingClickOnAFlagMovesNothing)
{
  openDemo();
  const Transactions& t = transactionsOf(0);
  focus().select({streamId(0, 0), t.framesOf(7).first, t.beginOf(7)});
  const MarkerId note = session().addNote(id(0), focus().selectedTime().begin, u"here"_s);
  focus().show(spanAround(t.timeOf(7), 0.5));
  const Picoseconds at = session().value().find(note)->time;
  QWidget* const view = window().timeline().viewport();
  const QPoint flag(static_cast<int>(window().timeline().xOf(at)), 8);
  QTest::mousePress(view, Qt::LeftButton, {}, flag);
  QTest::mouseMove(view, flag + QPoint(1, 1));
  QTest::mouseRelease(view, Qt::LeftButton, {}, flag + QPoint(1, 1));
  EXPECT_EQ(session().value().find(note)->time, at);
  EXPECT_TRUE(session().value().find(note)->pin) << "it is still a note on its line";
}

TEST_F(Keys, AnOpenListIsNotEmptiedUnderTheHand)
{
  openDemo();
  window().ledgers().addBeside();
  window().lower().show(window().bytes());
  session().addMarker(2ms);
  std::vector<QComboBox*> choices = {window().findChild<QComboBox*>(u"bytesOf"_s)};
  for (QComboBox* box : window().markers().findChildren<QComboBox*>())
    choices.push_back(box);
  int emptied = 0;
  for (QComboBox* box : choices)
    QObject::connect(box->model(), &QAbstractItemModel::rowsRemoved, box, [&emptied] { ++emptied; });
  // What a live capture does ten times a second.
  Bus bus = engine().bus(0).wanted;
  ASSERT_TRUE(bus.set("spike", "60ns"));
  session().changeBus(id(0), bus);
  ASSERT_TRUE(waitIdle());
  EXPECT_EQ(emptied, 0);
}

TEST_F(Keys, ATouchpadsSlightSlantStillZooms)
{
  openDemo();
  focus().show({100ms, 110ms});
  const QPointF at(500, 100);
  const auto wheel = [&](QPoint angle) {
    QWheelEvent event(at, window().timeline().viewport()->mapToGlobal(at), {}, angle, Qt::NoButton, Qt::NoModifier,
                      Qt::NoScrollPhase, false);
    QApplication::sendEvent(window().timeline().viewport(), &event);
  };
  const Picoseconds before = focus().axis().span().length();
  wheel({-4, 120});
  EXPECT_LT(focus().axis().span().length(), before);
  const TimeRange zoomed = focus().axis().span();
  wheel({120, -4});
  EXPECT_NE(focus().axis().span().begin, zoomed.begin);
  EXPECT_LE(std::chrono::abs(focus().axis().span().length() - zoomed.length()), Picoseconds{2});
}

TEST_F(Keys, AFilterWithAMistakeHasARedBorder)
{
  openDemo();
  ui::QueryEdit& edit = window().ledgers().bar().filterEdit();
  edit.setFocus();
  QTest::keyClicks(&edit, u"read"_s);
  QApplication::processEvents();
  const auto border = [&edit] { return edit.grab().toImage().pixelColor(edit.width() / 2, 0); };
  const QColor good = border();
  QTest::keyClicks(&edit, u" adress:2A"_s);
  QApplication::processEvents();
  ASSERT_TRUE(window().ledgers().filter().error());
  EXPECT_NE(border(), good);
  EXPECT_GT(border().red(), border().green() + 60);
  edit.clear();
  QApplication::processEvents();
  EXPECT_LT(border().red(), border().green() + 60);
}

TEST_F(Keys, AFileNameIsTextAndNoMarkup)
{
  const QString path = file(u"<b>x<i>.vcd"_s);
  ASSERT_TRUE(QFile::copy(demoPath(), path));
  open(path);
  int shown = 0;
  for (const QLabel* label : window().findChildren<QLabel*>()) {
    if (!label->text().contains(u"<b>"_s))
      continue;
    ++shown;
    EXPECT_EQ(label->textFormat(), Qt::PlainText);
  }
  EXPECT_GT(shown, 0);
}

TEST(Program, SaysItsVersionWithoutADisplay)
{
  QProcess program;
  QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
  for (const char* name : {"DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"})
    environment.remove(QString::fromLatin1(name));
  program.setProcessEnvironment(environment);
  for (const char* option : {"--version", "--help"}) {
    program.start(QStringLiteral(BEXTO_BIN "/bexto"), {QString::fromLatin1(option)});
    ASSERT_TRUE(program.waitForFinished());
    EXPECT_EQ(program.exitStatus(), QProcess::NormalExit);
    EXPECT_EQ(program.exitCode(), 0);
    EXPECT_TRUE(program.readAllStandardOutput().contains("bexto"));
  }
}
