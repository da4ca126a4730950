// Values over time: lanes of the Timeline.
#include <QDir>
#include <QFile>
#include <QFileDialog>
#include <QImage>
#include <QMenu>
#include <QTimer>
#include <QToolButton>
#include <QTreeView>

#include "core/base/number_text.h"
#include "core/device/sheet_file.h"
#include "core/store/session_file.h"
#include "support/answers.h"
#include "support/window_fixture.h"
#include "ui/command/command_box.h"
#include "ui/devices/devices_page.h"
#include "ui/timeline/plot_series.h"
#include "ui/window/lower_area.h"
#include "ui/window/plot_output.h"

using namespace bexto;
using namespace bexto::test;
using namespace Qt::StringLiterals;

namespace {

class Plots : public WindowTest {
 protected:
  void SetUp() override
  {
    WindowTest::SetUp();
    openDemo();
    useSheet("LT-20.yaml");
  }
  void useSheet(const std::string& name)
  {
    Bus changed = session().value().buses.front().bus;
    for (const rig::LockCycleSheet& sheet : rig::lockCycleSheets()) {
      if (sheet.name == name)
        attachSheet(changed, {name, sheet.text});
    }
    session().setSheets(id(0), changed.sheets);
    ASSERT_TRUE(waitFor([&] { return transactionsOf(0).meaning() != nullptr; }));
  }
  Plot level() { return {id(0), {"LT-20", "level", "level"}}; }
  Plot state() { return {id(0), {"LT-20", "state", "state"}}; }
  void plot(const Plot& plot)
  {
    session().addPlot(plot);
    ASSERT_TRUE(waitFor([&] { return viewOf(plot) != nullptr && !viewOf(plot)->making; }));
  }
  const ui::PlotView* viewOf(const Plot& plot)
  {
    for (const auto& view : window().timeline().plots().views()) {
      if (view->plot.isSame(plot))
        return view.get();
    }
    return nullptr;
  }
  /// Its place among the lanes; -1: it has none.
  int laneOf(const Plot& plot)
  {
    const auto& lanes = window().timeline().lanes();
    for (std::size_t i = 0; i < lanes.size(); ++i) {
      if (lanes[i].plot && lanes[i].plot->plot.isSame(plot))
        return static_cast<int>(i);
    }
    return -1;
  }
  const ui::TimelineLane& lane(const Plot& plot)
  {
    return window().timeline().lanes().at(static_cast<std::size_t>(laneOf(plot)));
  }
  /// Pixels of that colour in the lane, beside its head.
  int painted(const Plot& plot, const QColor& colour)
  {
    const QImage image = window().timeline().viewport()->grab().toImage();
    const ui::TimelineLane& l = lane(plot);
    int count = 0;
    for (int y = ui::kRulerHeight + l.top; y < std::min(ui::kRulerHeight + l.bottom(), image.height()); ++y) {
      for (int x = ui::kLaneHeader + 2; x < image.width(); ++x)
        count += image.pixelColor(x, y) == colour ? 1 : 0;
    }
    return count;
  }
  QStringList menuOf(const Plot& plot, const QString& pick = {})
  {
    QStringList texts;
    QTimer::singleShot(100, &window(), [&] {
      auto* const menu = window().timeline().findChild<QMenu*>(u"laneMenu"_s);
      ASSERT_NE(menu, nullptr);
      for (QAction* const action : menu->actions()) {
        texts << action->text();
        if (!pick.isEmpty() && action->text().startsWith(pick))
          action->trigger();
      }
      menu->close();
    });
    const QPoint at(ui::kLaneHeader + 40, ui::kRulerHeight + lane(plot).top + 10);
    QContextMenuEvent event(QContextMenuEvent::Mouse, at, window().timeline().viewport()->mapToGlobal(at));
    QApplication::sendEvent(window().timeline().viewport(), &event);
    return texts;
  }
};

}  // namespace

TEST_F(Plots, ARegisterGetsALaneFromTheDevicesPage)
{
  window().lower().show(window().devices());
  ui::DevicesPage& page = window().devices();
  ASSERT_TRUE(waitFor([&] { return page.rows().rowCount() == 2; }));
  page.registers().setCurrentIndex(page.rows().index(1, 0));
  QToolButton& button = page.plotButton();
  EXPECT_TRUE(button.isEnabled());
  EXPECT_FALSE(button.isChecked());
  QTest::mouseClick(&button, Qt::LeftButton);
  ASSERT_EQ(session().value().plots.size(), 1U);
  EXPECT_EQ(session().value().plots.front(), level());
  EXPECT_TRUE(button.isChecked());
  ASSERT_TRUE(waitFor([&] { return laneOf(level()) >= 0 && !lane(level()).plot->making; }));
  EXPECT_EQ(lane(level()).name, u"level"_s);
  EXPECT_EQ(lane(level()).group, window().timeline().lanes().front().key);
  EXPECT_GT(lane(level()).plot->series.size(), 100U);
  QTest::mouseClick(&button, Qt::LeftButton);
  EXPECT_TRUE(session().value().plots.empty());
  EXPECT_LT(laneOf(level()), 0);
  session().undo();
  EXPECT_GE(laneOf(level()), 0) << "one step back";
}

TEST_F(Plots, SeveralStandTogetherAndStayWhenWiresAreFolded)
{
  plot(level());
  plot(state());
  EXPECT_EQ(laneOf(state()), laneOf(level()) + 1);
  window().timeline().heads().toggleWires();
  EXPECT_EQ(laneOf(level()), 1) << "right below their bus";
  EXPECT_EQ(laneOf(state()), 2);
  window().timeline().heads().shift(2, -1);
  EXPECT_EQ(laneOf(state()), 1);
}

TEST_F(Plots, TheCurveIsThereAndSoIsWhatTheCursorReads)
{
  focus().showEverything();
  plot(level());
  const QColor ink = ui::theme().colours().device;
  focus().setCursor(std::nullopt);
  const int curve = painted(level(), ink);
  EXPECT_GT(curve, 100);
  const QColor paper = ui::theme().colours().panel;
  const int before = painted(level(), paper);
  focus().setCursor(Picoseconds{std::chrono::seconds{2}});
  EXPECT_GT(painted(level(), paper), before + 100) << "what the number beside the cursor stands on";
  const ui::PlotView& view = *viewOf(level());
  EXPECT_EQ(view.textOf(engine(), view.series.at(0)), u"95.899 m"_s);
  EXPECT_EQ(viewOf(level())->scaleText(95.0, 0), u"95"_s);
  plot(state());
  EXPECT_EQ(viewOf(state())->scaleText(1.0, 0), u"ok"_s);
}

TEST_F(Plots, TheDotStandsOnTheLine)
{
  Plot straight = level();
  straight.joined = true;
  plot(straight);
  // The steepest way from one value to the next fills the lane.
  const ValueSeries& series = viewOf(straight)->series;
  std::size_t steepest = 0;
  const auto rise = [&](std::size_t i) { return std::abs(series.at(i + 1).value - series.at(i).value); };
  for (std::size_t i = 1; i + 1 < series.size(); ++i) {
    if (rise(i) > rise(steepest))
      steepest = i;
  }
  const Picoseconds from = series.at(steepest).at;
  const Picoseconds to = series.at(steepest + 1).at;
  focus().setAxis(TimeAxis({from, to}, focus().axis().width()));
  const Picoseconds cursor = from + (to - from) / 4;
  // The rows that are inked beside the cursor, which has a line of its own.
  const auto inked = [&] {
    QApplication::processEvents();
    const QImage image = window().timeline().viewport()->grab().toImage();
    const int x = static_cast<int>(window().timeline().xOf(cursor)) - 2;
    const auto distance = [](const QColor& a, const QColor& b) {
      return std::abs(a.red() - b.red()) + std::abs(a.green() - b.green()) + std::abs(a.blue() - b.blue());
    };
    const QColor ground = image.pixelColor(x, ui::kRulerHeight + lane(straight).bottom() - 2);
    std::vector<int> rows;
    for (int y = ui::kRulerHeight + lane(straight).top; y < ui::kRulerHeight + lane(straight).bottom(); ++y) {
      const QColor ink = ui::theme().colours().device;
      if (3 * distance(image.pixelColor(x, y), ink) < 2 * distance(ground, ink))
        rows.push_back(y);
    }
    return rows;
  };
  focus().setCursor(std::nullopt);
  const std::vector<int> line = inked();
  focus().setCursor(cursor);
  const std::vector<int> dot = inked();
  ASSERT_FALSE(line.empty());
  ASSERT_FALSE(dot.empty());
  EXPECT_NEAR(0.5 * (dot.front() + dot.back()), 0.5 * (line.front() + line.back()), 2.0);
  EXPECT_LE(dot.back() - dot.front(), 8) << "and nowhere else";
}

TEST_F(Plots, AClickSelectsWhoSaidIt)
{
  plot(level());
  const ValueSeries::Point point = viewOf(level())->series.at(3);
  focus().show(
      {point.at - Picoseconds{std::chrono::milliseconds{1}}, point.at + Picoseconds{std::chrono::milliseconds{2}}});
  const QPoint at(static_cast<int>(window().timeline().xOf(point.at)) + 20, ui::kRulerHeight + lane(level()).top + 30);
  QTest::mouseClick(window().timeline().viewport(), Qt::LeftButton, {}, at);
  EXPECT_EQ(focus().selection().stream, streamId(0, 0));
  EXPECT_EQ(focus().selection().frame, point.frame);
  // A marker snaps to where it was said.
  QTest::mouseMove(window().timeline().viewport(), {static_cast<int>(window().timeline().xOf(point.at)) + 3, at.y()});
  focus().setCursor(point.at + Picoseconds{std::chrono::microseconds{10}});
  window().timeline().dropMarker();
  ASSERT_EQ(session().markers().size(), 1U);
}

TEST_F(Plots, TheMenuHasWhatAPlotCan)
{
  plot(level());
  const QStringList texts = menuOf(level(), u"Straight lines"_s);
  EXPECT_TRUE(texts.contains(u"Remove the plot of level"_s));
  EXPECT_TRUE(texts.contains(u"Export the values of level …"_s));
  EXPECT_FALSE(texts.contains(u"Fold its wires away"_s));
  EXPECT_TRUE(session().value().plots.front().joined);
  EXPECT_GT(viewOf(level())->series.size(), 0U) << "the same values, drawn otherwise";
  menuOf(level(), u"Remove the plot"_s);
  EXPECT_TRUE(session().value().plots.empty());
}

TEST_F(Plots, AStraightLineGoesThroughWhereNothingWasSaid)
{
  Plot joined = level();
  joined.joined = true;
  plot(joined);
  const ValueSeries& series = viewOf(level())->series;
  std::uint64_t i = 0;
  while (i + 2 < series.size() && series.at(i + 1).value <= series.at(i).value)
    ++i;
  const Picoseconds from = series.at(i).at;
  const Picoseconds length = series.at(i + 1).at - from;
  // A hundredth in the middle: both ends are far outside.
  focus().show({from + length / 2 - length / 200, from + length / 2 + length / 200});
  focus().setCursor(std::nullopt);
  const QImage image = window().timeline().viewport()->grab().toImage();
  const ui::TimelineLane& l = lane(level());
  const auto heightAt = [&](int x) {
    for (int y = ui::kRulerHeight + l.top + 2; y < ui::kRulerHeight + l.bottom() - 2; ++y) {
      if (image.pixelColor(x, y).red() < 190)
        return y - ui::kRulerHeight - l.top;
    }
    return -1;
  };
  const int middle = heightAt(ui::kLaneHeader + 300);
  EXPECT_NEAR(middle, l.height / 2, 6) << "half way between the two";
  EXPECT_NEAR(heightAt(image.width() - 30), middle, 3) << "a hundredth of the way is flat";
}

TEST_F(Plots, ValuesAndPictureAreWritten)
{
  plot(level());
  focus().showEverything();
  window().plotOutput().writeValues(file(u"level.csv"_s), level());
  ASSERT_TRUE(waitFor([&] { return QFile::exists(file(u"level.csv"_s)) && !window().plotOutput().isWriting(); }));
  QFile csv(file(u"level.csv"_s));
  ASSERT_TRUE(csv.open(QIODevice::ReadOnly));
  const QList<QByteArray> lines = csv.readAll().split('\n');
  EXPECT_EQ(lines.first(), QByteArray("time_s,level (m)\r"));
  EXPECT_EQ(lines.size(), static_cast<qsizetype>(viewOf(level())->series.size()) + 2);
  EXPECT_TRUE(lines[1].endsWith(",95.899\r"));

  window().plotOutput().writePicture(file(u"plots.png"_s));
  const QImage image(file(u"plots.png"_s));
  ASSERT_FALSE(image.isNull());
  int ink = 0;
  for (int y = 0; y < image.height(); ++y) {
    for (int x = 0; x < image.width(); ++x)
      ink += image.pixelColor(x, y) == ui::theme().colours().device ? 1 : 0;
  }
  EXPECT_GT(ink, 200);
  window().plotOutput().writePicture(file(u"none/plots.png"_s));
  EXPECT_TRUE(window().notice().text().contains(u"none/plots.png"_s));
}

TEST_F(Plots, AreThereForTheKeyboard)
{
  QTest::keyClick(&window(), Qt::Key_P);
  EXPECT_TRUE(window().devices().isVisible()) << "where a value is picked";
  ui::DevicesPage& page = window().devices();
  ASSERT_TRUE(waitFor([&] { return page.rows().rowCount() == 2; }));
  page.registers().setFocus();
  page.registers().setCurrentIndex(page.rows().index(1, 0));
  QTest::keyClick(&page.registers(), Qt::Key_P);
  ASSERT_EQ(session().value().plots.size(), 1U);
  EXPECT_EQ(session().value().plots.front(), level());
  QTest::keyClick(&page.registers(), Qt::Key_1);
  EXPECT_FALSE(page.isVisible()) << "keys go through lists that only show";
  for (const QString& typed : {u"plot state"_s, u"remove plot level"_s}) {
    window().commandBox().setFocus();
    QTest::keyClicks(&window().commandBox(), typed);
    QTest::keyClick(&window().commandBox(), Qt::Key_Return);
  }
  ASSERT_EQ(session().value().plots.size(), 1U);
  EXPECT_EQ(session().value().plots.front(), state());
}

TEST_F(Plots, ALineOfTheLedgerOffersItsValues)
{
  clickLedger(0);
  QStringList offered;
  QTimer::singleShot(100, &window(), [&] {
    auto* const menu = window().ledger().findChild<QMenu*>(u"ledgerMenu"_s);
    ASSERT_NE(menu, nullptr);
    for (QAction* const action : menu->actions()) {
      if (action->text() != u"Plot"_s)
        continue;
      for (QAction* const value : action->menu()->actions())
        offered << value->text();
      action->menu()->actions().constLast()->trigger();
    }
    menu->close();
  });
  const QPoint at = window().ledger().lineRect(LedgerPlace{0, 0}).center();
  QContextMenuEvent event(QContextMenuEvent::Mouse, at, window().ledger().viewport()->mapToGlobal(at));
  QApplication::sendEvent(window().ledger().viewport(), &event);
  EXPECT_EQ(offered, (QStringList{u"state"_s, u"level"_s}));
  ASSERT_EQ(session().value().plots.size(), 1U);
  EXPECT_EQ(session().value().plots.front(), level());
}

TEST_F(Plots, WhatIsNotSaidIsSaidSo)
{
  const Plot unknown{id(0), {"LT-20", "level", "nothing"}};
  plot(unknown);
  EXPECT_EQ(viewOf(unknown)->field, nullptr);
  EXPECT_EQ(painted(unknown, ui::theme().colours().device), 0);
  window().plotOutput().writeValues(file(u"no.csv"_s), unknown);
  EXPECT_TRUE(window().notice().text().contains(u"nobody said nothing"_s)) << window().notice().text().toStdString();
  EXPECT_FALSE(QFile::exists(file(u"no.csv"_s)));
  plot(level());
  session().setSheets(id(0), {});
  ASSERT_TRUE(waitFor([&] { return viewOf(level())->field == nullptr; }));
  session().undo();
  ASSERT_TRUE(waitFor([&] { return viewOf(level())->field != nullptr && viewOf(level())->series.size() > 0; }));
  session().removeBus(id(0));
  EXPECT_TRUE(session().value().plots.empty());
  session().undo();
  EXPECT_EQ(session().value().plots.size(), 2U);
}

TEST_F(Plots, AreKeptInTheSession)
{
  Plot joined = level();
  joined.joined = true;
  session().addPlot(joined);
  session().addPlot(state());
  window().keeper().saveAs(file(u"s.bexto"_s));
  ASSERT_TRUE(waitFor([&] { return QFile::exists(file(u"s.bexto"_s)) && !window().keeper().isSaving(); }));
  const std::vector<Plot> before = session().value().plots;
  session().removePlot(level());
  open(file(u"s.bexto"_s));
  EXPECT_EQ(session().value().plots, before);
  ASSERT_TRUE(waitFor([&] { return viewOf(level()) != nullptr && viewOf(level())->series.size() > 0; }));
}

TEST_F(Plots, ADoubleClickBeforeTheFirstValueShowsWhereNothingWasSaid)
{
  plot(level());
  focus().showEverything();
  const Picoseconds first = viewOf(level())->series.at(0).at;
  focus().show({Picoseconds{0}, first + first / 4});
  const QPoint at(static_cast<int>(window().timeline().xOf(first / 2)), ui::kRulerHeight + lane(level()).top + 12);
  QTest::mouseDClick(window().timeline().viewport(), Qt::LeftButton, {}, at);
  const TimeRange seen = focus().axis().span();
  EXPECT_LE(seen.begin, first / 20);
  EXPECT_GE(seen.end, first);
  EXPECT_LT(seen.end, first + first / 5);
}

TEST_F(Plots, ALaneSaysHowOftenItsValueWasSaid)
{
  plot(level());
  const int row = laneOf(level());
  const QString count = ui::toQString(countText(viewOf(level())->series.size()));
  EXPECT_EQ(window().timeline().spokenText(row, 0), u"plot of level, said %1 times"_s.arg(count));
}

TEST_F(Plots, TheMenuAsksForTheNameOfAFile)
{
  plot(level());
  const auto asked = [&](const QString& entry, const QString& path) {
    QString told;
    EXPECT_TRUE(answered<QFileDialog>([&] { menuOf(level(), entry); },
                                      [&](QFileDialog& dialog) {
                                        told = dialog.windowTitle() + u" | "_s + dialog.nameFilters().join(u'|') +
                                               u" | "_s + dialog.findChild<QLineEdit*>(u"fileNameEdit"_s)->text();
                                        path.isEmpty() ? dialog.reject() : chooseFile(dialog, path);
                                      }));
    return told;
  };
  EXPECT_EQ(asked(u"Export the values of level …"_s, {}),
            u"Export the values of level | Comma-separated values (*.csv) | level.csv"_s);
  asked(u"Export the values of level …"_s, file(u"mine"_s));
  EXPECT_TRUE(waitFor([&] { return QFile::exists(file(u"mine.csv"_s)) && !window().plotOutput().isWriting(); }));
  EXPECT_EQ(asked(u"Export a picture of the plots …"_s, {}),
            u"Export a picture of the plots | Picture (*.png) | plots.png"_s);
  asked(u"Export a picture of the plots …"_s, file(u"curve"_s));
  EXPECT_FALSE(QImage(file(u"curve.png"_s)).isNull());
  window().plotOutput().writePicture(engine().path());
  EXPECT_EQ(window().notice().text(),
            u"▲ "_s + engine().path() + u": this is the capture itself; choose another name"_s);
}
