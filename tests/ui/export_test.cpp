#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <QPrinter>

#include "support/window_fixture.h"
#include "ui/window/list_output.h"

using namespace bexto;
using namespace bexto::test;

using Exporting = WindowTest;

TEST_F(Exporting, WritesTheLedgerAsShown)
{
  openDemo();
  window().ledger().openLine({0, 0}, true);
  const QString path = file(QStringLiteral("list.csv"));
  window().exportLedger(path);
  ASSERT_TRUE(waitFor([&] { return window().notice().text().startsWith(QStringLiteral("Exported")); }));
  QFile csv(path);
  ASSERT_TRUE(csv.open(QIODevice::ReadOnly));
  const QList<QByteArray> records = csv.readAll().split('\n');
  const auto lines = static_cast<qsizetype>(window().ledger().rows().shownCount()) + 6;
  EXPECT_EQ(records.size(), lines + 2) << "a header, a record a line, and what follows the last line end";
  EXPECT_EQ(records[1], QByteArray("0.001208162000,,sensors,2A write 10 \xc2\xb7 read 01 7C 5F,0.000141515000\r"));
  EXPECT_TRUE(records[2].startsWith(",,,\"  address 2A write")) << records[2].constData();
}

TEST_F(Exporting, EachSuffixIsAFormatAndAnUnknownOneIsRefused)
{
  openDemo();
  for (const char* name : {"list.txt", "list.jsonl", "list.xlsx", "LIST.CSV"}) {
    const QString path = file(QString::fromLatin1(name));
    window().exportLedger(path);
    ASSERT_TRUE(waitFor([&] { return window().notice().text().endsWith(path); })) << name;
    EXPECT_GT(QFileInfo(path).size(), 10000) << name;
  }
  window().exportLedger(file(QStringLiteral("list.doc")));
  EXPECT_TRUE(window().notice().text().contains(QStringLiteral("use .csv, .txt, .jsonl or .xlsx")));
  EXPECT_FALSE(QFile::exists(file(QStringLiteral("list.doc"))));
}

TEST_F(Exporting, AsShownOrAll)
{
  openDemo();
  window().ledgers().filter().setText(QStringLiteral("address:5D"));
  ASSERT_TRUE(
      waitFor([&] { return !window().ledgers().filter().isScanning() && rows().shownCount() < rows().allCount(); }));
  const auto linesOf = [&](const char* name, ui::ListOutput::What what) {
    const QString path = file(QString::fromLatin1(name));
    window().output().write(path, what);
    EXPECT_TRUE(waitFor([&] { return window().notice().text().endsWith(path); }));
    QFile written(path);
    EXPECT_TRUE(written.open(QIODevice::ReadOnly));
    return static_cast<std::uint64_t>(written.readAll().count('\n'));
  };
  EXPECT_EQ(linesOf("shown.jsonl", ui::ListOutput::What::Shown), rows().shownCount());
  EXPECT_EQ(linesOf("all.jsonl", ui::ListOutput::What::All), rows().allCount());
}

TEST_F(Exporting, PaperTakesThePagesThatTheListNeeds)
{
  openDemo();
  window().ledgers().filter().setText(QStringLiteral("address:5D"));
  ASSERT_TRUE(
      waitFor([&] { return !window().ledgers().filter().isScanning() && rows().shownCount() < rows().allCount(); }));
  const auto pagesOf = [&] {
    QPrinter printer(QPrinter::HighResolution);
    printer.setOutputFormat(QPrinter::PdfFormat);
    const QString path = file(QStringLiteral("list.pdf"));
    printer.setOutputFileName(path);
    EXPECT_TRUE(window().output().paintOn(printer));
    QFile pdf(path);
    EXPECT_TRUE(pdf.open(QIODevice::ReadOnly));
    return pdf.readAll().count("/Type /Page\n");
  };
  const auto few = pagesOf();
  EXPECT_GE(few, 1);
  window().ledgers().filter().setText({});
  QApplication::processEvents();
  EXPECT_GT(pagesOf(), 10 * few);
}

TEST_F(Exporting, AFailureSaysWhyAndTheOldFileStays)
{
  openDemo();
  window().exportLedger(QStringLiteral("/nowhere/list.csv"));
  ASSERT_TRUE(waitFor([&] { return window().notice().text().contains(QStringLiteral("cannot be written")); }));
}

TEST_F(Exporting, NeverReplacesTheCapture)
{
  openDemo();
  const qint64 size = QFile(demoPath()).size();
  window().exportLedger(demoPath());
  EXPECT_TRUE(window().notice().text().contains(QStringLiteral("this is the capture itself")));
  QTest::qWait(50);
  EXPECT_EQ(QFile(demoPath()).size(), size);
}

TEST_F(Exporting, ACancelledExportLeavesNothingBehind)
{
  openDemo();
  const QString path = file(QStringLiteral("cancelled.csv"));
  window().exportLedger(path);
  QTest::mouseClick(window().findChild<QPushButton*>(QStringLiteral("noticeButton")), Qt::LeftButton);
  EXPECT_EQ(window().notice().text(), QStringLiteral("The export was cancelled; nothing was written."));
  // The run ends at its next look at the token; then its file is gone, or it had just been done.
  QTest::qWait(200);
  EXPECT_LE(QDir(QFileInfo(path).path()).entryList(QDir::Files).size(), QFile::exists(path) ? 1 : 0);
}
