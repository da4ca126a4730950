#include "core/base/number_text.h"
#include "support/sessions.h"
#include "support/window_fixture.h"
#include "ui/import/import_dialog.h"
#include "ui/import/rows_page.h"
#include "ui/window/notice_bar.h"

using namespace bexto;
using namespace bexto::test;
using namespace bexto::ui;

namespace {

class Import : public WindowTest {
 protected:
  /// Opens it and waits for the question.
  ImportDialog& ask(const std::string& name, const std::string& content)
  {
    put(m_folder / name, content);
    window().openCapture(toQString(m_folder / name));
    EXPECT_TRUE(QTest::qWaitFor([this] { return dialog() != nullptr && dialog()->isVisible(); }, 5000));
    return *dialog();
  }
  ImportDialog* dialog() { return window().findChild<ImportDialog*>(QStringLiteral("import")); }
  static QString outcomeOf(const ImportDialog& d) { return d.findChild<QLabel*>(QStringLiteral("outcome"))->text(); }
  static QPushButton& button(const ImportDialog& d, const char* name)
  {
    return *d.findChild<QPushButton*>(QLatin1String(name));
  }
  static void choose(const ImportDialog& d, const QString& name, const QVariant& data)
  {
    auto* const choice = d.findChild<QComboBox*>(name);
    ASSERT_NE(choice, nullptr) << name.toStdString();
    choice->setCurrentIndex(choice->findData(data));
  }
  void read(ImportDialog& d)
  {
    button(d, "read").click();
    ASSERT_TRUE(QTest::qWaitFor([this] { return window().engine().capture() != nullptr; }, 5000));
  }
  const Capture& capture() { return *window().engine().capture(); }

  Folder m_folder;
};

const std::string kRows = "time [us];SCL;U;SDA\n0;1;3,3;1\n2,5;0;3,2;1\n4;1;0,1;0\n";

}  // namespace

TEST_F(Import, RowsAreShownAsTheyAreUnderstoodAndReadSo)
{
  ImportDialog& d = ask("rows.csv", kRows);
  EXPECT_TRUE(outcomeOf(d).startsWith(QStringLiteral("2 channels, 3 transitions over 4")))
      << outcomeOf(d).toStdString();
  auto& page = dynamic_cast<RowsPage&>(d.page());
  EXPECT_EQ(page.table().rowCount(), 5);
  EXPECT_EQ(page.table().item(1, 3)->text(), QStringLiteral("SDA"));
  EXPECT_EQ(page.table().item(3, 0)->text(), QStringLiteral("2,5"));
  read(d);
  EXPECT_EQ(capture().channels.size(), 2U);
  EXPECT_EQ(capture().channels[0].track.at(0), Picoseconds{2500000});
  EXPECT_EQ(capture().end, Picoseconds{4000000});
}

TEST_F(Import, OfALongFileTheWholeLinesOfItsBeginAreRead)
{
  std::string rows = "time [us];D\n";
  for (int i = 0; i < 200000; ++i)
    rows += fmt::format("{:06};{}\n", i, i % 2);
  ImportDialog& d = ask("long.csv", rows);
  const std::size_t last = rows.rfind('\n', kCsvLook - 1);  // of the line 00nnnn;n
  const QString changes = toQString(bexto::countText(std::stoul(rows.substr(last - 8, 6))));
  EXPECT_TRUE(outcomeOf(d).startsWith(QStringLiteral("1 channel; at its begin %1 transitions").arg(changes)))
      << outcomeOf(d).toStdString();
}

TEST_F(Import, ColumnsNamesAndUnitCanBeChanged)
{
  ImportDialog& d = ask("rows.csv", kRows);
  choose(d, QStringLiteral("unit"), 9);
  choose(d, QStringLiteral("use1"), static_cast<int>(CsvUse::Ignored));
  dynamic_cast<RowsPage&>(d.page()).table().item(1, 3)->setText(QStringLiteral("data"));
  read(d);
  ASSERT_EQ(capture().channels.size(), 1U);
  EXPECT_EQ(capture().channels[0].name, "data");
  EXPECT_EQ(capture().end, Picoseconds{4000000000});
}

TEST_F(Import, WhatCannotBeReadSaysWhyAndCannotBeOpened)
{
  ImportDialog& d = ask("rows.csv", kRows);
  choose(d, QStringLiteral("use3"), static_cast<int>(CsvUse::Time));
  EXPECT_FALSE(button(d, "read").isEnabled());
  EXPECT_EQ(outcomeOf(d), QStringLiteral("▲ more than one column is the time"));
  choose(d, QStringLiteral("use3"), static_cast<int>(CsvUse::Level));
  EXPECT_TRUE(button(d, "read").isEnabled());
  // Voltages are no levels; the line says which.
  choose(d, QStringLiteral("use2"), static_cast<int>(CsvUse::Level));
  EXPECT_TRUE(outcomeOf(d).contains(QStringLiteral("line 2: '3,3' in column 3 is no level")))
      << outcomeOf(d).toStdString();
  // Another separator makes other columns, and back.
  choose(d, QStringLiteral("separator"), QChar(u'|'));
  EXPECT_FALSE(button(d, "read").isEnabled());
  choose(d, QStringLiteral("separator"), QChar(u';'));
  EXPECT_TRUE(button(d, "read").isEnabled());
  button(d, "leave").click();
  EXPECT_EQ(window().engine().capture(), nullptr);
  EXPECT_FALSE(window().engine().isOpening());
}

TEST_F(Import, RowsWithoutATimeNeedARate)
{
  ImportDialog& d = ask("samples.csv", "a,b\n0,1\n1,1\n1,0\n");
  EXPECT_FALSE(button(d, "read").isEnabled());
  auto* const rate = d.findChild<QLineEdit*>(QStringLiteral("rate"));
  EXPECT_TRUE(rate->isVisible());
  EXPECT_FALSE(d.findChild<QComboBox*>(QStringLiteral("unit"))->isVisible());
  rate->setText(QStringLiteral("1 MHz"));
  read(d);
  EXPECT_EQ(capture().end, Picoseconds{2000000});
}

TEST_F(Import, PackedSamplesAreAskedForChannelsAndRate)
{
  const std::string samples(1000, '\x01');
  ImportDialog& d = ask("a.bin", samples + std::string(1000, '\x02'));
  EXPECT_FALSE(button(d, "read").isEnabled()) << "no rate is said";
  auto* const rate = d.findChild<QLineEdit*>(QStringLiteral("rate"));
  rate->setText(QStringLiteral("fast"));
  EXPECT_TRUE(outcomeOf(d).contains(QStringLiteral("'fast' is no rate")));
  rate->setText(QStringLiteral("2 MHz"));
  auto* const channels = d.findChild<QLineEdit*>(QStringLiteral("channels"));
  channels->setText(QStringLiteral("0"));
  EXPECT_EQ(outcomeOf(d), QStringLiteral("▲ There can be 1 to 4096 channels."));
  channels->setText(QStringLiteral("2"));
  EXPECT_EQ(outcomeOf(d), QStringLiteral("A sample takes 1 byte. That makes 2 000 samples over 999.500 µs."));
  read(d);
  EXPECT_EQ(capture().channels.size(), 2U);
  EXPECT_EQ(capture().channels[0].track.at(0), Picoseconds{500000000});
  // The next file is most likely of the same instrument.
  ImportDialog& next = ask("b.bin", samples);
  EXPECT_EQ(next.hints().channels, 2U);
  EXPECT_EQ(next.hints().rate, 2e6);
}

TEST_F(Import, ADumpIsNotAskedFor)
{
  openDemo();
  EXPECT_EQ(dialog(), nullptr);
}

TEST_F(Import, LessThanOneSampleIsNone)
{
  ImportDialog& d = ask("a.bin", "abc");
  d.findChild<QLineEdit*>(QStringLiteral("rate"))->setText(QStringLiteral("1 MHz"));
  auto* const channels = d.findChild<QLineEdit*>(QStringLiteral("channels"));
  channels->setText(QStringLiteral("25"));
  EXPECT_EQ(outcomeOf(d), QStringLiteral("▲ There is not one whole sample of so many channels in it."));
  EXPECT_FALSE(button(d, "read").isEnabled());
  channels->setText(QStringLiteral("24"));
  EXPECT_EQ(outcomeOf(d), QStringLiteral("A sample takes 3 bytes. That makes 1 samples over 0 s."));
  EXPECT_TRUE(button(d, "read").isEnabled());
}
