// Messages that came in several frames: lines of their own, and the way to their parts and back.
#include <QToolButton>

#include "core/device/sheet_file.h"
#include "support/packet_file.h"
#include "support/window_fixture.h"
#include "ui/query/filter_bar.h"
#include "ui/timeline/plot_series.h"

using namespace bexto;
using namespace bexto::test;
using namespace Qt::StringLiterals;

namespace {

constexpr const char* kSheet =
    "sheet: 1\ndevice: gate\nbus: can\norder: big\n"
    "transport:\n  tester: {id: 0x6E0, flow: 0x6E8, from: bench}\n  gate: {id: 0x6E8, flow: 0x6E0, from: gate 1}\n"
    "messages:\n"
    "  ask:\n    over: tester\n    match: {byte: 0, value: 0x22}\n    text: asks\n"
    "  tell:\n    over: gate\n    match: {byte: 0, value: 0x62}\n    answers: ask\n"
    "    fields: {hours: {byte: 9, bytes: 2, unit: h}}\n    text: \"tells {hours}\"\n";

class WholeMessages : public WindowTest {
 protected:
  /// Frame 0 is alone; 1 asks; 2, 4 and 6 tell 258 hours, with others between and flow control in 3.
  void SetUp() override
  {
    WindowTest::SetUp();
    BlockFile packets;
    packets.named("can0");
    std::uint64_t t = 0;
    const auto say = [&](std::uint32_t id, const Bytes& bytes) { packets.packet(0, t += 1000, canRecord(id, bytes)); };
    say(0x100, {1});
    for (int i = 0; i < 3; ++i) {
      say(0x6E0, {0x01, 0x22});
      say(0x6E8, {0x10, 14, 0x62, 1, 2, 3, 4, 5});
      say(0x6E0, {0x30, 0, 0});
      say(0x6E8, {0x21, 6, 7, 8, 1, static_cast<std::uint8_t>(2 + i), 9, 9});
      say(0x100, {2});
      say(0x6E8, {0x22, 9});
    }
    open(fileWith(u"log.pcapng"_s, packets.content));
    Bus described = session().value().buses.front().bus;
    attachSheet(described, {"gate.yaml", kSheet});
    session().setSheets(id(0), described.sheets);
    ASSERT_TRUE(waitFor([&] { return engine().bus(0).streams.size() == 2; }));
    ASSERT_TRUE(waitIdle());
  }
  const Transactions& wholes() { return transactionsOf(0, 1); }
  QToolButton* way(const QString& name) { return window().anatomy().findChild<QToolButton*>(name); }
};

}  // namespace

TEST_F(WholeMessages, AreALineOfTheirOwn)
{
  EXPECT_EQ(wholes().size(), 6U);
  EXPECT_EQ(engine().bus(0).frameCount(), 19U) << "no frame is counted twice";
  EXPECT_EQ(sentenceOf(engine().bus(0).shown, wholes(), 1).text(), "gate 1 tells 258 h");
  const auto& lanes = window().timeline().lanes();
  ASSERT_EQ(lanes.size(), 2U);
  EXPECT_EQ(lanes[1].direction, u"WHOLE"_s);
  EXPECT_EQ(lanes[1].stream, streamId(0, 1));
  window().ledgers().filter().setText(u"message:tell"_s);
  ASSERT_TRUE(waitFor([&] { return rows().shownCount() == 3; }));
  window().ledgers().filter().setText(u"hours:260"_s);
  ASSERT_TRUE(waitFor([&] { return rows().shownCount() == 1; }));
}

TEST_F(WholeMessages, LeadToTheirPartsAndBack)
{
  focus().goTo(ui::selectionOf(streamId(0, 1), wholes(), 1));
  ASSERT_NE(way(u"kin"_s), nullptr);
  EXPECT_EQ(way(u"kin"_s)->text(), u"came in 4 frames ›"_s);
  EXPECT_TRUE(way(u"partner"_s)->text().startsWith(u"answers after"_s));
  QTest::mouseClick(way(u"kin"_s), Qt::LeftButton);
  EXPECT_EQ(focus().selection().stream, streamId(0, 0));
  EXPECT_EQ(focus().selection().frame, 2U);
  EXPECT_EQ(way(u"kin"_s)->text(), u"part of a message ›"_s);
  // From a later part as well, by the keyboard.
  focus().goTo(ui::selectionOf(streamId(0, 0), transactionsOf(0), 6));
  window().ledger().setFocus();
  QTest::keyClick(&window().ledger(), Qt::Key_R, Qt::ShiftModifier);
  EXPECT_EQ(focus().selection().stream, streamId(0, 1));
  EXPECT_EQ(focus().selection().frame, 1U);
  // To what it answers, which is whole too.
  QTest::keyClick(&window().ledger(), Qt::Key_R);
  EXPECT_EQ(focus().selection().frame, 0U);
  focus().goTo(ui::selectionOf(streamId(0, 0), transactionsOf(0), 0));
  EXPECT_TRUE(way(u"kin"_s)->isHidden());
  QTest::keyClick(&window().ledger(), Qt::Key_R, Qt::ShiftModifier);
  EXPECT_TRUE(window().notice().text().contains(u"no part of a message"_s));
}

TEST_F(WholeMessages, GoWithTheSheetAndComeBack)
{
  focus().goTo(ui::selectionOf(streamId(0, 1), wholes(), 1));
  session().setSheets(id(0), {});
  ASSERT_TRUE(waitFor([&] { return engine().bus(0).streams.size() == 1; }));
  EXPECT_EQ(window().timeline().lanes().size(), 1U);
  session().undo();
  ASSERT_TRUE(waitFor([&] { return engine().bus(0).streams.size() == 2; }));
  EXPECT_EQ(wholes().size(), 6U);
  session().addPlot({id(0), {"gate", "tell", "hours"}});
  const auto& views = window().timeline().plots().views();
  ASSERT_TRUE(waitFor([&] { return views.size() == 1 && !views.front()->making; }));
  EXPECT_EQ(views.front()->series.size(), 3U);
  EXPECT_EQ(views.front()->stream, streamId(0, 1));
  EXPECT_EQ(window().timeline().lanes().back().name, u"tell hours"_s);
}
