// A capture that grows while it is read.
#include <QToolButton>
#include <fstream>

#include "support/window_fixture.h"

using namespace bexto;
using namespace bexto::test;
using namespace Qt::StringLiterals;

namespace {

class Live : public WindowTest {
 protected:
  void SetUp() override
  {
    WindowTest::SetUp();
    Capture some = cycle().capture;
    some.channels.resize(3);
    m_text = vcdText(some);
    m_path = file(u"live.vcd"_s);
  }
  /// Writes the next share of the capture.
  void grow(double share)
  {
    const auto to = static_cast<std::size_t>(share * static_cast<double>(m_text.size()));
    std::ofstream(m_path.toStdString(), std::ios::binary | std::ios::app)
        .write(m_text.data() + m_written, static_cast<std::streamsize>(to - m_written));
    m_written = to;
  }
  bool waitForMoreThan(std::uint64_t lines)
  {
    return waitFor([this, lines] { return rows().shownCount() > lines; });
  }
  void follow()
  {
    session().addBus(*parseBusSpec("sensors=i2c,scl=SCL,sda=SDA"));
    session().addBus(*parseBusSpec("console=uart,tx=CONSOLE_TX,baud=115200"));
    grow(0.2);
    engine().source().follow(m_path);
    ASSERT_TRUE(waitForMoreThan(0));
  }
  bool atEnd() { return !window().ledger().lineRect(rows().lines().last()).isEmpty(); }

  std::string m_text;
  QString m_path;
  std::size_t m_written = 0;
};

}  // namespace

TEST_F(Live, FollowsTheNewestLineUntilOneIsPicked)
{
  follow();
  EXPECT_TRUE(engine().isLive());
  EXPECT_TRUE(window().ledger().isFollowing());
  std::uint64_t before = rows().shownCount();
  grow(0.4);
  ASSERT_TRUE(waitForMoreThan(before));
  EXPECT_TRUE(atEnd());
  clickLedger(LedgerPlace{window().ledger().top().row + 2, 0});
  EXPECT_FALSE(window().ledger().isFollowing());
  const LedgerPlace top = window().ledger().top();
  const ui::Selection picked = focus().selection();
  before = rows().shownCount();
  grow(0.6);
  ASSERT_TRUE(waitForMoreThan(before));
  EXPECT_EQ(window().ledger().top(), top) << "it stands still while the capture goes on";
  EXPECT_EQ(focus().selection(), picked);
  QTest::keyClick(&window(), Qt::Key_Space);
  EXPECT_TRUE(window().ledger().isFollowing());
  EXPECT_TRUE(atEnd());
  before = rows().shownCount();
  grow(0.7);
  ASSERT_TRUE(waitForMoreThan(before));
  EXPECT_TRUE(atEnd());
}

TEST_F(Live, AFilterKeepsItsLinesWhileMoreComes)
{
  follow();
  window().ledgers().filter().setText(u"read"_s);
  ASSERT_TRUE(
      waitFor([this] { return window().ledgers().filter().result() && !window().ledgers().filter().isScanning(); }));
  std::uint64_t least = rows().shownCount();
  ASSERT_GT(least, 3U);
  bool collapsed = false;
  QObject::connect(&window().ledgers().filter(), &ui::Lookup::resultChanged, &window(), [&] {
    collapsed = collapsed || rows().shownCount() < least;
    least = rows().shownCount();
  });
  for (const double share : {0.3, 0.5, 0.7, 0.9}) {
    const std::uint64_t before = rows().shownCount();
    grow(share);
    ASSERT_TRUE(waitForMoreThan(before));
  }
  EXPECT_FALSE(collapsed);
  grow(1.0);
  engine().source().end();
  ASSERT_TRUE(waitFor([this] { return !engine().isLive(); }));
  ASSERT_TRUE(waitIdle());
  ASSERT_TRUE(waitFor([this] { return !window().ledgers().filter().isScanning(); }));
  const std::uint64_t shown = rows().shownCount();
  ui::Lookup anew(engine());
  anew.setText(u"read"_s);
  ASSERT_TRUE(waitFor([&] { return !anew.isScanning(); }));
  EXPECT_EQ(shown, anew.result()->found());
}

TEST_F(Live, WhatComesWhileARunIsUnderWayIsNotForgotten)
{
  follow();
  ASSERT_TRUE(waitFor([this] { return engine().bus(0).frameCount() > 0; }));
  const auto whole = std::make_shared<const Capture>([this] {
    Capture some = cycle().capture;
    some.channels.resize(3);
    for (std::size_t i = 0; i < some.channels.size(); ++i)
      some.channels[i].path = engine().capture()->channels[i].path;
    return some;
  }());
  const std::uint64_t before = engine().bus(0).frameCount();
  // The second arrives in the same turn: the run over the first is under way.
  Q_EMIT engine().source().grew(engine().capture());
  Q_EMIT engine().source().grew(whole);
  ASSERT_TRUE(waitFor([&] { return engine().bus(0).frameCount() > 4 * before; })) << engine().bus(0).frameCount();
}

TEST_F(Live, EndsAsTheSameAsTheWholeFile)
{
  follow();
  grow(0.5);
  ASSERT_TRUE(waitForMoreThan(100));
  grow(1.0);
  ASSERT_TRUE(waitFor([this] { return engine().whole().end > std::chrono::seconds{8}; }));
  engine().source().end();
  ASSERT_TRUE(waitFor([this] { return !engine().isLive(); }));
  ASSERT_TRUE(waitIdle());
  const auto lines = rows().visible({}, 5000, 8);
  ui::Workspace elsewhere;
  ui::MainWindow whole(elsewhere);
  whole.session().addBus(*parseBusSpec("sensors=i2c,scl=SCL,sda=SDA"));
  whole.session().addBus(*parseBusSpec("console=uart,tx=CONSOLE_TX,baud=115200"));
  whole.openCapture(m_path);
  ASSERT_TRUE(waitFor([&] {
    return !whole.engine().isOpening() && !whole.engine().isDecoding() &&
           whole.engine().bus(1).shown.format == ValueFormat::Text;
  }));
  ASSERT_TRUE(waitFor([&] { return !whole.engine().isDecoding(); }));
  const auto expected = whole.ledger().rows().visible({}, 5000, 8);
  ASSERT_EQ(lines.size(), expected.size());
  for (std::size_t i = 0; i < lines.size(); ++i) {
    ASSERT_EQ(lines[i].begin, expected[i].begin);
    ASSERT_EQ(lines[i].sentence.text(), expected[i].sentence.text());
  }
}

TEST_F(Live, AFilterGoesOnWithTheCapture)
{
  follow();
  window().ledgers().filter().setText(u"address:2A"_s);
  ASSERT_TRUE(waitFor([this] { return rows().shownCount() > 0 && rows().shownCount() < rows().allCount(); }));
  const std::uint64_t before = rows().shownCount();
  grow(0.5);
  ASSERT_TRUE(waitForMoreThan(before));
  EXPECT_LT(rows().shownCount(), rows().allCount());
}

TEST_F(Live, ABusAddedOrChangedMeanwhileIsReadFromTheBegin)
{
  follow();
  session().removeBus(id(1));
  session().addBus(*parseBusSpec("late=uart,tx=CONSOLE_TX,baud=115200"));
  grow(0.4);
  ASSERT_TRUE(waitFor([this] { return engine().bus(1).frameCount() > 100; }));
  Bus bus = engine().bus(0).wanted;
  bus.settings.edit<I2cSettings>().spike = Picoseconds{20000};
  session().changeBus(id(0), bus);
  const std::uint64_t before = rows().shownCount();
  grow(0.6);
  ASSERT_TRUE(waitForMoreThan(before));
  EXPECT_EQ(transactionsOf(0).beginOf(0), Picoseconds{1208162000});
}

TEST_F(Live, AFileThatIsDamagedKeepsWhatWasRead)
{
  follow();
  const std::uint64_t before = rows().shownCount();
  std::ofstream(m_path.toStdString(), std::ios::app) << "\n#5\n1!\n#6\n";
  ASSERT_TRUE(waitFor([this] { return !engine().isLive(); }));
  EXPECT_TRUE(window().notice().text().contains(u"the time goes back"_s)) << window().notice().text().toStdString();
  ASSERT_TRUE(waitIdle());
  EXPECT_GE(rows().shownCount(), before);
}

TEST_F(Live, AFileThatDoesNotExistSaysSo)
{
  engine().source().follow(u"/nowhere/live.vcd"_s);
  ASSERT_TRUE(waitFor([this] { return window().notice().text().contains(u"/nowhere/live.vcd"_s); }));
  EXPECT_FALSE(engine().isLive());
}

TEST_F(Live, AnotherFileFollowedMeanwhileIsAnotherCapture)
{
  follow();
  ASSERT_TRUE(waitForMoreThan(20));
  // The second has one wire, and nothing of the first.
  const QString second = fileWith(
      u"second.vcd"_s, "$timescale 1 us $end $var wire 1 ! LAMP $end $enddefinitions $end\n#0\n0!\n#5\n1!\n#9\n");
  engine().source().follow(second);
  ASSERT_TRUE(waitFor([this] { return engine().isLive() && engine().path().endsWith(u"second.vcd"_s); }));
  EXPECT_EQ(engine().capture()->channels.size(), 1U);
  EXPECT_EQ(engine().capture()->channels[0].name, "LAMP");
  EXPECT_EQ(engine().bus(0).frameCount(), 0U);
  std::ofstream(second.toStdString(), std::ios::app) << "0!\n#20\n1!\n#25\n";
  ASSERT_TRUE(waitFor([this] { return engine().capture()->channels[0].track.size() == 3; }));
}

TEST_F(Live, OpeningAFileEndsTheFollowing)
{
  follow();
  ASSERT_TRUE(window().ledger().isFollowing());
  open(demoPath());
  EXPECT_FALSE(engine().isLive());
  EXPECT_FALSE(window().ledger().isFollowing());
  ASSERT_TRUE(waitIdle());
  EXPECT_EQ(window().ledger().top(), LedgerPlace{}) << "the list begins at its begin";
}

TEST_F(Live, WaitingForAFileThatSaysNothingCanBeCancelled)
{
  engine().source().follow(fileWith(u"empty.vcd"_s, ""));
  EXPECT_TRUE(engine().isOpening());
  QTest::qWait(200);
  QTest::mouseClick(window().notice().findChild<QPushButton*>(u"cancelOpening"_s), Qt::LeftButton);
  EXPECT_FALSE(engine().isOpening());
  EXPECT_FALSE(engine().isLive());
  // And it is really over: what comes now is nobody's.
  std::ofstream(file(u"empty.vcd"_s).toStdString(), std::ios::app)
      << "$timescale 1 us $end $var wire 1 ! LAMP $end $enddefinitions $end\n#0\n0!\n";
  QTest::qWait(300);
  EXPECT_EQ(engine().capture(), nullptr);
}
