#include <QDir>
#include <QFile>
#include <QFileInfo>

#include "support/window_fixture.h"

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
