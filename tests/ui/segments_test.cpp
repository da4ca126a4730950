#include "support/sessions.h"
#include "support/window_fixture.h"
#include "ui/markers/markers_panel.h"
#include "ui/segments/segment_row.h"

using namespace bexto;
using namespace bexto::test;
using namespace bexto::ui;

namespace {

class Segments : public WindowTest {
 protected:
  /// Two runs of the same wires, and a bus on them that serves both.
  void SetUp() override
  {
    WindowTest::SetUp();
    SessionFile file;
    bexto::addBus(file.session, *parseBusSpec("talk=uart,rx=TALK,baud=100000"));
    file.segments.push_back({"first run", "2031-03-17T06:12:00Z", "", true, longTalk(100)});
    file.segments.push_back({"second run", "2031-03-17T06:13:30Z", "talk \"stalled\"", true, longTalk(300)});
    NoProgress progress;
    m_path = (m_folder / "two.bexto");
    ASSERT_TRUE(writeSession(m_path, file, {}, progress));
    open(toQString(m_path));
  }
  std::uint64_t lines() { return engine().bus(0).transactionCount(); }
  SegmentRow& row() { return window().segments(); }
  bool waitKept()
  {
    return waitFor([this] { return workspace().keeper.isIdle() && !workspace().keeper.isSaving(); });
  }

  Folder m_folder;
  std::string m_path;
};

}  // namespace

TEST_F(Segments, EachHasAPillAndAClickShowsIt)
{
  ASSERT_TRUE(row().isVisible());
  ASSERT_EQ(row().pillCount(), 2);
  EXPECT_TRUE(row().pill(0).text().startsWith(QStringLiteral("1 · "))) << row().pill(0).text().toStdString();
  EXPECT_TRUE(row().pill(0).text().endsWith(QStringLiteral(":12:00 · first run")));
  EXPECT_TRUE(row().pill(1).text().endsWith(QStringLiteral(":13:30 · talk \"stalled\""))) << "what started it";
  EXPECT_TRUE(row().pill(0).isChecked());
  EXPECT_EQ(lines(), 7U) << "sixteen characters a line";
  QTest::mouseClick(&row().pill(1), Qt::LeftButton);
  ASSERT_TRUE(waitIdle());
  EXPECT_TRUE(row().pill(1).isChecked());
  EXPECT_FALSE(row().pill(0).isChecked());
  EXPECT_EQ(lines(), 19U) << "the bus serves all";
  EXPECT_FALSE(workspace().keeper.isModified()) << "looking around is no change";
}

TEST_F(Segments, OneSegmentNeedsNoRow)
{
  openDemo();
  EXPECT_FALSE(row().isVisible());
}

TEST_F(Segments, ArrowsAndShortcutsWalkThem)
{
  row().pill(0).setFocus();
  QTest::keyClick(&row().pill(0), Qt::Key_Right);
  EXPECT_EQ(engine().shownSegment(), 1U);
  EXPECT_TRUE(row().pill(1).hasFocus()) << "the keyboard stays among them";
  QTest::keyClick(&row().pill(1), Qt::Key_Right);
  EXPECT_EQ(engine().shownSegment(), 1U) << "there is no further one";
  QTest::keyClick(&window(), Qt::Key_BracketLeft, Qt::ControlModifier);
  EXPECT_EQ(engine().shownSegment(), 0U);
}

TEST_F(Segments, MarkersBelongToTheirSegmentAndTheViewComesBack)
{
  session().addMarker(Picoseconds{50000000});
  const TimeRange looked{Picoseconds{1000000}, Picoseconds{90000000}};
  focus().show(looked);
  const TimeRange before = focus().axis().span();
  engine().showSegment(1);
  ASSERT_TRUE(waitIdle());
  EXPECT_TRUE(session().markers().empty());
  session().addMarker(Picoseconds{60000000});
  ASSERT_EQ(session().markers().size(), 1U);
  EXPECT_EQ(session().markers()[0].name, "B") << "a name is one of all";
  EXPECT_NE(focus().axis().span(), before);
  engine().showSegment(0);
  ASSERT_TRUE(waitIdle());
  ASSERT_EQ(session().markers().size(), 1U);
  EXPECT_EQ(session().markers()[0].name, "A");
  EXPECT_EQ(focus().axis().span(), before);
  session().clearMarkers();
  EXPECT_EQ(session().value().markers.size(), 1U) << "of the other segment";
}

TEST_F(Segments, AStepBackIsTakenWhereItCanBeSeen)
{
  session().addMarker(Picoseconds{50000000});
  engine().showSegment(1);
  ASSERT_TRUE(waitIdle());
  QTest::keyClick(&window(), Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(engine().shownSegment(), 0U);
  EXPECT_TRUE(session().markers().empty());
  engine().showSegment(1);
  QTest::keyClick(&window(), Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
  EXPECT_EQ(engine().shownSegment(), 0U);
  EXPECT_EQ(session().markers().size(), 1U);
  // What serves all segments is undone where one is.
  engine().showSegment(1);
  ASSERT_TRUE(waitIdle());
  session().removeBus(id(0));
  QTest::keyClick(&window(), Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(engine().shownSegment(), 1U);
  EXPECT_EQ(engine().busCount(), 1);
}

TEST_F(Segments, ASavedSessionComesBackWithTheOneThatWasShown)
{
  engine().showSegment(1);
  ASSERT_TRUE(waitIdle());
  session().addMarker(Picoseconds{60000000});
  workspace().keeper.save();
  ASSERT_TRUE(waitKept());
  open(demoPath());
  open(toQString(m_path));
  EXPECT_EQ(engine().shownSegment(), 1U);
  ASSERT_EQ(session().markers().size(), 1U);
  engine().showSegment(0);
  EXPECT_TRUE(session().markers().empty());
}

TEST_F(Segments, ACaptureIsAddedByItsTimeAndSavedWithTheOthers)
{
  engine().source().add(demoPath());
  ASSERT_TRUE(waitFor([this] { return engine().segments().size() == 3; }));
  EXPECT_EQ(row().pillCount(), 3);
  // The file is of today, so before both.
  EXPECT_EQ(engine().segments()[0].name, "lock-cycle");
  EXPECT_EQ(engine().shownSegment(), 1U) << "what is shown stays";
  EXPECT_EQ(lines(), 7U);
  EXPECT_TRUE(workspace().keeper.isModified());
  workspace().keeper.save();
  ASSERT_TRUE(waitKept());
  EXPECT_FALSE(workspace().keeper.isModified());
  const auto saved = SessionStore::open(m_path);
  ASSERT_TRUE(saved);
  ASSERT_EQ(saved->file.segments.size(), 3U);
  EXPECT_EQ(saved->file.shown, 1U);
  EXPECT_EQ(saved->file.segments[0].capture->channels.size(), 3U);
}

TEST_F(Segments, WhatWasAddedAndNotSavedIsThereAfterwards)
{
  engine().source().add(demoPath());
  ASSERT_TRUE(waitFor([this] { return engine().segments().size() == 3; }));
  ASSERT_TRUE(waitKept());
  open(demoPath());
  ASSERT_TRUE(waitKept());
  const auto left = workspace().keeper.left();
  ASSERT_FALSE(left.empty());
  workspace().keeper.restore(left.back().path);
  ASSERT_TRUE(waitFor([this] { return engine().segments().size() == 3; }));
  EXPECT_TRUE(workspace().keeper.isModified());
  EXPECT_EQ(workspace().keeper.path(), toQString(m_path));
}

TEST_F(Segments, OneIsRenamedAndRemoved)
{
  session().addMarker(Picoseconds{50000000});
  engine().renameSegment(0, QStringLiteral("  cold "));
  EXPECT_TRUE(row().pill(0).text().endsWith(QStringLiteral("cold")));
  EXPECT_TRUE(workspace().keeper.isModified());
  workspace().keeper.save();
  ASSERT_TRUE(waitKept());
  EXPECT_EQ(SessionStore::open(m_path)->file.segments[0].name, "cold");
  engine().removeSegment(0);
  ASSERT_TRUE(waitIdle());
  EXPECT_FALSE(row().isVisible());
  EXPECT_EQ(lines(), 19U) << "the other is shown";
  EXPECT_TRUE(session().value().markers.empty());
  EXPECT_TRUE(workspace().keeper.isModified());
  engine().removeSegment(0);
  EXPECT_EQ(engine().segments().size(), 1U) << "the last one stays";
  // What is added later is not taken for the one that is gone.
  engine().source().add(demoPath());
  ASSERT_TRUE(waitFor([this] { return engine().segments().size() == 2; }));
  EXPECT_NE(engine().segments()[0].id, SegmentId{1});
}

TEST_F(Segments, TheLedgerListsAllInARow)
{
  auto* const all = window().findChild<QToolButton*>(QStringLiteral("allSegments"));
  ASSERT_TRUE(all->isVisible());
  EXPECT_EQ(window().ledger().rows().allCount(), 7U);
  all->click();
  ASSERT_TRUE(waitFor([this] { return window().ledger().rows().allCount() == 26; }));
  const MergedRows& rows = window().ledger().rows().merged();
  EXPECT_EQ(rows.sources()[rows.at(0).source].name(), "talk · 1");
  EXPECT_EQ(rows.sources()[rows.at(7).source].name(), "talk · 2");
  EXPECT_EQ(rows.beginOf(rows.at(7)) - rows.beginOf(rows.at(0)), Picoseconds{90} * 1000000000000)
      << "the second began ninety seconds later";
  // Picked, a line of the other segment shows that one; the list is the same, and the line is current.
  clickLedger(10);
  ASSERT_TRUE(waitFor([this] { return focus().selection().valid(); }));
  EXPECT_EQ(engine().shownSegment(), 1U);
  EXPECT_TRUE(row().pill(1).isChecked());
  ASSERT_TRUE(waitFor([this] { return window().ledger().rows().allCount() == 26; }));
  EXPECT_EQ(window().ledger().current().row, 10U);
  EXPECT_EQ(focus().selectedTime(), transactionsOf(0).timeOf(3));
  EXPECT_TRUE(focus().axis().span().contains(focus().selectedTime().begin));
  const MergedRows& now = window().ledger().rows().merged();
  EXPECT_EQ(now.sources()[now.at(0).source].name(), "talk · 1");
  EXPECT_LT(now.beginOf(now.at(0)), Picoseconds{0}) << "before the begin of the one that is shown";
  // A filter and a search go through all of them.
  window().ledgers().filter().setText(QStringLiteral("time<1ms"));
  ASSERT_TRUE(waitFor([this] { return window().ledger().rows().shownCount() == 2; }))
      << window().ledger().rows().shownCount();
  window().ledgers().filter().setText({});
  all->click();
  ASSERT_TRUE(waitFor([this] { return window().ledger().rows().allCount() == 19; }));
}

TEST_F(Segments, AChangedBusIsDecodedInAllOfThem)
{
  engine().listAllSegments(true);
  ASSERT_TRUE(waitFor([this] { return window().ledger().rows().allCount() == 26; }));
  Bus bus = engine().bus(0).wanted;
  bus.format = ValueFormat::Hex;
  session().changeBus(id(0), bus);
  ASSERT_TRUE(bus.set("baud", "50000"));
  session().changeBus(id(0), bus);
  const auto differs = [this] {
    const MergedRows& rows = window().ledger().rows().merged();
    for (const LedgerSource& source : rows.sources()) {
      if (source.bus.values() != engine().bus(0).wanted.values())
        return false;
    }
    return rows.sources().size() == 2;
  };
  EXPECT_TRUE(waitFor(differs));
  session().removeBus(id(0));
  EXPECT_TRUE(waitFor([this] { return window().ledger().rows().allCount() == 0; }));
}
