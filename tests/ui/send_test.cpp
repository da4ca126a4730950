// Send: in the Bench of a real window, to an instrument, a serial line and a CAN interface of the rig.
#include "ui/bench/send_row.h"

#include <QLabel>

#include "core/store/session_store.h"
#include "rig/peers/can_peer.h"
#include "rig/peers/serial_peer.h"
#include "support/answers.h"
#include "support/bench_fixture.h"
#include "support/instrument_bench.h"
#include "support/sessions.h"
#include "support/virtual_can.h"

using namespace bexto;
using namespace bexto::test;
using namespace bexto::ui;
using namespace std::chrono_literals;

namespace {

class Send : public BenchTest {
 protected:
  void open(const std::string& url)
  {
    CapturePlan plan = session().value().plan;
    plan.source = url;
    session().plan(plan);
    bench().setOpen(true);
    ASSERT_TRUE(waitFor([this] { return !bench().facts().inputs.empty(); }));
  }
  void type(const QString& line)
  {
    auto& edit = part<QLineEdit>("sendLine");
    edit.setText(line);
    QTest::keyClick(&edit, Qt::Key_Return);
  }
  std::size_t ours()
  {
    std::size_t count = 0;
    for (const LedgerSource& source : engine().ledgerSources()) {
      for (std::uint64_t i = 0; i < source.transactions.size(); ++i)
        count += isSent(source.sent.get(), source.transactions.beginOf(i)) ? 1U : 0U;
    }
    return count;
  }
  bool stopAndWait()
  {
    bench().stop();
    return waitFor([this] { return !source().isRecording(); }, 20000) && waitIdle();
  }
};

}  // namespace

TEST_F(Send, ATransferIsPutOnTheWiresAndTheBoardAnswers)
{
  const InstrumentBench instrument(1);
  session().addBus(*parseBusSpec("sensors=i2c,scl=SCL,sda=SDA"));
  open(instrument.url());
  EXPECT_TRUE(bench().findChild<SendRow*>()->isVisible());
  EXPECT_EQ(part<QLineEdit>("sendLine").placeholderText(), QStringLiteral("2A write 10 read 3"));
  // Nothing is recorded yet: to send begins it.
  type(QStringLiteral("2A write 10 read 3"));
  EXPECT_TRUE(source().isRecording());
  ASSERT_TRUE(waitFor([this] { return engine().capture() && !engine().capture()->sent.empty(); }, 20000));
  ASSERT_TRUE(stopAndWait());
  EXPECT_EQ(ours(), 1U);
  // The list finds it among all that the board said by itself.
  window().ledgers().filter().setText(QStringLiteral("sent"));
  ASSERT_TRUE(waitFor([this] { return rows().shownCount() == 1; }));
  EXPECT_TRUE(window().ledger().spokenText(0, 3).startsWith(QStringLiteral("sent, 2A")))
      << window().ledger().spokenText(0, 3).toStdString();
  EXPECT_TRUE(session().value().sends.size() == 1 && session().value().sends[0].text == "2A write 10 read 3");
  EXPECT_EQ(session().value().sends[0].bus, session().value().buses[0].id);
}

TEST_F(Send, WhatIsWrongIsSaidAndNotSent)
{
  const InstrumentBench instrument(1);
  session().addBus(*parseBusSpec("sensors=i2c,scl=SCL,sda=SDA"));
  open(instrument.url());
  type(QStringLiteral("2A poke"));
  EXPECT_FALSE(source().isRecording());
  EXPECT_TRUE(part<QLabel>("sendHelp").text().contains(QStringLiteral("2A write 10 read 3")));
  EXPECT_FALSE(part<QPushButton>("sendNow").isEnabled());
  EXPECT_TRUE(session().value().sends.empty());
  part<QLineEdit>("sendLine").setText(QStringLiteral("2A write 10"));
  part<QComboBox>("sendEvery").setEditText(QStringLiteral("soon"));
  EXPECT_FALSE(part<QPushButton>("sendNow").isEnabled());
}

TEST_F(Send, ASerialLineNeedsNoBusAndAnswers)
{
  rig::SerialPeer peer;
  ASSERT_TRUE(peer.open());
  open("serial:" + peer.port().toStdString() + "?baud=115200");
  EXPECT_FALSE(part<QComboBox>("benchRate").isEnabled()) << "nobody samples characters";
  type(QStringLiteral("\"level?\" 0D 0A"));
  ASSERT_TRUE(waitFor([this] { return engine().capture() && engine().busCount() == 1 && ours() == 1; }, 20000));
  ASSERT_TRUE(waitFor([this] { return engine().capture()->channels.at(0).records->size() > 0; }));
  EXPECT_TRUE(part<QLabel>("benchStatus").text().contains(QStringLiteral("sent 1")));
  ASSERT_TRUE(stopAndWait());
  EXPECT_EQ(engine().bus(0).streams.size(), 2U) << "received and sent";
  EXPECT_EQ(ours(), 1U);
  // The kept line is a click away, though its bus was none when it was sent.
  const auto pills = bench().findChild<SendRow*>()->findChildren<QPushButton*>();
  const auto pill = std::find_if(pills.begin(), pills.end(),
                                 [](QPushButton* b) { return b->text().contains(QStringLiteral("level?")); });
  ASSERT_NE(pill, pills.end());
  QTest::mouseClick(*pill, Qt::LeftButton);
  EXPECT_TRUE(source().isRecording());
  ASSERT_TRUE(waitFor([this] { return source().status().sent == 1; }, 20000));
  ASSERT_TRUE(stopAndWait());
}

TEST_F(Send, FramesAreSentEverySoOftenUntilItIsEnded)
{
  rig::CanPeer peer(QStringLiteral("virtualcan"), QString::fromStdString(virtualCan("can0")));
  ASSERT_TRUE(peer.connectDevice());
  open(virtualCanUrl("can0"));
  part<QComboBox>("sendEvery").setEditText(QStringLiteral("20 ms"));
  type(QStringLiteral("122 0B 01"));
  ASSERT_TRUE(waitFor([this] { return source().status().sent >= 5; }, 20000));
  auto& button = part<QPushButton>("sendNow");
  EXPECT_EQ(button.text(), QStringLiteral("End"));
  QTest::mouseClick(&button, Qt::LeftButton);
  EXPECT_EQ(button.text(), QStringLiteral("Send"));
  ASSERT_TRUE(stopAndWait());
  EXPECT_GE(ours(), 5U);
  // The list is behind a little; and one that was sent as the recording ended is in none.
  EXPECT_TRUE(waitFor([this] { return ours() + 1 >= engine().capture()->sent.size(); }));
  EXPECT_TRUE(engine().capture()->isOnlyRecords());
}

TEST_F(Send, TheListAndWhatWasSentAreKeptWithTheSession)
{
  rig::SerialPeer peer;
  ASSERT_TRUE(peer.open());
  open("serial:" + peer.port().toStdString());
  type(QStringLiteral("\"help\" 0A"));
  ASSERT_TRUE(waitFor([this] { return engine().capture() && engine().busCount() == 1 && ours() == 1; }, 20000));
  ASSERT_TRUE(stopAndWait());
  const Folder folder;
  const std::string path = folder / "sent.bexto";
  ASSERT_TRUE(waitFor([this] { return workspace().keeper.isIdle(); }));
  workspace().keeper.saveAs(toQString(path));
  ASSERT_TRUE(waitFor([this] { return workspace().keeper.isIdle() && !workspace().keeper.isSaving(); }, 20000));
  const auto opened = SessionStore::open(path);
  ASSERT_TRUE(opened) << opened.error().text();
  EXPECT_EQ(opened->file.session.sends, session().value().sends);
  ASSERT_EQ(opened->file.segments.size(), 1U);
  EXPECT_EQ(opened->file.segments[0].capture->sent, engine().capture()->sent);
}

TEST_F(Send, ALineOfTheListCanBeWhatARecordingBeginsWith)
{
  rig::CanPeer peer(QStringLiteral("virtualcan"), QString::fromStdString(virtualCan("can0")));
  ASSERT_TRUE(peer.connectDevice());
  open(virtualCanUrl("can0"));
  bench().record();
  ASSERT_TRUE(waitFor(
      [this] {
        return engine().capture() && engine().busCount() == 1 && !engine().bus(0).streams.empty() &&
               engine().bus(0).streams[0].transactions.size() > 3;
      },
      20000));
  ASSERT_TRUE(stopAndWait());
  Q_EMIT window().ledger().startWanted(QStringLiteral("id:121"));
  EXPECT_EQ(session().value().plan.start.query, "id:121");
  EXPECT_TRUE(bench().isOpen());
  bench().record();
  ASSERT_TRUE(waitFor([this] { return !source().isRecording(); }, 20000));
  ASSERT_TRUE(waitIdle());
  ASSERT_TRUE(engine().capture()->trigger);
}

TEST_F(Send, ALineOfTheListCanBeForgotten)
{
  rig::SerialPeer peer;
  ASSERT_TRUE(peer.open());
  open("serial:" + peer.port().toStdString());
  session().keepSend({BusId::None, "\"help\" 0A", {}});
  session().keepSend({BusId::None, "\"state\" 0A", std::chrono::milliseconds{50}});
  const auto pills = [&] {
    QList<QPushButton*> found;
    for (QPushButton* const button : bench().findChild<SendRow*>()->findChildren<QPushButton*>()) {
      if (button->property("pill").toBool() && !button->isHidden())
        found << button;
    }
    return found;
  };
  ASSERT_EQ(pills().size(), 2);
  EXPECT_EQ(pills()[0]->text(), QStringLiteral("\"state\" 0A  every 50.0 ms")) << "the last one first";
  QPushButton* const second = pills()[1];
  EXPECT_TRUE(pickedFromMenu([&] { Q_EMIT second->customContextMenuRequested({3, 3}); }, QStringLiteral("Forget it")));
  ASSERT_EQ(session().value().sends.size(), 1U);
  EXPECT_EQ(session().value().sends.front().text, "\"state\" 0A");
  EXPECT_TRUE(waitFor([&] { return pills().size() == 1; }));
}
