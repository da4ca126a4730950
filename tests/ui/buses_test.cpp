#include <QLabel>
#include <QMenu>
#include <QScrollArea>
#include <QScrollBar>
#include <QSignalSpy>
#include <QToolButton>

#include "support/window_fixture.h"

using namespace bexto;
using namespace bexto::test;

using Buses = WindowTest;

TEST_F(Buses, AddingOneGuessesItsWiresAndOpensItsSettings)
{
  open(demoPath());
  auto* add = window().findChild<QToolButton*>(QStringLiteral("addBus"));
  ASSERT_TRUE(add->isEnabled());
  for (const QString& protocol : {QStringLiteral("UART"), QStringLiteral("I2C")}) {
    for (QAction* action : add->menu()->actions()) {
      if (action->text() == protocol)
        action->trigger();
    }
  }
  ASSERT_TRUE(waitIdle());
  ASSERT_EQ(engine().busCount(), 2);
  EXPECT_EQ(engine().bus(0).wanted.channelOf("tx"), "CONSOLE_TX");
  EXPECT_EQ(engine().bus(1).wanted.channelOf("scl"), "SCL");
  EXPECT_EQ(engine().bus(1).wanted.channelOf("sda"), "SDA");
  EXPECT_EQ(editor(0), nullptr) << "one card is open at a time";
  EXPECT_NE(editor(1), nullptr);
  EXPECT_EQ(engine().bus(0).streams.at(0).transactions.size() > 50, true) << "auto finds the rate";
}

TEST_F(Buses, TheCardSaysWhatWasMeasured)
{
  openDemo();
  const QStringList lines = window().buses().cards()[1]->lines();
  EXPECT_EQ(lines[0], QStringLiteral("console"));
  EXPECT_EQ(lines[2], QStringLiteral("115200 8N1 · CONSOLE_TX"));
  EXPECT_EQ(lines[3], QStringLiteral("115 190 Bd −0.01 %"));
  EXPECT_EQ(lines[5], QStringLiteral("clean"));
  EXPECT_TRUE(window().buses().cards()[0]->lines()[3].startsWith(QStringLiteral("clock 39")));
}

TEST_F(Buses, ASettingIsDecodedAfterAPauseAndThePreviewFollows)
{
  openDemo();
  openSettings(1);
  const std::uint64_t before = engine().bus(1).frameCount();
  QSignalSpy changes(&engine(), &ui::Engine::changed);
  typeInto(setting(1, "baud"), QStringLiteral("57600"));
  EXPECT_EQ(changes.count(), 0) << "no decode at each keystroke";
  ASSERT_TRUE(waitFor([&] { return engine().bus(1).shown.settings.as<UartSettings>().baud == 57600.0; }));
  ASSERT_TRUE(waitIdle());
  EXPECT_NE(engine().bus(1).frameCount(), before);
  EXPECT_LE(changes.count(), 4);
  auto* preview = editor(1)->findChild<QLabel*>(QStringLiteral("preview"));
  EXPECT_FALSE(preview->text().isEmpty());
  typeInto(setting(1, "baud"), QStringLiteral("115200"));
  ASSERT_TRUE(waitFor([&] { return engine().bus(1).frameCount() == before; }));
  EXPECT_TRUE(preview->text().contains(QStringLiteral("gate controller")));
}

TEST_F(Buses, ThePreviewTakesNoMoreRoomThanTheCardHas)
{
  openDemo();
  openSettings(1);
  // Sentences that are longer than a card is wide.
  typeInto(setting(1, "baud"), QStringLiteral("57600"));
  ASSERT_TRUE(waitFor([&] { return engine().bus(1).shown.settings.as<UartSettings>().baud == 57600.0; }));
  ASSERT_TRUE(waitIdle());
  auto* const scroll = window().buses().findChild<QScrollArea*>();
  ASSERT_NE(scroll, nullptr);
  const auto* const preview = editor(1)->findChild<QLabel*>(QStringLiteral("preview"));
  const auto fits = [&] {
    QApplication::processEvents();
    EXPECT_EQ(scroll->horizontalScrollBar()->maximum(), 0);
    EXPECT_LE(preview->fontMetrics().size(0, preview->text()).width(), preview->width());
    return preview->text();
  };
  const QString narrow = fits();
  EXPECT_TRUE(narrow.contains(QChar(0x2026)));
  // It follows its card.
  editor(1)->resize(editor(1)->width() + 100, editor(1)->height());
  EXPECT_GT(preview->text().size(), narrow.size());
}

TEST_F(Buses, AWrongSettingIsSaidAtOnceAndTheLastGoodDecodeStays)
{
  openDemo();
  openSettings(1);
  const std::uint64_t before = engine().bus(1).frameCount();
  typeInto(setting(1, "baud"), QStringLiteral("0"));
  EXPECT_TRUE(editor(1)->message().startsWith(QStringLiteral("'0' is no value for baud")))
      << editor(1)->message().toStdString();
  EXPECT_TRUE(setting(1, "baud")->property("wrong").toBool());
  QTest::qWait(ui::BusEditor::kPauseMilliseconds + 100);
  EXPECT_EQ(engine().bus(1).frameCount(), before);
  typeInto(setting(1, "tx"), QStringLiteral("NOWHERE"));
  typeInto(setting(1, "baud"), QStringLiteral("115200"));
  EXPECT_TRUE(editor(1)->message().startsWith(QStringLiteral("there is no channel 'NOWHERE'")));
  typeInto(setting(1, "tx"), QStringLiteral("CONSOLE_TX"));
  EXPECT_EQ(editor(1)->message(), QString());
}

TEST_F(Buses, TheFormatChangesEveryView)
{
  openDemo();
  openSettings(0);
  setting(0, "format")->setCurrentText(QStringLiteral("decimal"));
  ASSERT_TRUE(waitFor([&] { return engine().bus(0).shown.format == ValueFormat::Decimal; }));
  ASSERT_TRUE(waitIdle());
  clickLedger(0);
  EXPECT_EQ(window().anatomy().title(), QStringLiteral("42 write 16 · read 1 124 95"));
}

TEST_F(Buses, ANameIsNeededAndUnique)
{
  openDemo();
  openSettings(1);
  auto* name = editor(1)->findChild<QLineEdit*>(QStringLiteral("name"));
  name->selectAll();
  QTest::keyClicks(name, QStringLiteral("sensors"));
  EXPECT_EQ(editor(1)->message(), QStringLiteral("Another bus has this name."));
  name->selectAll();
  QTest::keyClicks(name, QStringLiteral("log"));
  EXPECT_EQ(editor(1)->message(), QString());
  QTest::mouseClick(editor(1)->findChild<QPushButton*>(QStringLiteral("done")), Qt::LeftButton);
  EXPECT_EQ(engine().bus(1).wanted.name, "log") << "Done does not wait for the pause";
  EXPECT_EQ(editor(1), nullptr);
}

TEST_F(Buses, RemovingOneTakesItsLanesAndLinesAway)
{
  openDemo();
  clickLedger(0);
  const std::uint64_t lines = window().ledger().rows().shownCount();
  openSettings(0);
  for (QPushButton* button : editor(0)->findChildren<QPushButton*>()) {
    if (button->text() == QStringLiteral("Remove"))
      QTest::mouseClick(button, Qt::LeftButton);
  }
  ASSERT_TRUE(waitFor([&] { return engine().busCount() == 1; }));
  EXPECT_EQ(engine().bus(0).wanted.name, "console");
  EXPECT_LT(window().ledger().rows().shownCount(), lines);
  EXPECT_FALSE(focus().selection().valid());
}

TEST_F(Buses, CardsOpenFromTheKeyboard)
{
  openDemo();
  ui::BusCard* card = window().buses().cards()[0];
  card->setFocus();
  QTest::keyClick(card, Qt::Key_Return);
  EXPECT_TRUE(card->isOpen());
  for (const QComboBox* combo : editor(0)->findChildren<QComboBox*>())
    EXPECT_FALSE(combo->accessibleName().isEmpty()) << combo->objectName().toStdString();
  QTest::keyClick(card, Qt::Key_Return);
  EXPECT_FALSE(card->isOpen());
}
