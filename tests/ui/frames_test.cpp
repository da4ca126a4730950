// A capture of frames without wires in the window.
#include <QComboBox>
#include <QLabel>

#include "support/packet_file.h"
#include "support/window_fixture.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;
using namespace Qt::StringLiterals;

namespace {

class Frames : public WindowTest {
 protected:
  /// can0 with a frame each millisecond, the fifth a report; can1 with one.
  QString log()
  {
    BlockFile packets;
    packets.named("can0").named("can1");
    for (std::uint32_t i = 0; i < 20; ++i)
      packets.packet(0, 1000 * (i + 1), i == 4 ? canRecord(0x20000040, Bytes(8)) : canRecord(0x100 + i, {1, 2}));
    packets.packet(1, 5000, canRecord(0x300, {}));
    return fileWith(u"log.pcapng"_s, packets.content);
  }
  QStringList names()
  {
    QStringList names;
    for (const ui::TimelineLane& lane : window().timeline().lanes())
      names << lane.name;
    return names;
  }
  QString text(const QString& part)
  {
    for (const QLabel* label : window().findChildren<QLabel*>()) {
      if (label->isVisible() && label->text().contains(part))
        return label->text();
    }
    return {};
  }
};

}  // namespace

TEST_F(Frames, AreThereWithoutASetting)
{
  open(log());
  ASSERT_EQ(engine().busCount(), 2);
  EXPECT_EQ(engine().bus(0).wanted.name, "can0");
  EXPECT_FALSE(engine().bus(0).error);
  EXPECT_EQ(transactionsOf(0).size(), 20U);
  EXPECT_EQ(rows().shownCount(), 21U);
  EXPECT_EQ(names(), (QStringList{u"can0"_s, u"can1"_s})) << "no wire has a lane";
  EXPECT_FALSE(session().steps().canUndo()) << "nobody took a step";
  const QStringList card = window().buses().cards()[0]->lines();
  EXPECT_EQ(card[2], u"can0"_s) << "a rate that is to be found is none";
  EXPECT_EQ(card[3], u"recorded as frames"_s);
  EXPECT_EQ(card[4], u"20 frames"_s);
  EXPECT_EQ(card[5], u"▲ 1"_s);
  const TimeRange view = focus().axis().span();
  EXPECT_LT(view.begin, 1ms);
  EXPECT_GT(view.end, 4ms);
  EXPECT_LT(view.end, 8ms);
}

TEST_F(Frames, AllThatWasOddAboutTheFileIsSaid)
{
  BlockFile packets;
  packets.named("can0").packet(0, 2000, canRecord(1, {})).packet(0, 1000, canRecord(1, {}));
  packets.content += "cut";
  open(fileWith(u"odd.pcapng"_s, packets.content));
  EXPECT_EQ(window().notice().text(),
            u"the file breaks off inside a block; what is before it is here\n"
            "frames of can0 that stood behind later ones and are in order here: 1"_s);
}

TEST_F(Frames, AreOpenedByTheirWordsInTheTimeline)
{
  open(log());
  clickTimeline(0, 2100us);
  ASSERT_TRUE(focus().selection().valid());
  EXPECT_EQ(focus().selection().frame, 1U) << "of the frame before the pointer";
  EXPECT_FALSE(text(u"Recorded without its bits"_s).isEmpty());
  EXPECT_FALSE(text(u"0.002 000 000 s  #2"_s).isEmpty()) << "no length";
  clickTimeline(0, 500us);
  EXPECT_EQ(focus().selection().frame, 1U) << "before all of them is none";
  clickTimeline(0, 3100us);
  EXPECT_EQ(focus().selection().frame, 2U);
  focus().setAxis(TimeAxis({1900us, 3000us}, focus().axis().width()));
  clickTimeline(0, 2900us);
  EXPECT_EQ(focus().selection().frame, 2U) << "its words do not reach that far";
  clickTimeline(0, 2100us);
  focus().zoomToSelection();
  EXPECT_LE(focus().axis().span().begin, 2ms);
  EXPECT_GE(focus().axis().span().end, 3ms) << "up to the next";
  EXPECT_LT(focus().axis().span().end, 3500us);
  // The last has no next.
  focus().select({streamId(0, 0), 19, 20ms});
  focus().zoomToSelection();
  EXPECT_FALSE(focus().axis().span().empty());
  EXPECT_TRUE(focus().axis().span().contains(20ms));
}

TEST_F(Frames, WordsStandBehindThem)
{
  open(log());
  const auto inked = [this](Picoseconds from, Picoseconds to) {
    const QImage image = window().timeline().viewport()->grab().toImage().convertToFormat(QImage::Format_RGB32);
    const ui::TimelineLane& lane = window().timeline().lanes().at(0);
    const int left = static_cast<int>(window().timeline().xOf(from)) + 6;
    const int right = static_cast<int>(window().timeline().xOf(to)) - 6;
    const QColor ground = image.pixelColor(right, ui::kRulerHeight + lane.top + lane.height - 3);
    int count = 0;
    for (int x = left; x < right; ++x) {
      for (int y = lane.top + ui::kRulerHeight + 8; y < lane.top + ui::kRulerHeight + 26; ++y)
        count += image.pixelColor(x, y) != ground ? 1 : 0;
    }
    return count;
  };
  focus().setAxis(TimeAxis({500us, 4500us}, focus().axis().width()));
  QApplication::processEvents();
  EXPECT_GT(inked(2ms, 3ms), 100);
  focus().setAxis(TimeAxis({0us, 21ms}, focus().axis().width()));
  QApplication::processEvents();
  EXPECT_EQ(inked(500us, 1ms), 0) << "nothing is before the first";
}

TEST_F(Frames, AreNoWiresToChoose)
{
  open(log());
  openSettings(0);
  const QComboBox* rx = setting(0, "rx");
  EXPECT_GE(rx->findText(u"can0"_s), 0);
  EXPECT_GE(rx->findText(u"can1"_s), 0);
  EXPECT_LT(setting(0, "canh")->findText(u"can0"_s), 0);
  Bus other = engine().suggestBus(uartProtocol());
  EXPECT_FALSE(other.has("rx") || other.has("tx"));
  // Whoever types it is told.
  other.setChannel("rx", "can0");
  session().addBus(other);
  ASSERT_TRUE(waitIdle());
  ASSERT_TRUE(engine().bus(2).error);
  EXPECT_EQ(engine().bus(2).error->message, "'can0' is no wire: it has whole frames");
  for (const QComboBox* choice : window().findChildren<QComboBox*>()) {
    if (choice->accessibleName() == u"Wire that is measured"_s) {
      EXPECT_EQ(choice->count(), 0);
    }
  }
}

TEST_F(Frames, ARateGivesThemTheirLength)
{
  open(log());
  session().addMarker(2ms, {});
  ASSERT_TRUE(waitFor([this] { return !text(u"frames · "_s).isEmpty(); }));
  EXPECT_FALSE(text(u"frames · "_s).contains(u"load"_s)) << "nobody knows it";
  Bus bus = engine().bus(0).wanted;
  ASSERT_TRUE(bus.set("bitrate", "125000"));
  session().changeBus(engine().bus(0).id, bus);
  ASSERT_TRUE(waitIdle());
  EXPECT_EQ(transactionsOf(0).timeOf(0).length(), 60 * 8us);
  EXPECT_EQ(window().buses().cards()[0]->lines()[2], u"125 kbit/s · can0"_s);
  clickTimeline(0, 1200us);
  EXPECT_EQ(focus().selection().frame, 0U);
}

TEST_F(Frames, BusesOfACaptureBeforeAreKeptAndServeAgain)
{
  open(log());
  open(log());
  EXPECT_EQ(engine().busCount(), 2) << "they read it already";
  open(demoPath());
  EXPECT_EQ(engine().busCount(), 2);
  EXPECT_TRUE(engine().bus(0).error) << "there is no such channel";
  open(log());
  EXPECT_EQ(engine().busCount(), 2);
  EXPECT_FALSE(engine().bus(0).error);
}

TEST_F(Frames, ComeBesideWiresAsASegment)
{
  open(demoPath());
  addBus("sensors=i2c,scl=SCL,sda=SDA");
  engine().source().add(log(), std::nullopt);
  ASSERT_TRUE(waitFor([this] { return engine().segments().size() == 2; }));
  ASSERT_TRUE(waitIdle());
  ASSERT_EQ(engine().busCount(), 3);
  const std::size_t place = engine().segments()[0].capture->isOnlyRecords() ? 0 : 1;
  engine().showSegment(place);
  ASSERT_TRUE(waitIdle());
  EXPECT_TRUE(engine().bus(0).error) << "its wires are in the other one";
  EXPECT_EQ(window().buses().cards()[0]->lines().last(), u"in another segment"_s) << "which is no fault";
  EXPECT_EQ(engine().bus(1).frameCount(), 20U);
  EXPECT_EQ(names(), (QStringList{u"can0"_s, u"can1"_s}));
}
