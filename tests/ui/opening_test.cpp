#include <QDropEvent>
#include <QMimeData>
#include <QTimer>
#include <QUrl>

#include "support/window_fixture.h"

using namespace bexto;
using namespace bexto::test;

using Opening = WindowTest;

TEST_F(Opening, AnEmptyWindowSaysWhatToDoNext)
{
  auto* button = window().findChild<QPushButton*>(QStringLiteral("startOpen"));
  ASSERT_NE(button, nullptr);
  EXPECT_TRUE(button->isVisible());
  EXPECT_FALSE(window().findChild<QPushButton*>(QStringLiteral("export"))->isEnabled());
  EXPECT_FALSE(window().overview().isVisible());
  open(demoPath());
  EXPECT_TRUE(window().findChild<QPushButton*>(QStringLiteral("export"))->isEnabled());
  EXPECT_TRUE(window().overview().isVisible());
}

TEST_F(Opening, ACaptureShowsItsFirstActiveStretch)
{
  openDemo();
  open(demoPath());
  EXPECT_EQ(window().windowTitle(), QStringLiteral("lock-cycle.vcd · not saved – Bexto"))
      << "its buses came over, and nobody has saved them";
  const TimeRange span = focus().axis().span();
  EXPECT_LE(span.begin, transactionsOf(0).beginOf(0));
  EXPECT_GE(span.end, transactionsOf(0).timeOf(0).end);
  EXPECT_LT(span.length(), std::chrono::milliseconds(5));
}

TEST_F(Opening, BusesStayWhenTheNextCaptureHasTheirWires)
{
  openDemo();
  open(demoPath());
  EXPECT_EQ(engine().busCount(), 2);
  EXPECT_GT(transactionsOf(0).size(), 2000U);
}

TEST_F(Opening, AMissingChannelIsSaidInItsCardAndTheBusStays)
{
  openDemo();
  open(fileWith(QStringLiteral("other.vcd"),
                "$timescale 1ns $end $var wire 1 ! SCL $end $enddefinitions $end #0 1! #5 0! #9\n"));
  ASSERT_TRUE(engine().bus(0).error);
  EXPECT_EQ(engine().bus(0).error->message, "there is no channel 'SDA'");
  EXPECT_TRUE(window().buses().cards()[0]->lines().contains(QStringLiteral("there is no channel 'SDA'")));
  open(demoPath());
  EXPECT_FALSE(engine().bus(0).error);
  EXPECT_GT(transactionsOf(0).size(), 2000U);
}

TEST_F(Opening, ABadFileSaysWhyInPlaceAndNothingIsLost)
{
  openDemo();
  focus().select({streamId(0, 0), 5, Picoseconds{0}});
  for (const auto& [content, message] : std::vector<std::pair<std::string, std::string>>{
           {"", "the file is empty"},
           {std::string("\x7f"
                        "ELF\0\0",
                        6),
            "does not begin like a value change dump"},
           {"$timescale 1 ns $end\n$var wire 1 ! a", "line 2: the file ends inside its header"}}) {
    open(fileWith(QStringLiteral("bad.vcd"), content));
    EXPECT_TRUE(window().notice().isVisible());
    EXPECT_TRUE(window().notice().text().contains(QString::fromStdString(message)))
        << window().notice().text().toStdString();
    EXPECT_EQ(engine().path(), demoPath());
    EXPECT_EQ(focus().selection().frame, 5U);
    EXPECT_GT(transactionsOf(0).size(), 2000U);
  }
}

TEST_F(Opening, OpeningCanBeCancelledAndTheWindowAnswersMeanwhile)
{
  openDemo();
  const QString path = file(QStringLiteral("large.vcd"));
  {
    std::ofstream out(path.toStdString());
    out << "$timescale 1 ns $end $var wire 1 ! a $end $enddefinitions $end\n";
    std::string text;
    for (int i = 0; i < 6000000; ++i)
      text += "#" + std::to_string(i * 10) + (i % 2 == 0 ? "\n0!\n" : "\n1!\n");
    out << text;
  }
  window().openCapture(path);
  QApplication::processEvents();
  ASSERT_TRUE(engine().isOpening());
  EXPECT_TRUE(window().notice().isVisible());
  QTest::mouseClick(window().findChild<QPushButton*>(QStringLiteral("cancelOpening")), Qt::LeftButton);
  EXPECT_FALSE(engine().isOpening());
  EXPECT_EQ(window().notice().text(), QStringLiteral("Opening was cancelled."));
  QTest::qWait(100);
  EXPECT_EQ(engine().path(), demoPath()) << "a cancelled capture never arrives";
}

TEST_F(Opening, ALaterOpenWinsOverAnEarlierOne)
{
  window().openCapture(demoPath());
  window().openCapture(QStringLiteral(BEXTO_TEST_DATA "/i2c_10bit.vcd"));
  ASSERT_TRUE(waitIdle());
  EXPECT_TRUE(engine().path().endsWith(QStringLiteral("i2c_10bit.vcd")));
}

TEST_F(Opening, WhatWasSaidOfTheCaptureBeforeIsOver)
{
  open(demoPath());
  window().notice().showError(QStringLiteral("something about the one before"));
  open(demoPath());
  EXPECT_EQ(window().notice().text(), QString());
}

TEST_F(Opening, AFileCanBeDropped)
{
  QMimeData data;
  data.setUrls({QUrl::fromLocalFile(demoPath())});
  QDragEnterEvent enter(QPoint(400, 400), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
  QApplication::sendEvent(&window(), &enter);
  EXPECT_TRUE(enter.isAccepted());
  QDropEvent drop(QPointF(400, 400), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
  QApplication::sendEvent(&window(), &drop);
  ASSERT_TRUE(waitIdle());
  EXPECT_EQ(engine().path(), demoPath());
}

TEST_F(Opening, TheWindowMayCloseWhileItWorks)
{
  window().openCapture(demoPath());
  session().addBus(*parseBusSpec("sensors=i2c,scl=SCL,sda=SDA"));
  QApplication::processEvents();
  // TearDown destroys the window with the job running: nothing may be delivered to what is gone.
  EXPECT_TRUE(engine().isOpening());
}

TEST_F(Opening, ANoteOfTheReaderIsShown)
{
  open(fileWith(QStringLiteral("cut.vcd"),
                "$timescale 1ns $end $var wire 1 ! a $end $enddefinitions $end\n#0\n1!\n#5\n0"));
  EXPECT_EQ(window().notice().text(), QStringLiteral("the file breaks off in line 5; it is read up to there"));
  EXPECT_NE(engine().capture(), nullptr);
}

TEST_F(Opening, ManyBusesDoNotMakeTheWindowHigher)
{
  open(demoPath());
  const int usual = window().overview().height();
  for (int i = 0; i < 100; ++i) {
    Bus bus = *parseBusSpec("b=i2c,scl=SCL,sda=SDA");
    bus.name = "b" + std::to_string(i);
    session().addBus(bus);
  }
  ASSERT_TRUE(waitIdle());
  QApplication::processEvents();
  EXPECT_EQ(window().height(), 800);
  EXPECT_GT(window().overview().height(), usual);
  EXPECT_LT(window().overview().height(), 200);
  // Each of them is painted: the traffic of the last one is at the foot.
  const QImage image = window().overview().grab().toImage();
  int dark = 0;
  for (int x = 240; x < image.width() - 20; ++x)
    dark += image.pixelColor(x, image.height() - 14).lightness() < 235 ? 1 : 0;
  EXPECT_GT(dark, 100);
}

TEST_F(Opening, ACaptureWithoutBusesBeginsWhereItsWiresDoAndItsEdgesCanBeToldApart)
{
  open(demoPath());
  const TimeRange whole = engine().whole();
  const std::vector<Channel>& channels = engine().capture()->channels;
  Picoseconds first = kNever;
  for (const Channel& channel : channels)
    first = std::min(first, channel.track.nextAfter(Picoseconds{-1}));
  const auto inView = [&] {
    const TimeRange span = focus().axis().span();
    EXPECT_LE(span.begin, first);
    EXPECT_GT(focus().axis().xOf(first), 0.0);
    EXPECT_LT(focus().axis().xOf(first), focus().axis().width() / 5.0);
    EXPECT_GE(span.begin, whole.begin);
    EXPECT_LT(span.length(), whole.length() / 100);
  };
  inView();
  window().resize(900, 700);
  QApplication::processEvents();
  inView();
  QTest::keyClick(&window(), Qt::Key_0);
  EXPECT_EQ(focus().axis().span(), whole);
}

TEST_F(Opening, AWindowThatIsLeftAloneDoesNothing)
{
  struct Watch : QObject {
    QStringList went;
    bool eventFilter(QObject* receiver, QEvent* event) override
    {
      if (event->type() == QEvent::Timer && qobject_cast<QTimer*>(receiver) != nullptr)
        went << QString::number(static_cast<QTimer*>(receiver)->interval()) + QStringLiteral(" ms");
      return false;
    }
  } watch;
  openDemo();
  ASSERT_TRUE(waitIdle());
  QTest::qWait(1500);
  qApp->installEventFilter(&watch);
  QTest::qWait(800);
  EXPECT_LE(watch.went.size(), 2) << watch.went.join(QStringLiteral(", ")).toStdString();
}

TEST_F(Opening, OnlyOneFileThatLiesHereCanBeDropped)
{
  const auto takes = [&](const QList<QUrl>& urls) {
    QMimeData data;
    data.setUrls(urls);
    QDragEnterEvent enter(QPoint(400, 400), Qt::MoveAction | Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&window(), &enter);
    EXPECT_EQ(enter.isAccepted(), urls.size() == 1 && urls.front().isLocalFile());
    QDragMoveEvent move(QPoint(400, 400), Qt::MoveAction | Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    move.ignore();
    QApplication::sendEvent(&window(), &move);
    // A file manager that was told of a move would remove the file.
    EXPECT_TRUE(!move.isAccepted() || move.dropAction() == Qt::CopyAction);
    return move.isAccepted();
  };
  const QUrl here = QUrl::fromLocalFile(demoPath());
  EXPECT_TRUE(takes({here}));
  EXPECT_FALSE(takes({here, here}));
  EXPECT_FALSE(takes({QUrl(QStringLiteral("https://example.org/a.vcd"))}));
  EXPECT_FALSE(takes({}));
}

TEST_F(Opening, OfManyNotesTheFirstFourAreShown)
{
  window().notice().showNotes({});
  EXPECT_EQ(window().notice().text(), QString());
  window().notice().showNotes({"a", "b", "c", "d"});
  EXPECT_EQ(window().notice().text(), QStringLiteral("a\nb\nc\nd"));
  window().notice().showNotes({"a", "b", "c", "d", "e", "f"});
  EXPECT_EQ(window().notice().text(), QStringLiteral("a\nb\nc\nd (and 2 more)"));
}
