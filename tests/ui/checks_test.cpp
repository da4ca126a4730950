// Checks, findings, and measured intervals on the wires.
#include <QComboBox>
#include <QLabel>
#include <QListWidget>
#include <QMenu>
#include <QToolButton>
#include <QTreeView>
#include <QTreeWidget>
#include <QXmlStreamReader>

#include "core/check/rulebook_file.h"
#include "core/device/sheet_file.h"
#include "core/export/check_writer.h"
#include "support/answers.h"
#include "support/recorded_text.h"
#include "support/window_fixture.h"
#include "ui/anatomy/anatomy_panel.h"
#include "ui/checks/checks_page.h"
#include "ui/checks/findings_page.h"
#include "ui/window/lower_area.h"
#include "ui/window/navigator.h"

using namespace bexto;
using namespace bexto::test;
using namespace Qt::StringLiterals;

namespace {

class Checks : public WindowTest {
 protected:
  ui::Verdicts& verdicts() { return window().verdicts(); }
  void settle()
  {
    ASSERT_TRUE(waitFor([&] {
      for (int b = 0; b < engine().busCount(); ++b) {
        if (verdicts().of(id(b)) == nullptr || verdicts().isRunning(id(b)))
          return false;
      }
      return true;
    }));
  }
  void judgedBy(int bus, const std::string& text)
  {
    Bus changed = session().value().buses.at(static_cast<std::size_t>(bus)).bus;
    attachBook(changed, {"ours.yaml", text});
    session().setBooks(id(bus), changed.books);
    settle();
  }
  const RuleResult& rule(int bus, const std::string& name)
  {
    static const RuleResult kNone;
    for (const RuleResult& one : verdicts().of(id(bus))->rules) {
      if (one.rule == name)
        return one;
    }
    ADD_FAILURE() << name;
    return kNone;
  }
  /// The row of a rule in the page; shows the page.
  int rowOf(const std::string& name)
  {
    window().lower().show(window().checks());
    const ui::RuleModel& rows = window().checks().rows();
    for (int row = 0; row < rows.rowCount(); ++row) {
      if (rows.ruleOf(row) != nullptr && rows.ruleOf(row)->rule == name)
        return row;
    }
    return -1;
  }
  QString cell(int row, int column) { return window().checks().rows().index(row, column).data().toString(); }
};

TEST_F(Checks, EveryBusIsJudgedAsSoonAsItIsDecoded)
{
  openDemo();
  settle();
  EXPECT_EQ(verdicts().of(id(0))->books, (std::vector<std::string>{"i2c-fast"}));
  EXPECT_EQ(rule(0, "tLOW").verdict, Verdict::Pass);
  EXPECT_EQ(rule(0, "unexpected-start").verdict, Verdict::Fail);
  const int row = rowOf("tLOW");
  ASSERT_GE(row, 0);
  EXPECT_EQ(cell(row, ui::RuleModel::Verdict), u"✓ pass"_s);
  EXPECT_EQ(cell(row, ui::RuleModel::Limit), u"≥ 1.300 µs"_s);
  EXPECT_EQ(cell(rowOf("unexpected-start"), ui::RuleModel::Verdict), u"▲ fail"_s);
  EXPECT_TRUE(cell(0, 0).startsWith(u"sensors · I2C · by i2c-fast"_s)) << cell(0, 0).toStdString();
  EXPECT_TRUE(window().checks().status().startsWith(u"1 fail"_s)) << window().checks().status().toStdString();
}

TEST_F(Checks, WithoutABusTheyAskForOne)
{
  open(demoPath());
  window().lower().show(window().checks());
  auto* const button = window().checks().findChild<QPushButton*>(u"addBusForChecks"_s);
  ASSERT_NE(button, nullptr);
  EXPECT_TRUE(button->isVisible());
  const QStringList said = textsOn(window().checks());
  EXPECT_TRUE(said.contains(u"There is no bus to be measured yet."_s)) << said.join(u'|').toStdString();
  openDemo();
  settle();
  EXPECT_FALSE(button->isVisible());
}

TEST_F(Checks, OnlyWhatDidNotPassCanBeShown)
{
  openDemo();
  settle();
  rowOf("tLOW");
  window().checks().extent().setCurrentIndex(1);
  Q_EMIT window().checks().extent().activated(1);
  EXPECT_EQ(rowOf("tLOW"), -1);
  EXPECT_GE(rowOf("unexpected-start"), 0);
}

TEST_F(Checks, APlaceLeadsToItsWiresWithTheIntervalDrawn)
{
  openDemo();
  settle();
  judgedBy(0, "rulebook: ours\nbase: i2c-fast\nlimits:\n  tSU;STO: {min: 1.14 us, clause: our review}\n");
  EXPECT_EQ(rule(0, "tSU;STO").verdict, Verdict::Fail);
  const int row = rowOf("tSU;STO");
  EXPECT_EQ(cell(row, ui::RuleModel::Rule), u"tSU;STO *"_s);  // another limit than the original's
  window().checks().list().setCurrentIndex(window().checks().rows().index(row, 0));
  EXPECT_TRUE(window().checks().details().contains(u"our review"_s)) << window().checks().details().toStdString();
  QListWidget& places = window().checks().places();
  ASSERT_GT(places.count(), 2);
  EXPECT_FALSE(places.isHidden());
  window().checks().list().setCurrentIndex(window().checks().rows().index(0, 0));
  EXPECT_TRUE(places.isHidden()) << "a bus has no worst places, and no empty list of them";
  window().checks().list().setCurrentIndex(window().checks().rows().index(row, 0));
  places.setCurrentRow(1);
  Q_EMIT places.itemClicked(places.item(1));
  ASSERT_TRUE(focus().interval());
  EXPECT_EQ(focus().interval()->time, rule(0, "tSU;STO").places[1].time);
  EXPECT_EQ(focus().interval()->channel, "SDA");
  EXPECT_TRUE(focus().interval()->fails);
  EXPECT_TRUE(focus().interval()->text.startsWith(u"tSU;STO 1.1"_s)) << focus().interval()->text.toStdString();
  EXPECT_TRUE(focus().axis().span().contains(focus().interval()->time.begin));
  EXPECT_LT(focus().axis().span().length(), focus().interval()->time.length() * 50);
  ASSERT_TRUE(focus().selection().valid());
  // Its wire's lane has room below for the line, and the red of what fails is in it.
  QApplication::processEvents();
  const auto& lanes = window().timeline().lanes();
  const auto lane = std::find_if(lanes.begin(), lanes.end(), [](const ui::TimelineLane& l) { return l.dimension > 0; });
  ASSERT_NE(lane, lanes.end());
  EXPECT_EQ(lane->name, u"SDA"_s);
  const QImage picture = window().timeline().viewport()->grab().toImage();
  const int scroll = window().timeline().verticalScrollBar()->value();
  const int foot = ui::px(ui::kRulerHeight) + lane->bottom() - scroll;
  int red = 0;
  for (int y = foot - lane->dimension; y < foot; ++y) {
    for (int x = ui::px(ui::kLaneHeader); x < picture.width(); ++x)
      red += picture.pixelColor(x, y) == ui::theme().colours().fault ? 1 : 0;
  }
  EXPECT_GT(red, 40);
  // Another frame is another matter.
  focus().selectNeighbour(true);
  EXPECT_FALSE(focus().interval());
  QApplication::processEvents();
  EXPECT_TRUE(std::none_of(lanes.begin(), lanes.end(), [](const ui::TimelineLane& l) { return l.dimension > 0; }));
}

TEST_F(Checks, TheAnatomyHoldsATransactionAgainstItsLimits)
{
  openDemo();
  settle();
  focus().select({streamId(0, 0), 3});
  QListWidget& intervals = window().anatomy().intervals();
  ASSERT_GT(intervals.count(), 6);
  QStringList lines;
  for (int i = 0; i < intervals.count(); ++i)
    lines << intervals.item(i)->text();
  EXPECT_TRUE(lines.filter(u"tLOW"_s).first().startsWith(u"✓ tLOW"_s)) << lines.join(u"|"_s).toStdString();
  EXPECT_TRUE(lines.filter(u"tLOW"_s).first().endsWith(u"≥ 1.300 µs"_s));
  intervals.setCurrentRow(0);
  Q_EMIT intervals.itemClicked(intervals.item(0));
  ASSERT_TRUE(focus().interval());
  EXPECT_EQ(focus().selection().stream, streamId(0, 0));
}

TEST_F(Checks, FindingsSayTheirCauseAndLeadToTheFrame)
{
  openDemo();
  settle();
  window().lower().show(window().findings());
  QTreeWidget& list = window().findings().list();
  ASSERT_EQ(list.topLevelItemCount(), 2);  // and notes
  QTreeWidgetItem* const item = list.topLevelItem(0);
  EXPECT_EQ(item->text(2), u"▲ START inside a byte"_s);
  EXPECT_TRUE(item->text(3).startsWith(u"stretch: SCL was held low for 264"_s)) << item->text(3).toStdString();
  Q_EMIT list.itemClicked(item, 0);
  ASSERT_TRUE(focus().selection().valid());
  const Frame frame = focus().selectedStream().transactions.frames().frame(focus().selection().frame);
  EXPECT_NE(frame.errors, 0);
  EXPECT_TRUE(window().anatomy().causes().contains(u"likely stretch"_s)) << window().anatomy().causes().toStdString();
  EXPECT_TRUE(window().findings().status().startsWith(u"1 finding · 1 cause"_s));
}

TEST_F(Checks, WhatDevicesMayDoIsANoteBehindTheFindings)
{
  openDemo();
  settle();
  const BusCheck& check = *verdicts().of(id(0));
  std::uint64_t unanswered = 0;
  const FrameIndex& frames = transactionsOf(0).frames();
  for (std::uint64_t i = 0; i < frames.size(); ++i) {
    const FrameErrors harmless = engine().bus(0).shown.protocol().harmless();
    unanswered += frames.frame(i).errors != 0 && (frames.frame(i).errors & ~harmless) == 0 ? 1 : 0;
  }
  ASSERT_GT(unanswered, 0U);
  EXPECT_EQ(check.remarkCount, unanswered);
  window().lower().show(window().findings());
  QTreeWidget& list = window().findings().list();
  ASSERT_EQ(list.topLevelItemCount(), 2);
  EXPECT_TRUE(list.topLevelItem(0)->text(2).startsWith(u"▲"_s));
  QTreeWidgetItem* const note = list.topLevelItem(1);
  EXPECT_TRUE(note->text(2).startsWith(u"· "_s)) << note->text(2).toStdString();
  EXPECT_EQ(static_cast<std::uint64_t>(note->childCount()) + 1, std::min<std::uint64_t>(unanswered, 100));
  EXPECT_TRUE(window().findings().status().contains(u"note"_s)) << window().findings().status().toStdString();
  Q_EMIT list.itemClicked(note, 0);
  ASSERT_TRUE(focus().selection().valid());
  EXPECT_EQ(frames.frame(focus().selection().frame).time.begin, check.remarks.front().time.begin);
  // By time stands what is wrong.
  window().findings().order().setCurrentIndex(1);
  Q_EMIT window().findings().order().activated(1);
  EXPECT_EQ(list.topLevelItemCount(), 1);
}

TEST_F(Checks, TheSameKindStandsUnderOneLineOrAllByTime)
{
  openDemo();
  settle();
  judgedBy(0, "rulebook: ours\nbase: i2c-fast\nlimits:\n  tSU;STO: {min: 1.14 us}\n");
  window().lower().show(window().findings());
  QTreeWidget& list = window().findings().list();
  ASSERT_EQ(list.topLevelItemCount(), 3);                         // and notes
  EXPECT_TRUE(list.topLevelItem(0)->text(2).startsWith(u"▲"_s));  // the graver first
  EXPECT_EQ(list.topLevelItem(1)->childCount() + 1, 100);
  EXPECT_TRUE(list.topLevelItem(1)->text(2).contains(u"more)"_s));
  window().findings().order().setCurrentIndex(1);
  Q_EMIT window().findings().order().activated(1);
  EXPECT_EQ(list.topLevelItemCount(), 101);
  QString before;
  for (int i = 0; i < list.topLevelItemCount(); ++i) {
    EXPECT_LE(before, list.topLevelItem(i)->text(0));
    before = list.topLevelItem(i)->text(0);
  }
}

TEST_F(Checks, TheNextFaultIsAlsoWhatALimitSays)
{
  openDemo();
  settle();
  judgedBy(0, "rulebook: ours\nbase: i2c-fast\nlimits:\n  tSU;STO: {min: 1.14 us}\n");
  focus().clearSelection();
  focus().show({Picoseconds{0}, std::chrono::milliseconds{1}});
  // Of a limit the worst place only; all the frames with faults besides.
  int steps = 0;
  int drawn = 0;
  Picoseconds at{-1};
  for (; steps < 200; ++steps) {
    const auto selected = focus().selection();
    const auto interval = focus().interval();
    window().navigator().goToFault(true);
    if (focus().selection() == selected && focus().interval() == interval)
      break;
    const Picoseconds now = focus().interval() ? focus().interval()->time.begin : focus().selectedTime().begin;
    EXPECT_GE(now, at);
    at = now;
    drawn += focus().interval() ? 1 : 0;
  }
  EXPECT_EQ(drawn, 1);
  EXPECT_EQ(static_cast<std::uint64_t>(steps), engine().bus(0).faultCount() + engine().bus(1).faultCount() + 1);
}

TEST_F(Checks, ARulebookIsChosenTakenAwayAndComesBack)
{
  openDemo();
  settle();
  window().checks().list().setCurrentIndex(window().checks().rows().index(rowOf("tLOW"), 0));
  QMenu* const menu = window().checks().bookButton().menu();
  Q_EMIT menu->aboutToShow();
  QStringList names;
  QAction* standard = nullptr;
  for (QAction* const action : menu->actions()) {
    names << action->text();
    standard = action->text() == u"Add i2c-standard"_s ? action : standard;
  }
  EXPECT_FALSE(names.contains(u"Add uart"_s));
  ASSERT_NE(standard, nullptr) << names.join(u"|"_s).toStdString();
  standard->trigger();
  settle();
  EXPECT_EQ(rule(0, "tLOW").book, "i2c-standard");
  EXPECT_EQ(rule(0, "tLOW").verdict, Verdict::Fail);
  session().undo();
  settle();
  EXPECT_EQ(rule(0, "tLOW").book, "i2c-fast");
  // Frames are as they were: nothing was decoded anew.
  EXPECT_FALSE(engine().isDecoding());
}

TEST_F(Checks, ABookGoesWithTheSession)
{
  openDemo();
  judgedBy(0, "rulebook: ours\nbase: i2c-fast\n");
  const QString path = file(u"a.bexto"_s);
  window().keeper().saveAs(path);
  ASSERT_TRUE(waitFor([&] { return QFile::exists(path) && !window().keeper().isSaving(); }));
  open(path);
  settle();
  EXPECT_EQ(verdicts().of(id(0))->books, (std::vector<std::string>{"ours"}));
}

TEST_F(Checks, ABusThatIsGoneHasNoFindings)
{
  openDemo();
  settle();
  ASSERT_EQ(verdicts().findings().size(), 1U);
  session().removeBus(id(0));
  ASSERT_TRUE(waitIdle());
  EXPECT_TRUE(verdicts().findings().empty());
  window().lower().show(window().findings());
  EXPECT_EQ(window().findings().list().topLevelItemCount(), 0);
}

TEST_F(Checks, TheTestReportIsWellFormedXml)
{
  openDemo();
  settle();
  const Bus bus = engine().bus(0).shown;
  const std::string text = checkText(CheckFormat::Junit, *verdicts().period(), {{&bus, verdicts().of(id(0))}});
  QXmlStreamReader xml(QByteArray::fromStdString(text));
  int suites = 0;
  int cases = 0;
  int failures = 0;
  int told = 0;
  while (!xml.atEnd()) {
    if (xml.readNext() != QXmlStreamReader::StartElement)
      continue;
    suites += xml.name() == u"testsuite" ? 1 : 0;
    cases += xml.name() == u"testcase" ? 1 : 0;
    failures += xml.name() == u"failure" ? 1 : 0;
    if (xml.name() == u"testsuite")
      told = xml.attributes().value(u"tests"_s).toInt();
    if (xml.name() == u"testcase") {
      EXPECT_FALSE(xml.attributes().value(u"name"_s).isEmpty());
      EXPECT_FALSE(xml.attributes().value(u"classname"_s).isEmpty());
    }
    EXPECT_TRUE(xml.name() != u"failure" || !xml.attributes().value(u"message"_s).isEmpty());
  }
  EXPECT_FALSE(xml.hasError()) << xml.errorString().toStdString();
  EXPECT_EQ(suites, 1);
  EXPECT_EQ(cases, told);
  EXPECT_EQ(failures, 1);
}

}  // namespace

TEST_F(Checks, ARulebookComesFromAFileAndOneThatDoesNotFitIsRefused)
{
  openDemo();
  settle();
  const auto pickBook = [&](const QString& text) {
    window().checks().list().setCurrentIndex(window().checks().rows().index(rowOf("tLOW"), 0));
    QMenu* const menu = window().checks().bookButton().menu();
    Q_EMIT menu->aboutToShow();
    for (QAction* const action : menu->actions()) {
      if (action->text() == text)
        return action;
    }
    return static_cast<QAction*>(nullptr);
  };
  const auto choose = [&](const QString& path) {
    return answered<QFileDialog>(
        [&] { pickBook(u"Add from a file …"_s)->trigger(); },
        [&](QFileDialog& dialog) { path.isEmpty() ? dialog.reject() : chooseFile(dialog, path); });
  };
  EXPECT_TRUE(choose({}));
  EXPECT_TRUE(session().value().buses[0].bus.books.empty());
  EXPECT_TRUE(choose(fileWith(u"other.yaml"_s, "rulebook: other\nbase: uart\n")));
  EXPECT_TRUE(window().checks().status().startsWith(u"▲ "_s)) << window().checks().status().toStdString();
  EXPECT_TRUE(session().value().buses[0].bus.books.empty());
  EXPECT_TRUE(choose(fileWith(u"house.yaml"_s, "rulebook: house\nbase: i2c-standard\n")));
  settle();
  EXPECT_EQ(rule(0, "tLOW").book, "house");
  ASSERT_NE(pickBook(u"Edit house.yaml"_s), nullptr);
  EXPECT_FALSE(pickBook(u"As usual"_s)->isChecked());
  QAction* const used = pickBook(u"house.yaml"_s);  // the menu is made anew each time it opens
  ASSERT_NE(used, nullptr);
  EXPECT_TRUE(used->isChecked());
  used->trigger();
  settle();
  EXPECT_EQ(rule(0, "tLOW").book, "i2c-fast") << "taken away";
  EXPECT_TRUE(pickBook(u"As usual"_s)->isChecked());
}

TEST_F(Checks, AFindingLeadsToTheRuleThatItBreaks)
{
  openDemo();
  judgedBy(0, "rulebook: ours\nbase: i2c-standard\n");
  window().lower().show(window().findings());
  QTreeWidget& list = window().findings().list();
  QTreeWidgetItem* broken = nullptr;
  for (int i = 0; i < list.topLevelItemCount() && broken == nullptr; ++i) {
    if (list.topLevelItem(i)->text(2).contains(u"tLOW"_s))
      broken = list.topLevelItem(i);
  }
  ASSERT_NE(broken, nullptr);
  const auto menuAt = [&](QPoint at) {
    return pickedFromMenu([&] { Q_EMIT list.customContextMenuRequested(at); }, u"Show its rule"_s);
  };
  EXPECT_TRUE(menuAt(list.visualItemRect(broken).center()));
  EXPECT_TRUE(window().checks().isVisible());
  const int row = window().checks().list().currentIndex().row();
  ASSERT_NE(window().checks().rows().ruleOf(row), nullptr);
  EXPECT_EQ(window().checks().rows().ruleOf(row)->rule, "tLOW");
  EXPECT_EQ(window().checks().rows().busOf(row), id(0));
  EXPECT_FALSE(menuAt({5, list.viewport()->height() - 2})) << "there is no finding";
}

TEST_F(Checks, APickedRuleTellsHowItsValuesSpread)
{
  openDemo();
  settle();
  window().checks().list().setCurrentIndex(window().checks().rows().index(rowOf("tLOW"), 0));
  const QStringList lines = window().checks().details().split(u'\n');
  const RuleResult& judged = rule(0, "tLOW");
  EXPECT_EQ(lines.first(), u"tLOW · ✓ pass"_s);
  EXPECT_EQ(lines.at(2), ui::toQString(judged.clause));
  EXPECT_TRUE(lines.contains(ui::toQString(valueText(judged, judged.spread.min)) + u" … "_s +
                             ui::toQString(valueText(judged, judged.spread.max))));
  EXPECT_TRUE(
      lines.contains(u"mean %1, deviation %2"_s.arg(ui::toQString(valueText(judged, judged.spread.mean())),
                                                    ui::toQString(valueText(judged, judged.spread.deviation())))));
}

TEST_F(Checks, WhereNothingIsWrongItIsSaidAsSoonAsItIsKnown)
{
  engine().setCapture(longTalk(100), u"talk.vcd"_s);
  addBus("talk=uart,rx=TALK,baud=100000");
  window().lower().show(window().checks());
  EXPECT_TRUE(waitFor([&] { return window().checks().status().startsWith(u"0 fail · "_s); }))
      << window().checks().status().toStdString();
  window().lower().show(window().findings());
  const auto said = [&] { return textsOn(window().findings()).join(u'|'); };
  EXPECT_TRUE(waitFor([&] { return said().contains(u"Nothing is wrong by the rules that hold."_s); }))
      << said().toStdString();
  // The page is in view while another bus is measured.
  addBus("again=uart,rx=TALK,baud=100000");
  EXPECT_TRUE(waitFor([&] {
    return !window().verdicts().isBusy() && window().verdicts().of(id(1)) != nullptr &&
           said().contains(u"Nothing is wrong by the rules that hold."_s);
  })) << said().toStdString();
}
