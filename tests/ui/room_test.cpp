// A protocol that nothing in the window knows by name: its room is enough for cards, lanes, lists, filters and anatomy.
#include <QMenu>
#include <QToolButton>

#include "support/window_fixture.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

class RoomInTheWindow : public WindowTest {
 protected:
  void openCycle()
  {
    engine().setCapture(std::make_shared<const Capture>(cycle().capture), QStringLiteral("lock-cycle.vcd"));
  }
  void openLamps()
  {
    openCycle();
    addBus("lamps=lin,rx=LAMPS_LIN,baud=19200");
  }
  ui::LedgerView& ledger() { return window().ledger(); }
  static QString toQString(const std::string& text) { return QString::fromStdString(text); }
  QStringList columnChoices()
  {
    QMenu menu;
    ledger().header().addColumnChoices(menu);
    QStringList texts;
    for (const QAction* action : menu.actions())
      texts << action->text();
    return texts;
  }
};

}  // namespace

TEST_F(RoomInTheWindow, IsOfferedWithItsLikelyWireAndFindsItsRate)
{
  openCycle();
  auto* add = window().findChild<QToolButton*>(QStringLiteral("addBus"));
  QStringList offered;
  for (QAction* action : add->menu()->actions()) {
    offered << action->text();
    if (action->text() == QStringLiteral("LIN"))
      action->trigger();
  }
  EXPECT_EQ(offered.size(), static_cast<qsizetype>(protocols().size()));
  ASSERT_TRUE(waitIdle());
  ASSERT_EQ(engine().busCount(), 1);
  EXPECT_EQ(engine().bus(0).wanted.channelOf("rx"), "LAMPS_LIN");
  EXPECT_EQ(engine().bus(0).shown.settings.text("baud"), "19200") << "from its sync bytes";
  const QStringList lines = window().buses().cards()[0]->lines();
  EXPECT_EQ(lines[1], QStringLiteral("LIN"));
  EXPECT_EQ(lines[2], QStringLiteral("auto · LAMPS_LIN"));
  EXPECT_EQ(lines[3], QStringLiteral("19 200 Bd 0.00 %"));
  EXPECT_EQ(lines[4], QStringLiteral("254 frames"));
  EXPECT_EQ(lines[5], QStringLiteral("clean"));
  // The editor is made from the room's table.
  ASSERT_NE(editor(0), nullptr);
  EXPECT_EQ(setting(0, "checksum")->count(), 3);
}

TEST_F(RoomInTheWindow, SaysAndOpensItsFrames)
{
  openLamps();
  const Transactions& lamps = transactionsOf(0);
  const std::uint64_t frame = lamps.firstFrom(53ms);
  focus().select({streamId(0, 0), frame, lamps.beginOf(frame)});
  EXPECT_EQ(window().findChild<ui::AnatomyPanel*>()->title(), QStringLiteral("22 01 01 5E 40"));
  EXPECT_EQ(window().findChild<ui::AnatomyPanel*>()->fieldLines(),
            (QStringList{QStringLiteral("identifier 22 sent as E2"), QStringLiteral("byte 0 01 "),
                         QStringLiteral("byte 1 01 "), QStringLiteral("byte 2 5E "), QStringLiteral("byte 3 40 "),
                         QStringLiteral("checksum 7C enhanced, right")}));
  const auto* strip = window().findChild<ui::BitStrip*>();
  ASSERT_NE(strip, nullptr);
  EXPECT_EQ(window().timeline().lanes().front().detail, QStringLiteral("LIN"));
}

TEST_F(RoomInTheWindow, ItsPropertiesAreColumnsOfItsOwnListAndAreFilteredBy)
{
  openLamps();
  const QStringList ofLin = columnChoices();
  EXPECT_TRUE(ofLin.contains(QStringLiteral("checksum model")));
  EXPECT_FALSE(ofLin.contains(QStringLiteral("DLC"))) << "a choice that makes no sense is not offered";
  const auto model = std::find_if(ledgerColumns().begin(), ledgerColumns().end(),
                                  [](const LedgerColumnSpec& c) { return c.key == "checksum_model"; });
  ASSERT_NE(model, ledgerColumns().end());
  ledger().header().setShown(model->column, true);
  EXPECT_TRUE(ledger().header().isShown(model->column));
  const LedgerCellContext first = rows().contextOf(rows().merged().at(0), 0);
  EXPECT_EQ(cellOf(model->column, first, 10).text, "classic");
  EXPECT_EQ(termOf(model->column, first), "checksum_model:classic");
  EXPECT_EQ(termOf(LedgerColumn::Transaction, first), "id:3C");
  window().ledgers().filter().setText(QStringLiteral("checksum_model:classic"));
  ASSERT_TRUE(waitFor([&] { return rows().shownCount() == 2; })) << rows().shownCount();
}

TEST_F(RoomInTheWindow, ASecondBusOfAnotherKindSharesTheList)
{
  openLamps();
  addBus("drives=can,rx=CAN_RX,bitrate=500000,fd_bitrate=2000000");
  window().ledgers().filter().setText(QStringLiteral("id:11,121"));
  ASSERT_TRUE(waitFor([&] { return rows().shownCount() > 10 && !window().ledgers().filter().isScanning(); }));
  std::set<std::string> buses;
  for (const LedgerRow& row : rows().merged().rows(0, 200))
    buses.insert(rows().merged().sources()[row.source].bus.name);
  EXPECT_EQ(buses, (std::set<std::string>{"lamps", "drives"})) << "a key that both have asks both";
}
