#include <QDir>
#include <QFile>
#include <QFileDialog>
#include <QFileInfo>
#include <QMessageBox>
#include <QPrintPreviewWidget>
#include <QPrinter>
#include <QTimer>

#include "core/decode/bus_spec.h"
#include "support/answers.h"
#include "support/window_fixture.h"
#include "ui/window/list_output.h"

using namespace bexto;
using namespace bexto::test;

namespace {

using Exporting = WindowTest;

/// How many pages the list takes on paper as it is shown; written to that file.
qsizetype pagesOf(ui::MainWindow& window, const QString& path)
{
  QPrinter printer(QPrinter::HighResolution);
  printer.setOutputFormat(QPrinter::PdfFormat);
  printer.setOutputFileName(path);
  EXPECT_EQ(window.output().pages().paintOn(printer), ui::ListPages::End::Whole);
  QFile pdf(path);
  EXPECT_TRUE(pdf.open(QIODevice::ReadOnly));
  return pdf.readAll().count("/Type /Page\n");
}

}  // namespace

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
  EXPECT_EQ(records[1], QByteArray("0.001208162000,,sensors,2A write 10 \xc2\xb7 read 01 7C 5F,0.000144315000\r"));
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
  const auto pages = [&] { return pagesOf(window(), file(QStringLiteral("list.pdf"))); };
  const auto few = pages();
  EXPECT_GE(few, 1);
  window().ledgers().filter().setText({});
  QApplication::processEvents();
  EXPECT_GT(pages(), 10 * few);
}

TEST_F(Exporting, AFailureSaysWhyAndTheOldFileStays)
{
  openDemo();
  window().exportLedger(QStringLiteral("/nowhere/list.csv"));
  ASSERT_TRUE(waitFor([&] { return window().notice().text().contains(QStringLiteral("cannot be written")); }));
  // A folder of that name is in the way of the new file at the last moment.
  const QString path = file(QStringLiteral("kept.csv"));
  ASSERT_TRUE(QDir().mkpath(path));
  std::ofstream(file(QStringLiteral("kept.csv/old.txt")).toStdString()) << "what was there";
  window().exportLedger(path);
  ASSERT_TRUE(waitFor([&] { return window().notice().text().contains(path); }));
  EXPECT_FALSE(window().notice().text().startsWith(QStringLiteral("Exported")));
  EXPECT_EQ(QFile(file(QStringLiteral("kept.csv/old.txt"))).size(), 14);
  EXPECT_EQ(QDir(QFileInfo(path).path()).entryList(QDir::Files).size(), 0) << "and no half file lies beside it";
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

namespace {

/// An export that takes a while: every frame of a bus of many.
class LongExport : public WindowTest {
 protected:
  void start()
  {
    openDemo();
    write();
  }
  void write()
  {
    window().ledgers().setForm(LedgerForm::Opened, 16);
    window().exportLedger(path());
    ASSERT_TRUE(window().output().isWriting());
  }
  QString path() const { return file(QStringLiteral("long.xlsx")); }
  QPushButton* cancelButton() { return window().findChild<QPushButton*>(QStringLiteral("cancelExport")); }
};

}  // namespace

TEST_F(LongExport, ASecondOneDoesNotDropTheFirst)
{
  start();
  window().exportLedger(file(QStringLiteral("second.csv")));
  EXPECT_TRUE(window().notice().text().contains(QStringLiteral("another export is still being written")));
  ASSERT_TRUE(waitFor([this] { return !window().output().isWriting(); }, 60000));
  EXPECT_TRUE(QFile::exists(path()));
  EXPECT_FALSE(QFile::exists(file(QStringLiteral("second.csv"))));

  window().exportLedger(path());
  ASSERT_TRUE(window().output().isWriting());
  const auto printer = std::make_shared<QPrinter>(QPrinter::HighResolution);
  printer->setOutputFormat(QPrinter::PdfFormat);
  printer->setOutputFileName(file(QStringLiteral("second.pdf")));
  window().output().printOn(printer);
  EXPECT_TRUE(window().notice().text().contains(QStringLiteral("nother export is still being written")));
  ASSERT_TRUE(waitFor([this] { return !window().output().isWriting(); }, 60000));
  EXPECT_FALSE(QFile::exists(file(QStringLiteral("second.pdf"))));
}

TEST_F(LongExport, ACancelledExportLeavesNothingBehind)
{
  std::ofstream(path().toStdString()) << "what was there";
  start();
  QTest::mouseClick(cancelButton(), Qt::LeftButton);
  ASSERT_TRUE(waitFor([this] { return !window().output().isWriting(); }));
  EXPECT_EQ(window().notice().text(), QStringLiteral("The export was cancelled; nothing was written."));
  EXPECT_FALSE(cancelButton()->isVisible());
  EXPECT_EQ(QFile(path()).size(), 14) << "the old file stays";
  EXPECT_EQ(QDir(QFileInfo(path()).path()).entryList(QDir::Files).size(), 1);
}

TEST_F(LongExport, ANoteLeavesItsProgressAndItsCancelWhereTheyAre)
{
  start();
  EXPECT_TRUE(cancelButton()->isVisible());
  window().notice().showNote(QStringLiteral("No fault after this place."));
  EXPECT_TRUE(cancelButton()->isVisible());
  // Another piece of work has a line and a Cancel of its own.
  window().openCapture(demoPath());
  auto* cancelOpening = window().findChild<QPushButton*>(QStringLiteral("cancelOpening"));
  EXPECT_TRUE(cancelOpening->isVisible());
  QTest::mouseClick(cancelOpening, Qt::LeftButton);
  EXPECT_TRUE(window().output().isWriting()) << "only the opening was cancelled";
  EXPECT_FALSE(cancelOpening->isVisible());
  QTest::mouseClick(cancelButton(), Qt::LeftButton);
  ASSERT_TRUE(waitFor([this] { return !window().output().isWriting(); }));
  EXPECT_FALSE(QFile::exists(path()));
}

TEST_F(LongExport, ClosingTheWindowAsks)
{
  // So long that it is still being written when the question is answered.
  engine().setCapture(longTalk(200000), QStringLiteral("talk.vcd"));
  session().addBus(*parseBusSpec("talk=uart,rx=TALK,baud=100000"));
  ASSERT_TRUE(waitIdle());
  write();
  EXPECT_TRUE(answered<QMessageBox>([&] { EXPECT_FALSE(window().close()); },
                                    [](QMessageBox& question) { question.defaultButton()->click(); }));
  EXPECT_TRUE(window().isVisible());
  ASSERT_TRUE(waitFor([this] { return !window().output().isWriting(); }, 60000));
  EXPECT_TRUE(QFile::exists(path()));
  window().keeper().discard();
  EXPECT_TRUE(window().close()) << "with nothing under way it asks nothing";
}

TEST_F(Exporting, ThePreviewShowsPages)
{
  openDemo();
  bool seen = false;
  int looks = 0;
  QTimer often;
  QObject::connect(&often, &QTimer::timeout, [&] {
    auto* const preview = window().findChild<QDialog*>(QStringLiteral("preview"));
    ASSERT_NE(preview, nullptr);
    auto* const pages = preview->findChild<QPrintPreviewWidget*>();
    seen = preview->isVisible() && pages != nullptr && pages->pageCount() > 10 &&
           QApplication::activeModalWidget() == preview;
    if (seen || ++looks > 300)
      preview->reject();
  });
  often.start(100);
  window().output().preview();
  EXPECT_TRUE(seen);
}

TEST_F(Exporting, PrintingCanBeGivenUp)
{
  openDemo();
  QPrinter printer(QPrinter::ScreenResolution);
  printer.setOutputFormat(QPrinter::PdfFormat);
  printer.setOutputFileName(file(QStringLiteral("list.pdf")));
  std::vector<int> pages;
  double before = 0.0;
  const auto end = window().output().pages().paintOn(printer, [&](int page, double done) {
    pages.push_back(page);
    EXPECT_GT(done, before);
    EXPECT_LE(done, 1.0);
    before = done;
    return page < 3;
  });
  EXPECT_EQ(end, ui::ListPages::End::GivenUp);
  EXPECT_EQ(pages, (std::vector<int>{1, 2, 3}));
}

TEST_F(Exporting, PrintingDoesNotHoldTheWindowUpAndAFileIsWholeOrNotThere)
{
  openDemo();
  const auto pdf = [this](const QString& path) {
    auto printer = std::make_shared<QPrinter>(QPrinter::HighResolution);
    printer->setOutputFormat(QPrinter::PdfFormat);
    printer->setOutputFileName(path);
    return printer;
  };
  const QString path = file(QStringLiteral("printed.pdf"));
  std::ofstream(path.toStdString()) << "what was there";
  const auto content = [&path] {
    QFile written(path);
    EXPECT_TRUE(written.open(QIODevice::ReadOnly));
    return written.readAll();
  };
  QElapsedTimer clock;
  clock.start();
  window().output().printOn(pdf(path));
  const qint64 asked = clock.elapsed();
  EXPECT_TRUE(window().output().isWriting());
  EXPECT_EQ(content(), "what was there");
  window().output().cancel();
  ASSERT_TRUE(waitFor([this] { return !window().output().isWriting(); }));
  EXPECT_TRUE(waitFor([this] { return window().notice().text() == QStringLiteral("Printing was cancelled."); }));
  EXPECT_EQ(content(), "what was there");
  EXPECT_EQ(QDir(QFileInfo(path).path()).entryList({QStringLiteral("printed.pdf.*")}).size(), 0);

  clock.restart();
  window().output().printOn(pdf(path));
  ASSERT_TRUE(waitFor([this] { return !window().output().isWriting(); }, 60000));
  EXPECT_LT(asked, clock.elapsed()) << "pages are painted after it was asked";
  EXPECT_TRUE(waitFor([&] { return window().notice().text().endsWith(path); }));
  EXPECT_TRUE(content().startsWith("%PDF"));
  EXPECT_GT(content().count("/Type /Page\n"), 10);

  window().output().printOn(pdf(QStringLiteral("/nowhere/list.pdf")));
  EXPECT_TRUE(waitFor(
      [this] { return window().notice().text().contains(QStringLiteral("/nowhere/list.pdf: cannot be written")); }));
}

TEST_F(Exporting, ANameWithoutSuffixIsOfTheKindThatWasChosen)
{
  openDemo();
  QString suffix;
  QTimer::singleShot(200, &window(), [&] {
    auto* const dialog = window().findChild<QFileDialog*>(QStringLiteral("exportDialog"));
    ASSERT_NE(dialog, nullptr);
    EXPECT_EQ(dialog->defaultSuffix(), QStringLiteral("csv"));
    Q_EMIT dialog->filterSelected(dialog->nameFilters().constLast());
    suffix = dialog->defaultSuffix();
    dialog->reject();
  });
  window().output().askForExport(ui::ListOutput::What::Shown);
  EXPECT_EQ(suffix, QStringLiteral("xlsx")) << "the dialog adds it, and so asks before it replaces a file";
}

TEST_F(Exporting, OpenedLinesTakeTheirRoomOnPaperToo)
{
  openDemo();
  window().ledgers().filter().setText(QStringLiteral("address:5D"));
  ASSERT_TRUE(waitFor([&] { return rows().shownCount() < rows().allCount() / 2; }));
  const auto pages = [&] { return static_cast<double>(pagesOf(window(), file(QStringLiteral("list.pdf")))); };
  const double closed = pages();
  const auto lines = static_cast<double>(rows().shownCount());
  window().ledgers().setForm(LedgerForm::Opened, 16);
  QApplication::processEvents();
  std::uint64_t details = 0;
  for (const LedgerRow& row : rows().lines().rows().rows(0, rows().lines().rows().size()))
    details += rows().lines().detailCount(row);
  ASSERT_GT(details, 0U);
  // The last page of either need not be full.
  const double times = (lines + static_cast<double>(details)) / lines;
  EXPECT_LE(pages(), closed * times);
  EXPECT_GT(pages(), (closed - 1.0) * times);
}
