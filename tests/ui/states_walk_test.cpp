// States of the window that the other walks do not come to: pages with nothing to show, of a bus that is gone, in large
// text; the settings of each kind of bus; menus of lists. On record: see support/on_record.h.
#include <QListWidget>
#include <QToolButton>
#include <QTreeView>
#include <QTreeWidget>

#include "core/check/rulebook_file.h"
#include "support/on_record.h"
#include "support/own_data_folder.h"
#include "support/packet_file.h"
#include "ui/bytes/bytes_view.h"
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

class StatesWalk : public OnRecord {
 protected:
  void SetUp() override
  {
    WindowTest::SetUp();
    window().resize(1100, 760);
  }
  void eachPage(const QString& state)
  {
    for (ui::LowerPage* const page : window().lower().pages())
      step(state + u", "_s + page->title(), [&] { window().lower().show(*page); });
  }

 private:
  OwnDataFolder m_data;
};

}  // namespace

TEST_F(StatesWalk, PagesOfACaptureWithoutABus)
{
  open(demoPath());
  lookAt(window().lower());
  eachPage(u"no bus"_s);
}

TEST_F(StatesWalk, PagesOfABusThatIsGone)
{
  openDemo();
  lookAt(window().lower());
  window().lower().show(window().sheet());
  step(u"a sheet for it"_s, [&] {
    window().sheet().edit(id(0), {});
    window().sheet().text().setPlainText(
        u"sheet: 1\ndevice: LT-20\nbus: i2c\naddress: 0x2A\nregisters:\n  a: {at: 16}\n"_s);
    QTest::qWait(900);
  });
  step(u"the bus is removed"_s, [&] { session().removeBus(id(0)); });
  step(u"it is back"_s, [&] { session().undo(); });
  step(u"and so is its sheet"_s, [&] {
    window().sheet().edit(id(0), {});
    QTest::qWait(900);
  });
  window().lower().show(window().book());
  step(u"a rulebook for it"_s, [&] {
    window().book().begin(id(0), u"i2c-fast"_s);
    window().book().text().insertPlainText(u"# ours\n"_s);
    QTest::qWait(900);
    waitFor([&] { return !window().book().isMeasuring(); });
  });
  step(u"the bus is removed again"_s, [&] { session().removeBus(id(0)); });
  step(u"it is back again"_s, [&] { session().undo(); });
  briefly(u"and so is its rulebook"_s, [&] {
    window().book().begin(id(0), u"i2c-fast"_s);
    QTest::qWait(900);
    waitFor([&] { return !window().book().isMeasuring(); });
  });
  put(window().book().text().toPlainText().section(u'\n', 0, 3));
  window().lower().show(window().checks());
  step(u"no bus at all"_s, [&] {
    while (engine().busCount() > 0)
      session().removeBus(id(0));
  });
}

TEST_F(StatesWalk, PagesInLargeText)
{
  openDemo();
  clickLedger(3);
  session().addMarker(2ms);
  lookAt(window());
  ui::theme().setTextSize(150);
  whole(u"half as large again"_s);
  for (ui::LowerPage* const page : window().lower().pages())
    briefly(page->title(), [&] { window().lower().show(*page); });
  ui::theme().setTextSize(0);
}

TEST_F(StatesWalk, WhatWasSentFromHereAndWhatWasLost)
{
  openDemo();
  auto capture = std::make_shared<Capture>(*engine().capture());
  const auto sentAt = [&](std::uint64_t i) { return transactionsOf(1).timeOf(i); };
  const std::size_t wire = *capture->find("CONSOLE_TX");
  capture->sent = {{sentAt(1), wire}, {sentAt(2), wire}, {sentAt(9), wire}};
  const Picoseconds lost = sentAt(2).end + 1us;
  capture->gaps = {{lost, lost + 3ms}, {capture->end - 200ms, capture->end - 100ms}};
  engine().setCapture(capture, u"recorded.vcd"_s);
  whole(u"all of it"_s);
  step(u"what was sent"_s, [&] { select(1, 1); });
  step(u"near"_s, [&] { focus().show({sentAt(1).begin - 20us, lost + 400us}); });
  step(u"far"_s, [&] { focus().show({sentAt(1).begin - 20ms, lost + 90ms}); });
  step(u"of ours only"_s, [&] { window().ledgers().filter().setText(u"sent"_s); });
  step(u"since the trigger"_s, [&] { window().ledger().setZero(ui::TimeZero::Trigger); });
}

TEST_F(StatesWalk, FramesOfWhichOnlyTheTimeIsKnown)
{
  BlockFile packets;
  packets.named("can0").named("can1");
  for (std::uint32_t i = 0; i < 12; ++i)
    packets.packet(i % 3 == 2 ? 1 : 0, 1000 + 700 * i * i,
                   i == 4 ? canRecord(0x20000040, Bytes(8)) : canRecord(0x100 + i, Bytes(i % 9, 0x11)));
  open(fileWith(u"log.pcapng"_s, packets.content));
  whole(u"all of it"_s);
  for (const int span : {200, 2000, 20000})
    step(u"%1 us"_s.arg(span), [&] { focus().show({900us, Picoseconds{900us} + std::chrono::microseconds{span}}); });
  step(u"one is picked"_s, [&] { select(0, 1); });
  step(u"an error frame is picked"_s, [&] { select(0, 3); });
  eachPage(u"of it"_s);
}

TEST_F(StatesWalk, SettingsOfEachKindOfBus)
{
  openFullDemo();
  lookAt(window().buses());
  for (int bus = 0; bus < engine().busCount(); ++bus) {
    const ui::BusCard* const card = window().buses().cards().at(static_cast<std::size_t>(bus));
    step(ui::toQString(engine().bus(bus).shown.name), [&] { window().buses().toggleSettings(id(bus)); });
    ASSERT_NE(card->editor(), nullptr);
    briefly(u"closed"_s, [&] { window().buses().toggleSettings(id(bus)); });
  }
}

TEST_F(StatesWalk, MenusOfLists)
{
  openDemo();
  session().addMarker(2ms);
  session().addMarker(3ms);
  Bus judged = session().value().buses.front().bus;
  attachBook(judged, {"ours.yaml", "rulebook: ours\nbase: i2c-standard\n"});
  session().setBooks(id(0), judged.books);
  settle();
  lookAt(window().lower());
  window().lower().show(window().findings());
  settle();
  QTreeWidget& findings = window().findings().list();
  menu(u"a finding"_s, *findings.viewport(), findings.visualItemRect(findings.topLevelItem(0)).center());
  window().lower().show(window().checks());
  window().checks().pick(id(0));
  Q_EMIT window().checks().bookButton().menu()->aboutToShow();
  QStringList lines;
  addActions(window().checks().bookButton().menu()->actions(), 0, lines);
  put(u"== what it is judged by"_s);
  put(lines.join(u'\n'));
  window().lower().show(window().bytes());
  settle();
  window().lower().show(window().ledgers());
  clickLedger(4);
  ui::LedgerView& ledger = window().ledger();
  menu(u"a line"_s, *ledger.viewport(), ledger.lineRect(ledger.current()).center());
  QTest::mouseClick(ledger.viewport(), Qt::LeftButton, Qt::ShiftModifier, ledger.lineRect({7, 0}).center());
  menu(u"several lines"_s, *ledger.viewport(), ledger.lineRect({5, 0}).center());
  lookAt(window().timeline());
  for (std::size_t i = 0; i < 2; ++i) {
    const ui::TimelineLane& lane = window().timeline().lanes().at(i);
    menu(u"the lane "_s + lane.name, *window().timeline().viewport(),
         {ui::kLaneHeader + 60, ui::kRulerHeight + lane.top + 8});
  }
}
