// Rulebooks, written in the window.
#include <QComboBox>
#include <QDir>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QTemporaryDir>
#include <QToolButton>
#include <QTreeView>

#include "core/check/rulebook_file.h"
#include "core/decode/bus_spec.h"
#include "support/own_data_folder.h"
#include "support/window_fixture.h"
#include "ui/checks/book_page.h"
#include "ui/checks/checks_page.h"
#include "ui/page/yaml_edit.h"
#include "ui/theme/theme.h"
#include "ui/window/lower_area.h"

using namespace bexto;
using namespace bexto::test;
using namespace Qt::StringLiterals;

namespace {

class Books : public WindowTest {
 protected:
  /// In what colour it is said.
  QColor inkOf(const QString& said)
  {
    for (const QLabel* const label : window().findChildren<QLabel*>()) {
      if (label->text() == said)
        return label->palette().color(label->foregroundRole());
    }
    return {};
  }
  QString pathOf(const QString& name) const { return QDir(m_data.filePath(u"bexto/rulebooks"_s)).filePath(name); }
  QString fileText(const QString& name) const
  {
    QFile in(pathOf(name));
    return in.open(QIODevice::ReadOnly) ? QString::fromUtf8(in.readAll()) : QString();
  }
  ui::BookPage& page() { return window().book(); }
  void settle()
  {
    ASSERT_TRUE(waitFor([&] {
      return window().verdicts().of(id(0)) != nullptr && !window().verdicts().isBusy() && !page().isMeasuring();
    }));
  }
  /// What the Rulebook menu of the picked line offers.
  QAction* offer(const QString& text)
  {
    window().lower().show(window().checks());
    QMenu* const menu = window().checks().bookButton().menu();
    Q_EMIT menu->aboutToShow();
    for (QAction* const action : menu->actions()) {
      if (action->text() == text)
        return action;
    }
    return nullptr;
  }
  int rowOf(const QString& rule)
  {
    for (int row = 0; row < page().rows().rowCount(); ++row) {
      if (cell(row, ui::BookModel::Rule).startsWith(rule))
        return row;
    }
    return -1;
  }
  QString cell(int row, int column) { return page().rows().index(row, column).data().toString(); }
  void type(const QString& before, const QString& after)
  {
    QString text = page().text().toPlainText();
    ASSERT_TRUE(text.contains(before)) << text.toStdString();
    page().text().setPlainText(text.replace(before, after));
    settle();
  }
  std::vector<std::string> used(int bus)
  {
    std::vector<std::string> names;
    for (const SheetText& book : session().value().buses.at(static_cast<std::size_t>(bus)).bus.books.list())
      names.push_back(book.name);
    return names;
  }

 private:
  OwnDataFolder m_data;
};

TEST_F(Books, OneOfOurOwnIsMadeFromTheUsualOneAndKept)
{
  openDemo();
  settle();
  QAction* const make = offer(u"Make our own from i2c-fast"_s);
  ASSERT_NE(make, nullptr);
  make->trigger();
  ASSERT_EQ(window().lower().shown().key(), u"rulebook"_s);
  settle();
  // As it begins it says what the original says.
  EXPECT_TRUE(page().text().toPlainText().startsWith(u"rulebook: our-sensors\n"_s));
  EXPECT_EQ(page().status(), u"from i2c-fast · 0 rules differ"_s);
  const int low = rowOf(u"tLOW"_s);
  ASSERT_GE(low, 0);
  EXPECT_EQ(cell(low, ui::BookModel::Rule), u"tLOW"_s);
  EXPECT_EQ(cell(low, ui::BookModel::Limit), u"≥ 1.300 µs"_s);
  EXPECT_EQ(cell(low, ui::BookModel::Original), QString());
  EXPECT_EQ(cell(low, ui::BookModel::Verdict), u"✓ pass"_s);
  // What is changed stands beside what it was, and is judged while it is written.
  type(u"tLOW: {min: 1.3 us}"_s, u"tLOW: {min: 1.5 us}"_s);
  EXPECT_EQ(page().status(), u"from i2c-fast · 1 rule differs"_s);
  EXPECT_EQ(cell(low, ui::BookModel::Rule), u"tLOW *"_s);
  EXPECT_EQ(cell(low, ui::BookModel::Limit), u"≥ 1.500 µs"_s);
  EXPECT_EQ(cell(low, ui::BookModel::Original), u"≥ 1.300 µs"_s);
  EXPECT_EQ(cell(low, ui::BookModel::Verdict), u"▲ fail"_s);
  EXPECT_FALSE(cell(low, ui::BookModel::Worst).isEmpty());
  EXPECT_TRUE(used(0).empty()) << "nothing changes until it is kept";
  EXPECT_FALSE(QFile::exists(pathOf(u"our-sensors.yaml"_s)));
  QTest::mouseClick(&page().keepButton(), Qt::LeftButton);
  EXPECT_EQ(used(0), std::vector<std::string>{"our-sensors.yaml"});
  EXPECT_EQ(fileText(u"our-sensors.yaml"_s), page().text().toPlainText()) << page().status().toStdString();
  settle();
  EXPECT_EQ(window().verdicts().of(id(0))->books, std::vector<std::string>{"our-sensors"});
  // It can be edited further, and taken back.
  EXPECT_NE(offer(u"Edit our-sensors.yaml"_s), nullptr);
  session().undo();
  EXPECT_TRUE(used(0).empty());
  settle();
  EXPECT_NE(offer(u"Add our-sensors.yaml"_s), nullptr) << "its file is still there";
}

TEST_F(Books, MistakesStandInPlaceAndKeepNothing)
{
  openDemo();
  settle();
  page().begin(id(0), u"i2c-fast"_s);
  settle();
  const int rules = page().rows().rowCount();
  type(u"tLOW: {min"_s, u"tLOV: {min"_s);
  EXPECT_TRUE(page().mistakes().join(u'\n').contains(u"'tLOV' is not measured on I2C; did you mean tLOW"_s))
      << page().mistakes().join(u'\n').toStdString();
  EXPECT_EQ(page().status(), u"1 mistake"_s);
  EXPECT_EQ(inkOf(u"1 mistake"_s), ui::theme().colours().fault);
  EXPECT_FALSE(page().keepButton().isEnabled());
  EXPECT_FALSE(page().text().extraSelections().isEmpty());
  EXPECT_EQ(page().rows().rowCount(), rules) << "the last good rules stay";
  type(u"tLOV"_s, u"tLOW"_s);
  EXPECT_EQ(inkOf(page().status()), ui::theme().colours().muted);
  EXPECT_TRUE(page().keepButton().isEnabled());
  EXPECT_TRUE(page().mistakes().isEmpty());
}

TEST_F(Books, WithoutABookNothingCanBeTypedThatWouldBeLost)
{
  openDemo();
  settle();
  window().lower().show(page());
  QTest::keyClicks(&page().text(), u"rulebook: x"_s);
  QTest::keyClick(&page().text(), Qt::Key_Return);
  QTest::keyClick(&page().text(), Qt::Key_Tab);
  EXPECT_TRUE(page().text().toPlainText().isEmpty());
  EXPECT_TRUE(page().text().placeholderText().startsWith(u"Begin one"_s));
  page().begin(id(0), u"i2c-fast"_s);
  QTest::keyClicks(&page().text(), u"# x"_s);
  EXPECT_TRUE(page().text().toPlainText().startsWith(u"# xrulebook"_s));
}

TEST_F(Books, TheNamesOfTheProgramsOwnAreTaken)
{
  openDemo();
  settle();
  page().begin(id(0), u"i2c-fast"_s);
  type(u"our-sensors"_s, u"i2c-fast"_s);
  QTest::mouseClick(&page().keepButton(), Qt::LeftButton);
  EXPECT_TRUE(page().status().contains(u"is one of the program's own"_s)) << page().status().toStdString();
  EXPECT_TRUE(used(0).empty());
}

TEST_F(Books, AFileThatSaysSomethingElseIsNotLost)
{
  openDemo();
  settle();
  ASSERT_TRUE(QDir().mkpath(QFileInfo(pathOf(u"x"_s)).path()));
  QFile theirs(pathOf(u"our-sensors.yaml"_s));
  ASSERT_TRUE(theirs.open(QIODevice::WriteOnly));
  theirs.write("rulebook: our-sensors\nbase: i2c-standard\n");
  theirs.close();
  page().begin(id(0), u"i2c-fast"_s);
  settle();
  QTest::mouseClick(&page().keepButton(), Qt::LeftButton);
  EXPECT_TRUE(page().status().contains(u"says something else"_s)) << page().status().toStdString();
  EXPECT_TRUE(fileText(u"our-sensors.yaml"_s).contains(u"i2c-standard"_s));
  EXPECT_TRUE(used(0).empty());
  type(u"our-sensors"_s, u"our-bench"_s);
  QTest::mouseClick(&page().keepButton(), Qt::LeftButton);
  EXPECT_EQ(used(0), std::vector<std::string>{"our-bench.yaml"});
  // Somebody else writes it meanwhile.
  QFile again(pathOf(u"our-bench.yaml"_s));
  ASSERT_TRUE(again.open(QIODevice::WriteOnly));
  again.write("rulebook: our-bench\nbase: smbus\n");
  again.close();
  type(u"tLOW: {min: 1.3 us}"_s, u"tLOW: {min: 1.35 us}"_s);
  QTest::mouseClick(&page().keepButton(), Qt::LeftButton);
  EXPECT_TRUE(fileText(u"our-bench.yaml"_s).contains(u"smbus"_s));
  EXPECT_TRUE(page().status().contains(u"says something else"_s)) << page().status().toStdString();
}

TEST_F(Books, WhatIsNotKeptStaysWithItsBook)
{
  openDemo();
  settle();
  page().begin(id(0), u"i2c-fast"_s);
  page().text().insertPlainText(u"# mine\n"_s);
  page().begin(id(1), u"uart"_s);
  EXPECT_TRUE(page().text().toPlainText().startsWith(u"rulebook: our-console\n"_s));
  page().begin(id(0), u"i2c-fast"_s);
  EXPECT_TRUE(page().text().toPlainText().startsWith(u"# mine"_s));
  // A bus that goes takes its page along.
  session().removeBus(id(0));
  EXPECT_TRUE(waitFor([&] { return page().text().toPlainText().isEmpty(); }));
  EXPECT_FALSE(page().keepButton().isEnabled());
}

TEST_F(Books, TheCardNamesThemAndLeadsToTheChecks)
{
  openDemo();
  settle();
  openSettings(1);
  auto* const judged = editor(1)->findChild<QToolButton*>(u"judgedBy"_s);
  ASSERT_NE(judged, nullptr);
  EXPECT_EQ(judged->text(), u"Judged as usual"_s);
  Bus changed = session().value().buses.at(1).bus;
  attachBook(changed, {"ours.yaml", "rulebook: ours\nbase: uart\n"});
  session().setBooks(id(1), changed.books);
  EXPECT_TRUE(waitFor([&] { return judged->text() == u"Judged by ours.yaml"_s; })) << judged->text().toStdString();
  settle();
  QTest::mouseClick(judged, Qt::LeftButton);
  EXPECT_EQ(window().lower().shown().key(), u"checks"_s);
  const int row = window().checks().list().currentIndex().row();
  ASSERT_GE(row, 0);
  EXPECT_EQ(window().checks().rows().busOf(row), id(1));
}

TEST_F(Books, ARuleLeadsToItsLine)
{
  openDemo();
  settle();
  page().begin(id(0), u"i2c-fast"_s);
  settle();
  window().lower().show(page());
  const int row = rowOf(u"tBUF"_s);
  ASSERT_GE(row, 0);
  Q_EMIT page().list().clicked(page().rows().index(row, 0));
  EXPECT_TRUE(page().text().textCursor().block().text().contains(u"tBUF"_s));
}

TEST_F(Books, ExpectationsAreJudgedWhileTheyAreWritten)
{
  openDemo();
  settle();
  page().begin(id(0), u"i2c-fast"_s);
  page().text().setPlainText(u"rulebook: ours\nbase: i2c-fast\ntalk:\n  - rule: nobody is silent\n    never: nack\n"_s);
  settle();
  const int row = rowOf(u"nobody is silent"_s);
  ASSERT_GE(row, 0);
  EXPECT_EQ(cell(row, ui::BookModel::Verdict), u"▲ fail"_s);
  EXPECT_EQ(page().status(), u"from i2c-fast · 1 rule differs"_s);
}

TEST_F(Books, ABusWithoutAStandardBeginsWithWhatIsMeasured)
{
  openDemo();
  const auto wired = parseBusSpec("wired=spi,clk=SCL,mosi=SDA,gap=50us");
  ASSERT_TRUE(wired);
  session().addBus(*wired);
  ASSERT_TRUE(waitIdle());
  settle();
  const BusId spi = session().value().buses.back().id;
  page().begin(spi, {});
  settle();
  EXPECT_TRUE(page().text().toPlainText().contains(u"#   fCLK: "_s));
  type(u"limits: {}"_s, u"limits: {fCLK: {max: 20 MHz}}"_s);
  EXPECT_EQ(page().status(), u"1 rule"_s);
  ASSERT_EQ(page().rows().rowCount(), 1);
  EXPECT_EQ(cell(0, ui::BookModel::Limit), u"≤ 20.00 MHz"_s);
}

}  // namespace
