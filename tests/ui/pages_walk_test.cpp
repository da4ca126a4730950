// Buses with their cards and settings, Devices, Sheet, Checks, Findings, Rulebook and plots, step by step on record:
// see support/on_record.h.
#include <QComboBox>
#include <QListWidget>
#include <QToolButton>
#include <QTreeView>
#include <QTreeWidget>

#include "core/device/sheet_file.h"
#include "support/on_record.h"
#include "support/own_data_folder.h"
#include "ui/checks/book_page.h"
#include "ui/checks/checks_page.h"
#include "ui/checks/findings_page.h"
#include "ui/devices/devices_page.h"
#include "ui/devices/sheet_page.h"
#include "ui/page/yaml_edit.h"
#include "ui/window/lower_area.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;
using namespace Qt::StringLiterals;

namespace {

class PagesWalk : public OnRecord {
 protected:
  void SetUp() override
  {
    WindowTest::SetUp();
    window().resize(1100, 760);
    openDemo();
  }
  void useSheets(std::initializer_list<const char*> names)
  {
    Bus changed = session().value().buses.front().bus;
    for (const rig::LockCycleSheet& sheet : rig::lockCycleSheets()) {
      for (const char* const name : names) {
        if (sheet.name == name)
          attachSheet(changed, {sheet.name, sheet.text});
      }
    }
    session().setSheets(id(0), changed.sheets);
    ASSERT_TRUE(waitFor([&] { return transactionsOf(0).meaning() != nullptr; }));
  }
  void select(int bus, Picoseconds t)
  {
    const auto& frames = transactionsOf(bus).frames();
    focus().select({streamId(bus, 0), frames.lastUpTo(t)});
    focus().reveal(focus().selectedTime());
  }
  template <typename Widget>
  Widget& part(QWidget& of, const char* name)
  {
    auto* const widget = of.findChild<Widget*>(QString::fromLatin1(name));
    if (widget == nullptr)
      throw std::runtime_error(name);
    return *widget;
  }
  void show(ui::LowerPage& page) { window().lower().show(page); }

 private:
  OwnDataFolder m_data;
};

}  // namespace

TEST_F(PagesWalk, ABusIsSetUpInItsCard)
{
  lookAt(window().buses());
  whole(u"the cards"_s);
  click(u"opened"_s, *window().buses().cards().at(1), {40, 20});
  step(u"another rate"_s, [&] {
    typeInto(setting(1, "baud"), u"57600"_s);
    QTest::qWait(600);
  });
  step(u"a rate that is none"_s, [&] {
    typeInto(setting(1, "baud"), u"fast"_s);
    QTest::qWait(600);
  });
  step(u"found by itself"_s, [&] {
    typeInto(setting(1, "baud"), u"auto"_s);
    QTest::qWait(600);
  });
  step(u"no wire"_s, [&] {
    setting(1, "tx")->setCurrentIndex(0);
    QTest::qWait(600);
  });
  step(u"undone"_s, [&] { QTest::keyClick(&window(), Qt::Key_Z, Qt::ControlModifier); });
  step(u"another name"_s, [&] {
    auto* const name = editor(1)->findChild<QLineEdit*>(u"name"_s);
    ASSERT_NE(name, nullptr);
    name->setFocus();
    name->selectAll();
    QTest::keyClicks(name, u"shell"_s);
    QTest::qWait(600);
  });
  step(u"the name of another"_s, [&] {
    auto* const name = editor(1)->findChild<QLineEdit*>(u"name"_s);
    ASSERT_NE(name, nullptr);
    name->selectAll();
    QTest::keyClicks(name, u"sensors"_s);
    QTest::qWait(600);
  });
  step(u"closed"_s, [&] { window().buses().toggleSettings(id(1)); });
  step(u"by key"_s, [&] {
    window().buses().cards().at(0)->setFocus();
    QTest::keyClick(window().buses().cards().at(0), Qt::Key_Return);
  });
  for (const Protocol* const protocol : protocols()) {
    step(u"added: "_s + ui::toQString(protocol->label()), [&] {
      window().buses().addBus(*protocol);
      QTest::qWait(600);
    });
    step(u"and removed"_s, [&] { session().removeBus(id(engine().busCount() - 1)); });
  }
  step(u"none"_s, [&] {
    while (engine().busCount() > 0)
      session().removeBus(id(0));
  });
}

TEST_F(PagesWalk, DevicesSayWhatTheyLastSaid)
{
  show(window().devices());
  lookAt(window().lower());
  whole(u"none is described"_s);
  step(u"three sheets"_s, [&] { useSheets({"LT-20.yaml", "PX-8.yaml", "NV-32.yaml"}); });
  step(u"at a moment"_s, [&] { select(0, 700ms); });
  for (int i = 0; i < window().devices().choice().count(); ++i)
    step(u"device %1"_s.arg(i), [&] { window().devices().choice().setCurrentIndex(i); });
  step(u"since a marker"_s, [&] { session().addMarker(600ms); });
  step(u"a value picked"_s, [&] {
    window().devices().choice().setCurrentIndex(0);
    QTreeView& list = window().devices().registers();
    list.expandAll();
    for (QModelIndex line = list.model()->index(0, 0); line.isValid() && !window().devices().plotButton().isEnabled();
         line = list.indexBelow(line))
      list.setCurrentIndex(line);
  });
  menu(u"of a value"_s, *window().devices().registers().viewport(),
       window().devices().registers().visualRect(window().devices().registers().currentIndex()).center());
  step(u"plotted"_s, [&] { window().devices().togglePlot(); });
  put(window().devices().status());
  lookAt(window().buses());
  whole(u"the cards"_s);
  click(u"the first opened"_s, *window().buses().cards().at(0), {40, 20});
}

TEST_F(PagesWalk, PlotsAreLanes)
{
  useSheets({"LT-20.yaml"});
  window().timeline().heads().toggleWires();
  lookAt(window().timeline());
  const auto settled = [&] {
    waitFor([&] {
      const auto& all = window().timeline().plots().views();
      return std::none_of(all.begin(), all.end(), [](const auto& view) { return view->making; });
    });
  };
  step(u"a level"_s, [&] {
    session().addPlot({id(0), {"LT-20", "level", "level"}});
    focus().show({600ms, 900ms});
    settled();
  });
  step(u"a state"_s, [&] {
    session().addPlot({id(0), {"LT-20", "state", "state"}});
    settled();
  });
  const auto laneOf = [&](std::size_t plot) {
    std::size_t seen = 0;
    const auto& lanes = window().timeline().lanes();
    for (const ui::TimelineLane& lane : lanes) {
      if (lane.plot != nullptr && seen++ == plot)
        return QPoint(300,
                      ui::kRulerHeight + lane.top + lane.height / 2 - window().timeline().verticalScrollBar()->value());
    }
    return QPoint();
  };
  QWidget& view = *window().timeline().viewport();
  hover(u"over the level"_s, view, laneOf(0));
  rest(u"resting there"_s, view, laneOf(0));
  click(u"a point of it"_s, view, laneOf(0));
  menu(u"of its head"_s, view, {40, laneOf(0).y()}, u"Straight lines"_s);
  menu(u"of the state"_s, view, {40, laneOf(1).y()});
  step(u"near"_s, [&] {
    focus().show({700ms, 708ms});
    settled();
  });
  step(u"all"_s, [&] {
    focus().showEverything();
    settled();
  });
  step(u"one less"_s, [&] { session().removePlot(Plot(session().value().plots.front())); });
}

TEST_F(PagesWalk, ASheetIsWritten)
{
  useSheets({"LT-20.yaml"});
  show(window().sheet());
  lookAt(window().sheet());
  step(u"edited"_s, [&] {
    window().sheet().edit(id(0), u"LT-20.yaml"_s);
    QTest::qWait(900);
  });
  put(window().sheet().readings().join(u'\n'));
  step(u"with a mistake"_s, [&] {
    QString text = window().sheet().text().toPlainText();
    text.replace(u"access: read\n"_s, u"acces: read\n"_s);
    window().sheet().text().setPlainText(text);
    QTest::qWait(900);
  });
  put(window().sheet().mistakes().join(u'\n'));
  put(window().sheet().status());
  step(u"a line, a tab"_s, [&] {
    window().sheet().text().setFocus();
    window().sheet().text().moveCursor(QTextCursor::End);
    QTest::keyClick(&window().sheet().text(), Qt::Key_Return);
    QTest::keyClick(&window().sheet().text(), Qt::Key_Tab);
    QTest::keyClicks(&window().sheet().text(), u"a:"_s);
    QTest::keyClick(&window().sheet().text(), Qt::Key_Return);
    QTest::qWait(900);
  });
  step(u"a new one"_s, [&] {
    window().sheet().edit(id(0), {});
    QTest::qWait(900);
  });
}

TEST_F(PagesWalk, ChecksListRulesAndTheirWorstPlaces)
{
  lookAt(window().lower());
  step(u"the page"_s, [&] { show(window().checks()); });
  QTreeView& list = window().checks().list();
  step(u"the first rule"_s, [&] {
    list.setFocus();
    list.setCurrentIndex(list.model()->index(0, 0, list.model()->index(0, 0)));
  });
  keys(u"the next"_s, {Qt::Key_Down});
  put(window().checks().details());
  for (int i = 0; i < 8 && window().checks().places().count() == 0; ++i)
    QTest::keyClick(&list, Qt::Key_Down);
  step(u"a place of it"_s, [&] {
    if (window().checks().places().count() > 0) {
      window().checks().places().setCurrentRow(0);
      Q_EMIT window().checks().places().itemClicked(window().checks().places().item(0));
    }
  });
  step(u"only what did not pass"_s, [&] { window().checks().extent().setCurrentIndex(1); });
  step(u"all again"_s, [&] { window().checks().extent().setCurrentIndex(0); });
  step(u"of the console"_s, [&] { window().checks().pick(id(1)); });
  if (QMenu* const books = window().checks().bookButton().menu()) {
    Q_EMIT books->aboutToShow();
    QStringList lines;
    addActions(books->actions(), 0, lines);
    put(lines.join(u'\n'));
  }
  lookAt(window().timeline());
  whole(u"the place on the wires"_s);
  step(u"no more"_s, [&] { focus().clearInterval(); });
}

TEST_F(PagesWalk, FindingsStandInOrder)
{
  while (engine().busCount() > 0)
    session().removeBus(id(0));
  openFullDemo();
  lookAt(window().lower());
  step(u"the page"_s, [&] { show(window().findings()); });
  QTreeWidget& list = window().findings().list();
  step(u"the first"_s, [&] {
    list.setFocus();
    list.setCurrentItem(list.topLevelItem(0));
  });
  keys(u"opened, and into it"_s, {Qt::Key_Right, Qt::Key_Down});
  step(u"by time"_s, [&] { window().findings().order().setCurrentIndex(1); });
  put(window().findings().status());
  putRows(*list.model());
  window().timeline().setFocus();
  keys(u"next fault"_s, {Qt::Key_N});
  lookAt(window().anatomy());
  whole(u"what Anatomy says of it"_s);
}

TEST_F(PagesWalk, ARulebookIsWritten)
{
  show(window().book());
  lookAt(window().book());
  const auto measured = [&] {
    QTest::qWait(900);
    waitFor([&] { return !window().book().isMeasuring(); });
  };
  step(u"one of one's own"_s, [&] {
    window().book().begin(id(0), u"i2c-fast"_s);
    measured();
  });
  step(u"tighter"_s, [&] {
    QString text = window().book().text().toPlainText();
    text.replace(u"tSU;STO: {min: 600 ns}"_s, u"tSU;STO: {min: 1.14 us, clause: our review}"_s);
    window().book().text().setPlainText(text);
    measured();
  });
  step(u"wrong"_s, [&] {
    QString text = window().book().text().toPlainText();
    text.replace(u"min: 1.14 us"_s, u"mni: 1.14 us"_s);
    window().book().text().setPlainText(text);
    measured();
  });
  put(window().book().mistakes().join(u'\n'));
  put(window().book().status());
}

TEST_F(PagesWalk, AllListsOfTheLockCycle)
{
  while (engine().busCount() > 0)
    session().removeBus(id(0));
  openFullDemo();
  ASSERT_TRUE(waitFor([&] { return !window().verdicts().isBusy(); }, 20000));
  show(window().checks());
  lookAt(window().checks());
  whole(u"checks"_s);
  putRows(*window().checks().list().model());
  for (int bus = 0; bus < engine().busCount(); ++bus) {
    step(u"rule of bus %1"_s.arg(bus), [&] { window().checks().pick(id(bus)); });
    step(u"a rule with places"_s, [&] {
      for (const RuleResult& rule : window().verdicts().of(id(bus))->rules) {
        if (!rule.places.empty())
          return window().checks().pick(id(bus), rule);
      }
    });
    put(window().checks().details());
  }
  // Where lists stand after many changes in a row is Qt's own; what is in them is ours.
  show(window().devices());
  select(0, 3209300us);
  session().addMarker(3160ms);
  for (int i = 0; i < window().devices().choice().count(); ++i) {
    window().devices().choice().setCurrentIndex(i);
    Q_EMIT window().devices().choice().activated(i);
    settle();
    put(u"== device %1"_s.arg(i));
    putRows(*window().devices().registers().model());
    QTreeView& list = window().devices().registers();
    list.setCurrentIndex(list.model()->index(0, 0));
    settle();
    put(u"== its first value"_s);
    putRows(*window().devices().accesses().model());
    putRows(*window().devices().memory().model());
    put(window().devices().status());
  }
  lookAt(window().buses());
  whole(u"the cards"_s);
}
