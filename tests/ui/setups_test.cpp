#include "ui/window/setups.h"
#include "support/window_fixture.h"
#include "ui/import/channels_dialog.h"
#include "ui/window/notice_bar.h"

using namespace bexto;
using namespace bexto::test;
using namespace bexto::ui;

namespace {

class SetupsInWindow : public WindowTest {
 protected:
  void SetUp() override
  {
    WindowTest::SetUp();
    openDemo();
    session().setConditioning({"SDA"}, {Picoseconds{50000}, false});
    LaneArrangement lanes = session().value().lanes;
    lanes.setName("SCL", "clock");
    lanes.setColour("SDA", WireColour::Violet);
    session().setLanes(QStringLiteral("names"), lanes);
    m_path = file(QStringLiteral("lock.setup.json"));
    window().setups().keep(m_path);
    EXPECT_EQ(window().notice().text(), QStringLiteral("Kept in lock.setup.json."));
  }
  ChannelsDialog* dialog() { return window().findChild<ChannelsDialog*>(QStringLiteral("channels")); }
  /// The demo's wires under other names, and nothing set up.
  void openOther(const std::vector<std::string>& names)
  {
    Capture other = cycle().capture;
    other.channels.erase(other.channels.begin() + 3, other.channels.end());
    for (std::size_t i = 0; i < 3; ++i)
      other.channels[i].path = names[i];
    nameChannels(other);
    while (engine().busCount() > 0)
      session().removeBus(id(0));
    session().setConditioning({"SDA"}, {});
    session().setLanes(QStringLiteral("none"), {});
    engine().setCapture(std::make_shared<const Capture>(std::move(other)), QStringLiteral("other.vcd"));
    ASSERT_TRUE(waitIdle());
  }

  QString m_path;
};

}  // namespace

TEST_F(SetupsInWindow, WhereNamesFitNothingIsAsked)
{
  openOther({"board.SCL", "board.SDA", "board.CONSOLE_TX"});
  window().setups().putOn(m_path);
  EXPECT_EQ(dialog(), nullptr);
  ASSERT_TRUE(waitIdle());
  ASSERT_EQ(engine().busCount(), 2);
  EXPECT_GT(engine().bus(0).transactionCount(), 1000U);
  EXPECT_GT(engine().bus(1).transactionCount(), 10U);
  EXPECT_EQ(session().value().lanes.nameOf("board.SCL", ""), "clock");
  EXPECT_EQ(session().value().lanes.colourOf("board.SDA"), WireColour::Violet);
  EXPECT_EQ(session().value().conditioning.at("board.SDA").minPulse, Picoseconds{50000});
  EXPECT_EQ(window().notice().text(), QStringLiteral("2 buses are set up."));
  session().undo();
  EXPECT_EQ(engine().busCount(), 0) << "one step back";
}

TEST_F(SetupsInWindow, WhatIsCalledOtherwiseIsAskedForOnce)
{
  openOther({"board.SCL", "pin_7", "pin_8"});
  window().setups().putOn(m_path);
  ASSERT_NE(dialog(), nullptr);
  EXPECT_EQ(engine().busCount(), 0) << "nothing happens before the answer";
  const auto choice = [this](const char* name) {
    return dialog()->findChild<QComboBox*>(QStringLiteral("channel ") + QLatin1String(name));
  };
  EXPECT_EQ(choice("SCL"), nullptr) << "that one is there";
  ASSERT_NE(choice("SDA"), nullptr);
  choice("SDA")->setCurrentText(QStringLiteral("pin_7"));
  choice("CONSOLE_TX")->setCurrentIndex(0);
  dialog()->findChild<QPushButton*>(QStringLiteral("putOn"))->click();
  ASSERT_TRUE(waitIdle());
  ASSERT_EQ(engine().busCount(), 2);
  EXPECT_GT(engine().bus(0).transactionCount(), 1000U);
  ASSERT_TRUE(engine().bus(1).error) << "its channel was not chosen";
  EXPECT_EQ(session().value().conditioning.at("pin_7").minPulse, Picoseconds{50000});
}

TEST_F(SetupsInWindow, WhatIsCalledNearlySoIsProposed)
{
  openOther({"SCL", "b.sda_out", "pin_8"});
  window().setups().putOn(m_path);
  ASSERT_NE(dialog(), nullptr);
  const auto proposed = [this](const char* name) {
    return dialog()->findChild<QComboBox*>(QStringLiteral("channel ") + QLatin1String(name))->currentText();
  };
  EXPECT_EQ(proposed("SDA"), QStringLiteral("sda_out"));
  EXPECT_EQ(proposed("CONSOLE_TX"), QStringLiteral("none of them"));
}

TEST_F(SetupsInWindow, AFileThatIsNoneIsSaidAndChangesNothing)
{
  window().setups().putOn(fileWith(QStringLiteral("odd.json"), "{ \n oh"));
  EXPECT_TRUE(window().notice().text().contains(QStringLiteral("odd.json, line 2: is no JSON")))
      << window().notice().text().toStdString();
  EXPECT_EQ(engine().busCount(), 2);
  window().setups().keep(file(QStringLiteral("none/a.setup.json")));
  EXPECT_TRUE(window().notice().text().contains(QStringLiteral("none")));
}
