// The Bench over a socket, with the simulated instrument at the other end.

#include <QLabel>

#include "core/decode/decoder.h"
#include "core/store/session_store.h"
#include "core/view/overview.h"
#include "support/bench_fixture.h"
#include "support/instrument_bench.h"
#include "ui/bench/channels_choice.h"
#include "ui/segments/segment_row.h"

using namespace bexto;
using namespace bexto::test;
using namespace bexto::ui;
using namespace std::chrono_literals;

namespace {

class Bench : public BenchTest {
 protected:
  void start(double speed) { m_instrument = std::make_unique<InstrumentBench>(speed); }
  const CapturePlan& plan() { return session().value().plan; }
  void typeSource()
  {
    QTest::keyClick(&window(), Qt::Key_B, Qt::ControlModifier);
    auto& edit = part<QLineEdit>("benchSource");
    EXPECT_TRUE(edit.hasFocus());
    QTest::keyClicks(&edit, toQString(m_instrument->url()));
    QTest::keyClick(&edit, Qt::Key_Return);
    ASSERT_TRUE(waitFor([this] { return !bench().facts().inputs.empty(); }));
  }
  void setPlan(const std::function<void(CapturePlan&)>& with)
  {
    CapturePlan changed = plan();
    changed.source = m_instrument->url();
    with(changed);
    session().plan(changed);
  }
  bool waitRecorded()
  {
    return waitFor([this] { return !source().isRecording(); }, 20000) && waitIdle();
  }
  bool waitKept()
  {
    return waitFor([this] { return workspace().keeper.isIdle() && !workspace().keeper.isSaving(); });
  }
  void addLockBuses()
  {
    session().addBus(*parseBusSpec("sensors=i2c,scl=SCL,sda=SDA"));
    session().addBus(*parseBusSpec("drives=can,rx=CAN_RX,bitrate=500000,fd_bitrate=2000000"));
  }

  std::unique_ptr<InstrumentBench> m_instrument;
};

}  // namespace

TEST_F(Bench, SaysWhatTheSourceIsAndRecordsFromIt)
{
  start(0);
  EXPECT_FALSE(bench().isVisible());
  typeSource();
  EXPECT_TRUE(part<QLabel>("benchSourceSays").text().startsWith(QStringLiteral("RIG-16 · 16 inputs")));
  part<QComboBox>("benchRate").setEditText(QStringLiteral("20 MHz"));
  part<QComboBox>("benchLength").setEditText(QStringLiteral("300 ms"));
  EXPECT_EQ(plan().rate, 20e6);
  EXPECT_EQ(plan().length, Picoseconds(300ms));
  QTest::mouseClick(&part<QPushButton>("benchRecord"), Qt::LeftButton);
  EXPECT_TRUE(source().isRecording());
  ASSERT_TRUE(waitRecorded());
  ASSERT_TRUE(engine().capture());
  EXPECT_EQ(engine().capture()->end, Picoseconds(300ms) - Picoseconds(50ns));
  EXPECT_EQ(engine().capture()->channels.size(), 16U);
  EXPECT_EQ(engine().capture()->channels[10].name, "CAN_RX");
  ASSERT_EQ(engine().segments().size(), 1U);
  EXPECT_TRUE(engine().segments()[0].whole);
  EXPECT_TRUE(workspace().keeper.isModified()) << "it is nowhere else: closing asks";
  EXPECT_TRUE(bench().isVisible());
}

TEST_F(Bench, WhatIsCapturedGrowsAndStopKeepsIt)
{
  start(1);
  addLockBuses();
  setPlan([](CapturePlan& p) { p.rate = 20e6; });
  QTest::keyClick(&window(), Qt::Key_R, Qt::ControlModifier);
  ASSERT_TRUE(waitFor([this] { return engine().isLive() && engine().whole().end > Picoseconds(300ms); }));
  EXPECT_TRUE(part<QLabel>("benchStatus").isVisible());
  EXPECT_TRUE(bench().statusText().contains(QStringLiteral("recorded"))) << bench().statusText().toStdString();
  EXPECT_FALSE(part<QPushButton>("benchRecord").isVisible()) << "one line while it runs";
  ASSERT_TRUE(waitFor([this] { return engine().bus(0).transactionCount() > 50; })) << "decoded while it grows";
  EXPECT_TRUE(window().ledger().isFollowing());
  QTest::mouseClick(&part<QPushButton>("benchStop"), Qt::LeftButton);
  ASSERT_TRUE(waitRecorded());
  EXPECT_GT(engine().whole().end, Picoseconds(300ms));
  EXPECT_GT(engine().bus(1).frameCount(), 20U);
  EXPECT_FALSE(part<QPushButton>("benchStop").isVisible());
}

TEST_F(Bench, AnEventStartsARecordingAndIsWhatOneSees)
{
  start(0);
  addLockBuses();
  setPlan([](CapturePlan& p) {
    p.rate = 10e6;
    p.start.kind = StartCondition::Kind::Event;
    p.start.query = "unexpected-start";
    p.before = 5ms;
    p.after = 20ms;
  });
  bench().record();
  ASSERT_TRUE(waitRecorded());
  ASSERT_TRUE(engine().capture() && engine().capture()->trigger) << window().notice().text().toStdString();
  EXPECT_EQ(*engine().capture()->trigger, Picoseconds(5ms));
  EXPECT_GT(engine().capture()->end, Picoseconds(25ms)) << "20 ms behind the transaction";
  EXPECT_LT(engine().capture()->end, Picoseconds(26ms));
  EXPECT_EQ(engine().segments()[0].startedBy, "unexpected-start · sensors");
  ASSERT_TRUE(waitFor([this] { return focus().axis().span().contains(5ms); })) << "what started it is in view";
  EXPECT_LT(focus().axis().span().length(), Picoseconds(10ms));
}

TEST_F(Bench, CollectedStartsAreSegmentsAndAreKept)
{
  start(3);
  addLockBuses();
  setPlan([](CapturePlan& p) {
    p.rate = 5e6;
    p.start.kind = StartCondition::Kind::Event;
    p.start.query = "address:5D read";
    p.before = 1ms;
    p.after = 5ms;
    p.repeat = CapturePlan::Repeat::Collect;
  });
  bench().record();
  ASSERT_TRUE(waitFor([this] { return engine().segments().size() >= 4; }, 20000));
  EXPECT_TRUE(window().segments().isVisible());
  EXPECT_EQ(engine().shownSegment() + 1, engine().segments().size()) << "the newest is shown";
  // Who looks at an earlier one stays there.
  engine().showSegment(0);
  const std::size_t before = engine().segments().size();
  ASSERT_TRUE(waitFor([&] { return engine().segments().size() > before; }, 20000));
  EXPECT_EQ(engine().shownSegment(), 0U);
  EXPECT_TRUE(waitFor([this] { return engine().bus(0).transactionCount() > 0; }));
  // A window that is busy for a while hears of several at once, and of each what belongs to it.
  QThread::msleep(1200);
  QApplication::processEvents();
  bench().stop();
  ASSERT_TRUE(waitRecorded());
  EXPECT_GT(engine().segments().size(), before + 2);
  for (const Segment& segment : engine().segments()) {
    EXPECT_TRUE(segment.whole);
    ASSERT_TRUE(segment.capture);
    EXPECT_EQ(segment.capture->trigger, Picoseconds(1ms));
    if (&segment != &engine().segments().back()) {
      EXPECT_GT(segment.capture->end, Picoseconds(6ms));
      EXPECT_LT(segment.capture->end, Picoseconds(7ms));
    }
    EXPECT_EQ(segment.startedBy, "address:5D read · sensors");
  }
  // All of them are in the file, in their order.
  const QString path = file(QStringLiteral("collected.bexto"));
  workspace().keeper.saveAs(path);
  ASSERT_TRUE(waitKept());
  const auto saved = SessionStore::open(path.toStdString());
  ASSERT_TRUE(saved);
  ASSERT_EQ(saved->file.segments.size(), engine().segments().size());
  EXPECT_EQ(saved->file.segments[2].capture->end, engine().segments()[2].capture->end);
  EXPECT_EQ(saved->file.session.plan, plan());
}

TEST_F(Bench, WhatIsCapturedIsOnTheDiskAsItComes)
{
  start(1);
  setPlan([](CapturePlan& p) { p.rate = 10e6; });
  bench().record();
  ASSERT_TRUE(waitFor([this] { return engine().isLive() && engine().whole().end > Picoseconds(2500ms); }, 20000));
  // As it would be found after a kill: a copy of the file with its log, as it is now. A second behind, and a breath; a
  // busy machine may be late, but not for another second.
  const QDir folder(UnsavedFolder().path());
  const auto isOnTheDisk = [&] {
    const Picoseconds now = engine().whole().end;
    const QStringList files = folder.entryList({QStringLiteral("*.bexto*")}, QDir::Files);
    QString session;
    for (const QString& name : files) {
      QFile::remove(file(name));
      QFile::copy(folder.filePath(name), file(name));
      session = name.endsWith(QStringLiteral(".bexto")) ? file(name) : session;
    }
    const auto left = SessionStore::open(session.toStdString());
    return left && left->file.segments.size() == 1 && !left->file.segments[0].whole &&
           left->file.segments[0].capture->end > now - Picoseconds(1300ms);
  };
  EXPECT_TRUE(waitFor(isOnTheDisk, 1000));
  EXPECT_TRUE(engine().isLive());
  bench().stop();
  EXPECT_TRUE(waitRecorded());
}

TEST_F(Bench, ALostConnectionKeepsWhatThereIsAndOffersToGoOn)
{
  start(1);
  addLockBuses();
  setPlan([](CapturePlan& p) { p.rate = 10e6; });
  bench().record();
  ASSERT_TRUE(waitFor([this] { return engine().isLive() && engine().whole().end > Picoseconds(200ms); }));
  const std::uint16_t port = m_instrument->port();
  m_instrument.reset();
  ASSERT_TRUE(waitRecorded());
  EXPECT_EQ(source().state(), CaptureSource::State::Failed);
  EXPECT_TRUE(window().notice().text().contains(QStringLiteral("connection is lost")))
      << window().notice().text().toStdString();
  EXPECT_GT(engine().whole().end, Picoseconds(200ms));
  EXPECT_TRUE(engine().segments()[0].whole);
  EXPECT_GT(engine().bus(0).transactionCount(), 10U);
  auto* const again = window().findChild<QPushButton*>(QStringLiteral("noticeAction"));
  ASSERT_TRUE(again != nullptr && again->isVisible());
  m_instrument = std::make_unique<InstrumentBench>(1, port);
  QTest::mouseClick(again, Qt::LeftButton);
  ASSERT_TRUE(waitFor([this] { return engine().isLive(); }));
  bench().stop();
  ASSERT_TRUE(waitRecorded());
}

TEST_F(Bench, AgainRepeatsTheLastCaptureAndTheOneBeforeIsFoundAgain)
{
  start(0);
  setPlan([](CapturePlan& p) {
    p.rate = 1e6;
    p.length = 50ms;
  });
  bench().record();
  ASSERT_TRUE(waitRecorded());
  ASSERT_TRUE(waitKept());
  const auto first = engine().capture();
  QTest::keyClick(&window(), Qt::Key_R, Qt::ControlModifier | Qt::ShiftModifier);
  ASSERT_TRUE(waitFor([&] { return engine().capture() != first; }));
  ASSERT_TRUE(waitRecorded());
  ASSERT_TRUE(waitKept());
  EXPECT_EQ(engine().segments().size(), 1U);
  EXPECT_EQ(workspace().keeper.left().size(), 1U) << "nothing that was captured is lost";
}

TEST_F(Bench, SamplesThatAreLostAreMarkedInEveryView)
{
  start(1);
  addLockBuses();
  m_instrument->misbehave("OVER,4");
  setPlan([](CapturePlan& p) {
    p.rate = 10e6;
    p.length = 600ms;
  });
  bench().record();
  ASSERT_TRUE(waitRecorded());
  ASSERT_FALSE(engine().capture()->gaps.empty());
  const TimeRange gap = engine().capture()->gaps.front();
  focus().setAxis(TimeAxis({gap.begin - 20ms, gap.end + 20ms}, focus().axis().width()));
  window().ledger().scrollToTime(gap.end);
  QApplication::processEvents();
  // The same without the gap looks otherwise, in each of the three.
  const auto shots = [this] {
    return std::array<QImage, 3>{window().timeline().grab().toImage(), window().overview().grab().toImage(),
                                 window().ledger().grab().toImage()};
  };
  const auto with = shots();
  auto clean = std::make_shared<Capture>(*engine().capture());
  clean->gaps.clear();
  const TimeRange span = focus().axis().span();
  engine().setCapture(clean, QStringLiteral("clean"));
  ASSERT_TRUE(waitIdle());
  focus().setAxis(TimeAxis(span, focus().axis().width()));
  window().ledger().scrollToTime(gap.end);
  QApplication::processEvents();
  const auto without = shots();
  for (std::size_t i = 0; i < with.size(); ++i)
    EXPECT_NE(with[i], without[i]) << "view " << i;
}

TEST_F(Bench, AdvisesBeforeTheCaptureAndOneClickMendsIt)
{
  start(0);
  session().addBus(*parseBusSpec("console=uart,tx=CONSOLE_TX,baud=115200"));
  session().addBus(*parseBusSpec("drives=can,rx=CAN_RX,bitrate=500000,fd_bitrate=2000000"));
  typeSource();
  part<QComboBox>("benchRate").setEditText(QStringLiteral("5 MHz"));
  ASSERT_GE(bench().advice().size(), 2U);
  EXPECT_EQ(bench().advice()[0].gravity, CaptureAdvice::Gravity::Good);
  EXPECT_EQ(bench().advice()[1].gravity, CaptureAdvice::Gravity::Fail) << "2.5 samples a bit";
  QTest::mouseClick(&part<QPushButton>("benchMend1"), Qt::LeftButton);
  EXPECT_EQ(plan().rate, 20e6);
  EXPECT_EQ(part<QComboBox>("benchRate").currentText(), QStringLiteral("20 MHz"));
  EXPECT_EQ(bench().advice()[1].gravity, CaptureAdvice::Gravity::Good);
}

TEST_F(Bench, WhatCannotBeUnderstoodIsMarkedAndChangesNothing)
{
  start(0);
  typeSource();
  auto& rate = part<QComboBox>("benchRate");
  rate.setEditText(QStringLiteral("2 MHz"));
  rate.setEditText(QStringLiteral("fast"));
  EXPECT_TRUE(rate.property("wrong").toBool());
  EXPECT_EQ(plan().rate, 2e6);
  part<QComboBox>("benchStart").setCurrentIndex(1);
  auto& wires = part<QLineEdit>("benchWires");
  EXPECT_TRUE(wires.isVisible());
  QTest::keyClicks(&wires, QStringLiteral("SCL=sideways"));
  EXPECT_TRUE(wires.property("wrong").toBool());
  EXPECT_TRUE(part<QLabel>("benchStartHelp").text().contains(QStringLiteral("SCL=falling")));
  wires.clear();
  QTest::keyClicks(&wires, QStringLiteral("SCL=falling"));
  EXPECT_FALSE(wires.property("wrong").toBool());
  EXPECT_EQ(plan().start, *parseWireCondition("SCL=falling"));
  EXPECT_EQ(part<QLabel>("benchStartHelp").text(), QStringLiteral("SCL falls"));
}

TEST_F(Bench, ChannelsAreChosenAndNamed)
{
  ChannelsChoice all({"A", "B", "C"}, {}, nullptr);
  EXPECT_TRUE(all.chosen().empty()) << "as the source has them";
  ChannelsChoice some({"A", "B", "C"}, {{2, "clock"}, {3, ""}}, nullptr);
  EXPECT_EQ(some.chosen(), (std::vector<PlannedChannel>{{2, "clock"}, {3, "C"}}));
}

TEST_F(Bench, WithoutASourceItUnfoldsAndAsksForOne)
{
  QTest::keyClick(&window(), Qt::Key_R, Qt::ControlModifier);
  EXPECT_TRUE(bench().isVisible());
  EXPECT_TRUE(part<QLineEdit>("benchSource").hasFocus());
  EXPECT_FALSE(source().isRecording());
  // Nobody there is said, and nothing that is open is lost.
  openDemo();
  const auto before = engine().capture();
  CapturePlan nowhere;
  nowhere.source = "scpi://127.0.0.1:1";
  session().plan(nowhere);
  bench().record();
  ASSERT_TRUE(waitFor([this] { return source().state() == CaptureSource::State::Failed; }));
  EXPECT_TRUE(window().notice().text().contains(QStringLiteral("nobody answers")));
  EXPECT_EQ(engine().capture(), before);
}

TEST_F(Bench, WhatWasDecodedWhileItCameIsNotDecodedAgainAtItsEnd)
{
  start(1);
  addLockBuses();
  session().addBus(*parseBusSpec("console=uart,tx=CONSOLE_TX,baud=auto"));
  setPlan([](CapturePlan& plan) { plan.rate = 10e6; });
  bench().record();
  ASSERT_TRUE(waitFor([this] { return engine().isLive() && engine().whole().end > 2s; }, 20000));
  const BusId console = engine().bus(2).id;
  int replaced = 0;
  const auto counted = QObject::connect(&engine(), &Engine::changed, [&](const EngineChange& change) {
    for (const BusChange& bus : change.buses)
      replaced += bus.bus != console && bus.frames == BusChange::Frames::Replaced ? 1 : 0;
  });
  bench().stop();
  ASSERT_TRUE(waitRecorded());
  QObject::disconnect(counted);
  EXPECT_EQ(replaced, 0) << "of those whose rate is known";
  // And it is what a decode of all of it finds.
  for (int place = 0; place < engine().busCount(); ++place) {
    const BusView& bus = engine().bus(place);
    EXPECT_FALSE(bus.decoding);
    ASSERT_FALSE(bus.streams.empty());
    for (const StreamView& stream : bus.streams) {
      const auto whole =
          decodeStream(bus.shown, inputOf(*engine().capture(), {stream.line, stream.channels}), std::stop_token());
      const FrameIndex& frames = stream.transactions.frames();
      ASSERT_EQ(frames.size(), whole->frames.size()) << bus.shown.name;
      EXPECT_GT(frames.size(), 20U);
      for (std::uint64_t i = 0; i < frames.size(); ++i) {
        ASSERT_EQ(frames.frame(i).time, whole->frames.frame(i).time) << bus.shown.name << " " << i;
        ASSERT_EQ(frames.frame(i).key, whole->frames.frame(i).key);
        ASSERT_EQ(frames.frame(i).errors, whole->frames.frame(i).errors);
      }
      EXPECT_EQ(stream.faulty, faultyFrames(whole->frames));
      EXPECT_EQ(stream.transactions.size(), Transactions(bus.shown, whole->frames).size());
    }
  }
}

TEST_F(Bench, WhatIsDroppedEndsByItselfAndNobodyWaitsForIt)
{
  start(1);
  addLockBuses();
  setPlan([](CapturePlan& plan) { plan.rate = 1e6; });
  bench().record();
  ASSERT_TRUE(waitFor([this] { return engine().isLive(); }, 20000));
  const Picoseconds recorded = engine().whole().end;
  source().drop();
  EXPECT_FALSE(source().isRecording());
  EXPECT_EQ(source().findChildren<Recording*>().size(), 1) << "its thread may wait for the instrument still";
  ASSERT_TRUE(waitFor([this] { return source().findChildren<Recording*>().isEmpty(); }, 20000));
  EXPECT_GE(engine().whole().end, recorded) << "what was recorded is kept";
}

TEST_F(Bench, AllChannelsOrNoneAreChosenAtOnce)
{
  ChannelsChoice choice({"A", "B", "C"}, {{2, "clock"}}, nullptr);
  const auto press = [&](const char* text) {
    for (QPushButton* const button : choice.findChildren<QPushButton*>()) {
      if (button->text() == QLatin1String(text))
        button->click();
    }
  };
  press("All");
  EXPECT_EQ(choice.chosen(), (std::vector<PlannedChannel>{{1, "A"}, {2, "clock"}, {3, "C"}}));
  press("None");
  EXPECT_TRUE(choice.chosen().empty());
}
