// The window as a whole: how it begins, its menu, its dialogs, its looks, captures that nobody knows, segments and the
// Bench, step by step on record: see support/on_record.h.
#include <QLineEdit>
#include <QPushButton>
#include <QStackedWidget>
#include <QToolButton>

#include "core/decode/sentence.h"
#include "core/view/overview.h"
#include "support/on_record.h"
#include "support/sessions.h"
#include "ui/bench/bench_panel.h"
#include "ui/checks/checks_page.h"
#include "ui/command/command_box.h"
#include "ui/devices/devices_page.h"
#include "ui/import/channels_dialog.h"
#include "ui/import/import_dialog.h"
#include "ui/segments/segment_row.h"
#include "ui/window/glimpse.h"
#include "ui/window/list_output.h"
#include "ui/window/lower_area.h"
#include "ui/window/navigator.h"
#include "ui/window/setups.h"
#include "ui/window/start_page.h"
#include "ui/window/window_memory.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;
using namespace Qt::StringLiterals;

namespace {

class WindowWalk : public OnRecord {
 protected:
  void TearDown() override
  {
    OnRecord::TearDown();
    ui::theme().setHighContrast(false);
    ui::theme().setTextSize(0);
    ui::theme().apply(ui::ThemeMode::Light);
  }
  QAction* action(const QString& text)
  {
    for (QAction* const action : window().actions()) {
      if (action->text() == text)
        return action;
    }
    ADD_FAILURE() << text.toStdString();
    return window().actions().front();
  }
  /// All that can be done in the window.
  void allActions()
  {
    QStringList lines;
    addActions(window().actions(), 0, lines);
    put(lines.join(u'\n'));
    for (QToolButton* const button : window().findChildren<QToolButton*>()) {
      if (button->menu() == nullptr || button->menu()->actions().isEmpty())
        continue;
      lines.clear();
      addActions(button->menu()->actions(), 1, lines);
      put(u"menu of "_s + button->text() + button->accessibleName());
      put(lines.join(u'\n'));
    }
  }
};

}  // namespace

TEST_F(WindowWalk, BeforeAnythingIsOpen)
{
  whole(u"the window"_s);
  allActions();
  step(u"a demo is offered"_s, [&] { window().offerDemo([] { return SessionFile(); }); });
  step(u"the Bench"_s, [&] { QTest::keyClick(&window(), Qt::Key_B, Qt::ControlModifier); });
  step(u"no file"_s, [&] {
    window().bench().setOpen(false);
    window().openCapture(file(u"missing.vcd"_s));
  });
  step(u"no capture"_s, [&] { window().openCapture(fileWith(u"letter.vcd"_s, "Dear Sir,\n")); });
}

TEST_F(WindowWalk, TheWholeDemo)
{
  openWholeDemo();
  whole(u"the window"_s);
  allActions();
  lookAt(window().overview());
  for (const int fault : {1, 2, 3})
    keys(u"fault %1"_s.arg(fault), {Qt::Key_N});
  lookAt(window().timeline());
  for (int bus = 0; bus < engine().busCount(); ++bus) {
    step(u"bus %1"_s.arg(bus), [&] {
      focus().select({streamId(bus, 0), 3});
      focus().zoomToSelection();
    });
  }
}

TEST_F(WindowWalk, AnUnknownCapture)
{
  engine().setCapture(std::make_shared<const Capture>(cycle().capture), u"unknown.vcd"_s);
  whole(u"the window"_s);
  rest(u"resting on a wire's head"_s, *window().timeline().viewport(), {40, ui::kRulerHeight + 10});
  step(u"asked for a protocol"_s, [&] { QTest::keyClick(&window(), Qt::Key_A); });
  if (QWidget* const menu = QApplication::activePopupWidget(); menu != nullptr) {
    put(recordOf(*menu).join(u'\n'));
    menu->close();
  }
}

TEST_F(WindowWalk, Looks)
{
  openDemo();
  focus().show({transactionsOf(0).timeOf(3).begin - 20us, transactionsOf(0).timeOf(3).end + 80us});
  focus().select({streamId(0, 0), transactionsOf(0).framesOf(3).first});
  step(u"dark"_s, [&] { ui::theme().apply(ui::ThemeMode::Dark); });
  const auto colours = [&] {
    const ui::Palette& c = ui::theme().colours();
    for (const QColor& colour : {c.ground, c.panel, c.rule, c.wash, c.ink, c.muted, c.address, c.payload, c.control,
                                 c.check, c.fault, c.device, c.selection})
      put(colour.name());
    put(qApp->styleSheet());
  };
  colours();
  step(u"strong contrast"_s, [&] { ui::theme().setHighContrast(true); });
  colours();
  step(u"light"_s, [&] { ui::theme().apply(ui::ThemeMode::Light); });
  colours();
  step(u"usual contrast"_s, [&] { ui::theme().setHighContrast(false); });
  step(u"text of 150 %"_s, [&] { ui::theme().setTextSize(150); });
  step(u"text as it was"_s, [&] { ui::theme().setTextSize(100); });
  step(u"small"_s, [&] { window().resize(760, 520); });
  step(u"large"_s, [&] { window().resize(1700, 1000); });
}

TEST_F(WindowWalk, Dialogs)
{
  openDemo();
  window().ledgers().filter().setText(u"address:2A"_s);
  ASSERT_TRUE(waitIdle());
  dialog(u"all shortcuts"_s, [&] { action(u"All shortcuts"_s)->trigger(); });
  dialog(u"the filter language"_s, [&] { action(u"The filter language"_s)->trigger(); });
  dialog(
      u"about this session"_s, [&] { action(u"About this session …"_s)->trigger(); },
      [&](QWidget& shown) {
        auto* const title = shown.findChild<QLineEdit*>(u"title"_s);
        ASSERT_NE(title, nullptr);
        title->setText(u"gate 2 stalls"_s);
        shown.findChild<QPushButton*>(u"keep"_s)->click();
      });
  step(u"exported"_s, [&] {
    window().exportLedger(file(u"list.csv"_s));
    waitFor([&] { return !window().output().isWriting(); });
  });
  step(u"exported as what is none"_s, [&] { window().exportLedger(file(u"list.doc"_s)); });
  step(u"saved"_s, [&] {
    window().openCapture(file(u"missing.vcd"_s));
    waitIdle();
  });
  step(u"undone"_s, [&] { QTest::keyClick(&window(), Qt::Key_Z, Qt::ControlModifier); });
  step(u"nothing left to undo"_s, [&] {
    for (int i = 0; i < 20; ++i)
      QTest::keyClick(&window(), Qt::Key_Z, Qt::ControlModifier);
  });
  step(u"all again"_s, [&] {
    for (int i = 0; i < 20; ++i)
      QTest::keyClick(&window(), Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
  });
}

TEST_F(WindowWalk, FilesThatHaveToBeExplained)
{
  const auto ask = [&](const QString& name, const std::string& content) {
    window().openCapture(fileWith(name, content));
    waitFor([&] {
      auto* const shown = window().findChild<QWidget*>(u"import"_s);
      return shown != nullptr && shown->isVisible();
    });
    put(u"== "_s + name);
    auto* const shown = window().findChild<QWidget*>(u"import"_s);
    ASSERT_NE(shown, nullptr);
    put(recordOf(*shown).join(u'\n'));
    for (QComboBox* const choice : shown->findChildren<QComboBox*>()) {
      if (choice->count() < 2)
        continue;
      choice->setCurrentIndex(choice->count() - 1);
      QTest::qWait(50);
      put(u"with the last "_s + choice->objectName());
      put(recordOf(*shown).join(u'\n'));
      break;
    }
    shown->findChild<QPushButton*>(u"leave"_s)->click();
    QTest::qWait(10);
  };
  ask(u"rows.csv"_s, "time [us];SCL;U;SDA\n0;1;3,3;1\n2,5;0;3,2;1\n4;1;0,1;0\n");
  ask(u"samples.bin"_s, std::string(4096, '\x55') + std::string(4096, '\x0f'));
  step(u"none was read"_s, [] {});
}

TEST_F(WindowWalk, SetUpsForOtherWires)
{
  openDemo();
  const QString path = file(u"lock.setup.json"_s);
  step(u"kept"_s, [&] { window().setups().keep(path); });
  Capture other = cycle().capture;
  other.channels.erase(other.channels.begin() + 3, other.channels.end());
  int number = 0;
  for (Channel& channel : other.channels)
    channel.path = "D" + std::to_string(number++);
  nameChannels(other);
  while (engine().busCount() > 0)
    session().removeBus(id(0));
  engine().setCapture(std::make_shared<const Capture>(std::move(other)), u"other.vcd"_s);
  window().setups().putOn(path);
  waitFor([&] { return window().findChild<QWidget*>(u"channels"_s) != nullptr; });
  auto* const shown = window().findChild<QWidget*>(u"channels"_s);
  ASSERT_NE(shown, nullptr);
  put(recordOf(*shown).join(u'\n'));
  step(u"put on"_s, [&] { shown->findChild<QPushButton*>(u"putOn"_s)->click(); });
}

TEST_F(WindowWalk, SegmentsAreWalkedNamedAndListed)
{
  Folder folder;
  SessionFile kept;
  bexto::addBus(kept.session, *parseBusSpec("talk=uart,rx=TALK,baud=100000"));
  kept.segments.push_back({"first run", "2031-03-17T06:12:00Z", "", true, longTalk(100)});
  kept.segments.push_back({"second run", "2031-03-17T06:13:30Z", "talk \"stalled\"", true, longTalk(300)});
  NoProgress progress;
  const std::string path = folder / "two.bexto";
  ASSERT_TRUE(writeSession(path, kept, {}, progress));
  open(ui::toQString(path));
  whole(u"the session"_s);
  lookAt(window().segments());
  click(u"the second"_s, window().segments().pill(1), {20, 10});
  step(u"the first, by key"_s, [&] {
    window().segments().pill(1).setFocus();
    QTest::keyClick(&window().segments().pill(1), Qt::Key_Left);
  });
  put(window().segments().pill(0).toolTip());
  lookAt(window().ledgers());
  step(u"all in a row"_s, [&] { engine().listAllSegments(true); });
  step(u"and not"_s, [&] { engine().listAllSegments(false); });
}

TEST_F(WindowWalk, TheBenchSaysWhatAPlanMeans)
{
  openDemo();
  window().bench().setOpen(true);
  lookAt(window().bench());
  whole(u"no source"_s);
  const auto plan = [&](const QString& name, const std::function<void(CapturePlan&)>& with) {
    step(name, [&] {
      CapturePlan changed = session().value().plan;
      with(changed);
      session().plan(changed);
      QTest::qWait(300);
    });
  };
  plan(u"a slow rate"_s, [](CapturePlan& p) { p.rate = 500e3; });
  plan(u"a length"_s, [](CapturePlan& p) { p.length = 2000ms; });
  plan(u"a start by an edge"_s, [](CapturePlan& p) { p.start.kind = StartCondition::Kind::Edge; });
  plan(u"a start by an event"_s, [](CapturePlan& p) {
    p.start.kind = StartCondition::Kind::Event;
    p.start.query = "nack";
  });
  plan(u"a wrong event"_s, [](CapturePlan& p) { p.start.query = "address:zz"; });
  plan(u"collected"_s, [](CapturePlan& p) { p.repeat = CapturePlan::Repeat::Collect; });
  step(u"recorded without a source"_s, [&] { window().bench().record(); });
  step(u"closed"_s, [&] { window().bench().setOpen(false); });
}

TEST_F(WindowWalk, WhatTheWindowRemembers)
{
  openDemo();
  window().resize(1111, 777);
  window().lower().show(window().checks());
  ui::memory::addRecentFile(file(u"before.vcd"_s));
  put(ui::memory::recentFiles().join(u' ').replace(file(QString()), QString()));
  step(u"what is plotted by a key"_s, [&] { QTest::keyClick(&window(), Qt::Key_P); });
  for (const QString& gone : {u"Next of the same address or identifier"_s, u"Next of the same kind"_s,
                              u"From request to answer, or back"_s, u"From a message to its parts, or back"_s}) {
    step(gone, [&] { action(gone)->trigger(); });
  }
  step(u"picked, and the same"_s, [&] { focus().select({streamId(0, 0), 5}); });
  for (const QString& gone :
       {u"Next of the same address or identifier"_s, u"Next of the same kind"_s, u"Previous of the same kind"_s,
        u"From request to answer, or back"_s, u"From a message to its parts, or back"_s}) {
    step(gone + u" again"_s, [&] { action(gone)->trigger(); });
  }
  step(u"back"_s, [&] { action(u"Back"_s)->trigger(); });
  step(u"forward"_s, [&] { action(u"Forward"_s)->trigger(); });
}

TEST_F(WindowWalk, WhatWasOpenBeforeIsOffered)
{
  openDemo();
  const QString path = file(u"of-before.vcd"_s);
  QFile::copy(demoPath(), path);
  QFile kept(path);
  ASSERT_TRUE(kept.open(QIODevice::ReadWrite));
  kept.setFileTime(QDateTime({2031, 3, 17}, {6, 12, 8}), QFileDevice::FileModificationTime);
  kept.close();
  ui::glimpses::keep(path, ui::glimpseOf(engine()));
  auto& page = *window().findChild<ui::StartPage*>();
  page.showFiles({path, file(u"gone.vcd"_s)});
  auto& pages = *qobject_cast<QStackedWidget*>(page.parentWidget());
  pages.setCurrentWidget(&page);
  lookAt(page);
  whole(u"the page"_s);
  step(u"dark"_s, [&] { ui::theme().apply(ui::ThemeMode::Dark); });
}

TEST_F(WindowWalk, ClosingAsksWhatBecomesOfTheWork)
{
  openDemo();
  const auto answer = [](const QString& text) {
    return [text](QWidget& shown) {
      for (QPushButton* const button : shown.findChildren<QPushButton*>()) {
        if (button->text() == text)
          return button->click();
      }
      ADD_FAILURE() << text.toStdString();
    };
  };
  dialog(
      u"closing"_s, [&] { window().close(); }, answer(u"Go on working"_s));
  EXPECT_TRUE(window().isVisible());
  window().keeper().saveAs(file(u"kept.bexto"_s));
  ASSERT_TRUE(waitFor([&] { return !window().keeper().isSaving(); }));
  step(u"saved"_s, [] {});
  step(u"closed"_s, [&] { window().close(); });
  EXPECT_FALSE(window().isVisible());
  window().show();
}

TEST_F(WindowWalk, FaultsOfEachBus)
{
  window().resize(1200, 800);
  openFullDemo();
  ASSERT_TRUE(waitFor([&] { return !window().verdicts().isBusy(); }, 20000));
  for (int bus = 0; bus < engine().busCount(); ++bus) {
    const auto& streams = engine().bus(bus).streams;
    for (std::size_t stream = 0; stream < streams.size(); ++stream) {
      const Transactions& lines = streams[stream].transactions;
      std::vector<std::uint64_t> some{0};
      for (std::uint64_t i = 1; i < lines.size() && some.size() < 4; ++i) {
        if (!faultText(engine().bus(bus).shown, lines, i).empty())
          some.push_back(i);
      }
      for (const std::uint64_t number : some) {
        if (number >= lines.size())
          continue;
        const auto show = [&] {
          focus().select({{id(bus), static_cast<int>(stream)}, lines.framesOf(number).first});
          focus().show(spanAround(lines.timeOf(number), 0.3));
        };
        const QString name = u"%1 %2, %3"_s.arg(bus).arg(stream).arg(number);
        lookAt(window().anatomy());
        step(name, show);
        focus().clearSelection();
        focus().showEverything();
        lookAt(window().timeline());
        step(name + u", its lanes"_s, show);
      }
    }
  }
}

TEST_F(WindowWalk, EveryActionDoesWhatItSays)
{
  openFullDemo();
  session().addMarker(3205000us);
  for (const bool picked : {false, true}) {
    if (picked)
      focus().select({streamId(0, 0), transactionsOf(0).frames().lastUpTo(3205300us)});
    for (QAction* const action : window().actions()) {
      const QString text = action->text();
      // Those that ask something, or take from an instrument.
      if (!action->isEnabled() || text.endsWith(u'…') || text.startsWith(u"Print"_s) || text.startsWith(u"Record"_s) ||
          text == u"The last capture again"_s || text == u"The filter language"_s || text == u"All shortcuts"_s ||
          text == u"Save the session"_s)
        continue;
      focus().setCursor(std::nullopt);  // wherever the pointer is taken to be
      if (!text.startsWith(u"Go to"_s))
        window().lower().show(window().ledgers());
      briefly(text + (picked ? u", a line is picked"_s : QString()), [&] {
        action->trigger();
        if (QWidget* const menu = QApplication::activePopupWidget(); menu != nullptr)
          menu->close();
      });
    }
  }
}

TEST_F(WindowWalk, EveryCommandDoesWhatItSays)
{
  openDemo();
  session().addMarker(3205000us);
  const auto run = [&](const QString& typed) {
    focus().setCursor(std::nullopt);  // wherever the pointer is taken to be
    briefly(typed, [&] {
      window().commandBox().open();
      QTest::keyClicks(&window().commandBox(), typed);
      QTest::keyClick(&window().commandBox(), Qt::Key_Return);
    });
  };
  for (const QString& typed :
       {u"Look dark"_s, u"Look light"_s, u"Look as the system"_s, u"Look light"_s, u"sensors, its settings"_s,
        u"console only"_s, u"Lift or restore"_s, u"Marker A"_s, u"Times since marker A"_s,
        u"Times since the line before"_s, u"Times since the capture"_s, u"2.5 s"_s, u"300 ms"_s, u"#12"_s,
        u"Drop a marker"_s, u"next fault"_s, u"Open lock"_s})
    run(typed);
  for (const Protocol* const protocol : protocols())
    run(u"Add a bus, "_s + ui::toQString(protocol->label()));
}
