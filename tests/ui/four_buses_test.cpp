// UART, I2C, SPI and CAN side by side in the window.
#include <QScrollBar>
#include <QWheelEvent>

#include "support/window_fixture.h"
#include "ui/anatomy/anatomy_panel.h"
#include "ui/anatomy/bit_strip.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

class FourBuses : public WindowTest {
 protected:
  const ui::AnatomyPanel& anatomy() { return *window().findChild<ui::AnatomyPanel*>(); }
  QStringList cardOf(int bus) { return window().buses().cards().at(static_cast<std::size_t>(bus))->lines(); }
  void selectAt(int bus, Picoseconds t)
  {
    const FrameIndex& frames = transactionsOf(bus).frames();
    const std::uint64_t number = frames.firstFrom(t);
    ASSERT_LT(number, frames.size());
    focus().select({streamId(bus, 0), number, frames.frame(number).time.begin});
  }
  QString sentenceOfSelection()
  {
    const std::uint64_t line = lineOfSelection().row;
    return toQString(window().ledger().rows().visible({line, 0}, 1, 48).at(0).sentence.text());
  }
  static QString toQString(const std::string& text) { return QString::fromStdString(text); }
};

}  // namespace

TEST_F(FourBuses, EveryCardSaysWhatItsBusDoes)
{
  openWholeDemo();
  EXPECT_EQ(cardOf(2)[2], u"57600 8E1 · SONAR_RX SONAR_TX"_qs);
  EXPECT_TRUE(cardOf(3)[2].startsWith(u"mode 0 · SPI_CLK"_qs)) << cardOf(3)[2].toStdString();
  EXPECT_TRUE(cardOf(3)[3].startsWith(u"clock 8.0"_qs)) << cardOf(3)[3].toStdString();
  EXPECT_EQ(cardOf(4)[4], u"1 680 transfers"_qs);
  EXPECT_EQ(cardOf(5)[2], u"500 kbit/s · FD 2 Mbit/s · CAN_RX"_qs);
  EXPECT_EQ(cardOf(5)[5], u"▲ 2"_qs) << "the corrupted frame and the error frame";
  EXPECT_EQ(engine().bus(2).shown.format, ValueFormat::Hex) << "messages of bytes are no text";
}

TEST_F(FourBuses, AWrongRateShowsAsAShareOfFaults)
{
  openWholeDemo();
  Bus console = engine().bus(1).wanted;
  console.settings.edit<UartSettings>().baud = 57600;
  session().changeBus(id(1), console);
  ASSERT_TRUE(waitIdle());
  EXPECT_TRUE(cardOf(1)[5].endsWith(u" % faulty"_qs)) << cardOf(1)[5].toStdString();
  EXPECT_EQ(cardOf(2)[5], u"▲ 9"_qs);
}

TEST_F(FourBuses, BothDirectionsOfSpiAreOneLine)
{
  openWholeDemo();
  selectAt(3, 1ms);
  EXPECT_EQ(sentenceOfSelection(), u"MOSI 9F 00 00 00  MISO FF 6E 32 16"_qs);
  EXPECT_EQ(anatomy().fieldLines().at(1), u"word 1 00 / 6E "_qs);
  EXPECT_EQ(anatomy().bitStrip().bits().size(), 16U) << "a word each way";
}

TEST_F(FourBuses, ByWordEachWordIsALine)
{
  openWholeDemo();
  const std::uint64_t transfers = transactionsOf(3).size();
  openSettings(3);
  setting(3, "frames")->setCurrentText(u"word"_qs);
  editor(3)->findChild<QPushButton*>(QStringLiteral("done"))->click();
  ASSERT_TRUE(waitIdle());
  EXPECT_GT(transactionsOf(3).size(), 3 * transfers);
  selectAt(3, 1ms);
  EXPECT_EQ(sentenceOfSelection(), u"MOSI 9F  MISO FF"_qs);
}

TEST_F(FourBuses, ACanLineSaysIdentifierFlagsLengthDataAndAnswer)
{
  openWholeDemo();
  selectAt(5, 1ms);
  EXPECT_EQ(sentenceOfSelection(), u"121 FD BRS [8]  06 00 10 A5 00 33 21 00 ✓"_qs);
  selectAt(5, cycle().faults.corruptedFrame);
  EXPECT_TRUE(sentenceOfSelection().startsWith(u"CRC is wrong · 122 FD BRS"_qs)) << sentenceOfSelection().toStdString();
  EXPECT_TRUE(anatomy().fieldLines().at(11).startsWith(u"CRC"_qs));
  EXPECT_TRUE(anatomy().fieldLines().at(11).endsWith(u"wrong"_qs));
  focus().selectNeighbour(true);
  EXPECT_EQ(sentenceOfSelection(), u"error frame"_qs);
  EXPECT_TRUE(window().ledger().rows().visible(lineOfSelection(), 1, 48).at(0).fault);
}

TEST_F(FourBuses, TheStripShowsThePartOfACanFrameThatIsPointedAt)
{
  openWholeDemo();
  selectAt(5, 1ms);
  EXPECT_EQ(anatomy().bitStrip().bits().front().role, Role::Start);
  const std::size_t identifier = anatomy().bitStrip().bits().size();
  EXPECT_GE(identifier, 12U);
  EXPECT_LE(identifier, 14U) << "SOF, eleven bits, and stuff bits";
  const ui::Selection whole = focus().selection();
  const TimeRange time = transactionsOf(5).frames().frame(whole.frame).time;
  focus().select({whole.stream, whole.frame, time.end - 1us});
  EXPECT_EQ(anatomy().bitStrip().bits().back().role, Role::Stop);
}

TEST_F(FourBuses, SettingsThatMeanNothingAreNotOffered)
{
  openWholeDemo();
  openSettings(3);
  EXPECT_FALSE(setting(3, "gap")->isVisibleTo(editor(3))) << "there is a chip select";
  EXPECT_TRUE(setting(3, "cs_active")->isVisibleTo(editor(3)));
  setting(3, "cs")->setCurrentText(u"none"_qs);
  EXPECT_TRUE(setting(3, "gap")->isVisibleTo(editor(3)));
  EXPECT_FALSE(setting(3, "cs_active")->isVisibleTo(editor(3)));
  EXPECT_FALSE(editor(3)->message().isEmpty()) << "now a gap is needed";
  openSettings(5);
  EXPECT_TRUE(setting(5, "fd_sample_point")->isVisibleTo(editor(5)));
  setting(5, "fd_bitrate")->setCurrentText(u"none"_qs);
  EXPECT_FALSE(setting(5, "fd_sample_point")->isVisibleTo(editor(5)));
}

TEST_F(FourBuses, AWheelOverASettingDoesNotChangeIt)
{
  openWholeDemo();
  openSettings(3);
  QComboBox* mode = setting(3, "mode");
  mode->setFocus();
  QWheelEvent event(QPointF(5, 5), mode->mapToGlobal(QPointF(5, 5)), {}, {0, -120}, Qt::NoButton, {}, Qt::NoScrollPhase,
                    false);
  QApplication::sendEvent(mode, &event);
  EXPECT_EQ(mode->currentText(), u"0"_qs);
}

TEST_F(FourBuses, TheRightWiresAreGuessedForEveryProtocol)
{
  engine().setCapture(std::make_shared<const Capture>(cycle().capture), QStringLiteral("x"));
  const Bus spi = engine().suggestBus(spiProtocol());
  EXPECT_EQ(spi.channelOf("clk"), "SPI_CLK");
  EXPECT_EQ(spi.channelOf("mosi"), "SPI_MOSI");
  EXPECT_EQ(spi.channelOf("miso"), "SPI_MISO");
  EXPECT_EQ(spi.channelOf("cs"), "LOG_CS");
  EXPECT_EQ(engine().suggestBus(canProtocol()).channelOf("rx"), "CAN_RX");
}

TEST_F(FourBuses, ClickingAByteOfACanFramePointsAtIt)
{
  openWholeDemo();
  selectAt(5, 1ms);
  focus().zoomToSelection();
  const auto& lanes = window().timeline().lanes();
  const auto drives = std::find_if(lanes.begin(), lanes.end(), [](const auto& l) { return l.name == u"drives"_qs; });
  const StreamInput& input = engine().bus(5).streams[0].input;
  const Anatomy a = anatomyOf(engine().bus(5).shown, input, transactionsOf(5).frames(), focus().selection().frame);
  const auto byte = std::find_if(a.fields.begin(), a.fields.end(),
                                 [](const Field& f) { return f.role == Role::Data && f.ordinal == 3; });
  ASSERT_NE(byte, a.fields.end());
  const Picoseconds middle = byte->time.begin + byte->time.length() / 2;
  const int scroll = window().timeline().verticalScrollBar()->value();
  QTest::mouseClick(window().timeline().viewport(), Qt::LeftButton, {},
                    {static_cast<int>(window().timeline().xOf(middle)), ui::kRulerHeight + drives->top - scroll + 35});
  EXPECT_EQ(anatomy().bitStrip().bits().size(), byte->bitCount);
  EXPECT_TRUE(byte->time.contains(focus().selection().at));
}
