#include <QApplication>
#include <QClipboard>

#include "support/recorded_text.h"
#include "support/window_fixture.h"
#include "ui/bytes/bytes_view.h"
#include "ui/window/lower_area.h"

using namespace bexto;
using namespace bexto::test;
using namespace Qt::StringLiterals;

namespace {

class BytesShown : public WindowTest {
 protected:
  ui::BytesView& view() { return window().bytes().view(); }
  void openBytes()
  {
    openWholeDemo();
    QTest::keyClick(&window(), Qt::Key_2);
    ASSERT_EQ(window().lower().shown().key(), u"bytes"_s);
    ASSERT_TRUE(waitFor([this] { return view().stream().size() > 0; }));
  }
  void choose(const QString& name)
  {
    QComboBox& choice = window().bytes().choice();
    choice.setCurrentText(name);
    ASSERT_EQ(choice.currentText(), name);
    Q_EMIT choice.activated(choice.currentIndex());
    QTest::qWait(20);
    ASSERT_TRUE(waitFor([this] { return view().stream().size() > 0; }));
  }
};

}  // namespace

TEST_F(BytesShown, EveryBusAndDirectionCanBeChosen)
{
  openBytes();
  QStringList names;
  for (int i = 0; i < window().bytes().choice().count(); ++i)
    names << window().bytes().choice().itemText(i);
  EXPECT_EQ(names, (QStringList{u"sensors, written"_s, u"sensors, read"_s, u"console"_s, u"sonar RX"_s, u"sonar TX"_s,
                                u"log, MOSI"_s, u"log, MISO"_s, u"adc, MOSI"_s, u"adc, MISO"_s, u"drives"_s}));
}

TEST_F(BytesShown, AddressesHaveAsManyDigitsAsTheLastOneNeeds)
{
  engine().setCapture(longTalk(70000), u"talk.vcd"_s);
  addBus("talk=uart,rx=TALK,baud=100000");
  QTest::keyClick(&window(), Qt::Key_2);
  ASSERT_TRUE(waitFor([this] { return view().stream().size() == 70000; }));
  EXPECT_EQ(textsOn(*view().viewport()).first(), u"00000"_s);
  QTest::keyClick(&view(), Qt::Key_End, Qt::ControlModifier);
  EXPECT_TRUE(textsOn(*view().viewport()).contains(u"11160"_s)) << textsOn(*view().viewport()).first().toStdString();
}

TEST_F(BytesShown, SelectedBytesSelectTheirFrame)
{
  openBytes();
  choose(u"log, MOSI"_s);
  const std::uint64_t third = view().stream().addressOf(3);
  QTest::mouseClick(view().viewport(), Qt::LeftButton, {}, view().byteRect(third).center());
  EXPECT_EQ(selectedBus(), 3);
  EXPECT_EQ(focus().selection().frame, 3U);
  QTest::keyClick(&view(), Qt::Key_Right, Qt::ShiftModifier);
  ASSERT_TRUE(view().picked());
  EXPECT_EQ(*view().picked(), std::pair(third, third + 1));
  QTest::keyClick(&view(), Qt::Key_C, Qt::ControlModifier);
  const auto bytes = view().stream().read(third, 2);
  EXPECT_EQ(QApplication::clipboard()->text(), QStringLiteral("%1 %2")
                                                   .arg(bytes[0].value, 2, 16, QLatin1Char('0'))
                                                   .arg(bytes[1].value, 2, 16, QLatin1Char('0'))
                                                   .toUpper());
  EXPECT_TRUE(window().bytes().status().startsWith(u"2 bytes from "_s)) << window().bytes().status().toStdString();
}

TEST_F(BytesShown, TheSelectionOfOtherPartsIsMarkedHere)
{
  openBytes();
  choose(u"drives"_s);
  focus().select({streamId(5, 0), 40, transactionsOf(5).beginOf(40)});
  ASSERT_TRUE(waitFor([this] { return view().picked().has_value(); })) << "as soon as the stream is there";
  EXPECT_EQ(view().picked()->first, view().stream().addressOf(40));
  EXPECT_EQ(view().picked()->second - view().picked()->first + 1, view().stream().bytesOf(40));
  EXPECT_FALSE(view().byteRect(view().picked()->first).isEmpty()) << "it is in view";
  focus().select({streamId(2, 1), 10, transactionsOf(2, 1).frames().frame(10).time.begin});
  EXPECT_EQ(window().bytes().choice().currentText(), u"sonar TX"_s);
}

TEST_F(BytesShown, WhatWasSelectedMeanwhileIsMarkedWhenTheyAreShownAgain)
{
  openBytes();
  choose(u"drives"_s);
  QTest::keyClick(&window(), Qt::Key_1);
  ASSERT_FALSE(view().isVisible());
  focus().select({streamId(5, 0), 40, transactionsOf(5).beginOf(40)});
  QTest::qWait(20);
  QTest::keyClick(&window(), Qt::Key_2);
  ASSERT_TRUE(waitFor([this] { return view().picked().has_value(); }));
  EXPECT_EQ(view().picked()->first, view().stream().addressOf(40));
}

TEST_F(BytesShown, IsWalkedByKeyboard)
{
  openBytes();
  choose(u"sensors, read"_s);
  view().setFocus();
  QTest::keyClick(&view(), Qt::Key_Home);
  QTest::keyClick(&view(), Qt::Key_Down);
  EXPECT_EQ(view().picked()->first, 16U);
  view().setWrap(32);
  QTest::keyClick(&view(), Qt::Key_Down);
  EXPECT_EQ(view().picked()->first, 48U);
  QTest::keyClick(&view(), Qt::Key_End);
  EXPECT_EQ(view().picked()->first, view().stream().size() - 1);
  EXPECT_FALSE(view().byteRect(view().stream().size() - 1).isEmpty());
  const std::uint64_t behind = view().stream().size();
  ASSERT_NE(behind % 32, 0U);
  const QPoint below(0, view().byteRect(behind - 1).top() - view().byteRect(behind - 33).top());
  QTest::mouseClick(view().viewport(), Qt::LeftButton, {}, view().byteRect(behind - 32).center());
  QTest::mouseClick(view().viewport(), Qt::LeftButton, {}, view().byteRect(behind - 32).center() + below);
  EXPECT_EQ(view().picked()->first, behind - 32) << "there is none below to pick";
  QTest::keyClick(&view(), Qt::Key_Home, Qt::ShiftModifier);
  EXPECT_EQ(view().picked()->first, 0U);
}
