// Ledger, filter and search, Bytes, Anatomy, markers and the command box, step by step on record: see
// support/on_record.h.
#include <QClipboard>
#include <QComboBox>
#include <QToolButton>
#include <QTreeWidget>

#include "support/on_record.h"
#include "ui/bytes/bytes_view.h"
#include "ui/command/command_box.h"
#include "ui/ledger/ledger_header.h"
#include "ui/markers/markers_panel.h"
#include "ui/query/filter_bar.h"
#include "ui/query/query_edit.h"
#include "ui/window/lower_area.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;
using namespace Qt::StringLiterals;

namespace {

class ListsWalk : public OnRecord {
 protected:
  void SetUp() override
  {
    WindowTest::SetUp();
    window().resize(1000, 700);
    openDemo();
  }
  QWidget& lines() { return *window().ledger().viewport(); }
  /// On the line whose number in view is that.
  static QPoint line(int number, int x = 300) { return {x, number * ui::LedgerView::kRowHeight + 12}; }
};

}  // namespace

TEST_F(ListsWalk, TheLedgerIsWalkedOpenedAndCopied)
{
  lookAt(window().ledgers());
  whole(u"the list"_s);
  click(u"a line"_s, lines(), line(2));
  click(u"its arrow"_s, lines(), line(2, 8));
  click(u"a field"_s, lines(), line(4));
  click(u"up to another, with Shift"_s, lines(), line(7), Qt::ShiftModifier);
  keys(u"copied"_s, {Qt::CTRL | Qt::Key_C});
  put(inOneLine(QApplication::clipboard()->text()));
  keys(u"down"_s, {Qt::Key_Down});
  keys(u"opened"_s, {Qt::Key_Right});
  keys(u"closed"_s, {Qt::Key_Left});
  keys(u"a page down"_s, {Qt::Key_PageDown});
  keys(u"two up, with Shift"_s, {Qt::SHIFT | Qt::Key_Up, Qt::SHIFT | Qt::Key_Up});
  keys(u"the end"_s, {Qt::Key_End});
  keys(u"a page up"_s, {Qt::Key_PageUp});
  keys(u"the begin"_s, {Qt::Key_Home});
  drag(u"dragged over"_s, lines(), line(1), line(4));
  wheel(u"scrolled"_s, lines(), line(2), {0, -240});
  step(u"a double-click"_s, [&] { QTest::mouseDClick(&lines(), Qt::LeftButton, {}, line(3)); });
  menu(u"of a transaction"_s, lines(), line(3));
  menu(u"of a bus"_s, lines(), line(3, 200), u"Keep only"_s);
  menu(u"within a filter"_s, lines(), line(2), u"Show what surrounds"_s);
  menu(u"hide what is before"_s, lines(), line(3), u"Hide all before"_s);
}

TEST_F(ListsWalk, FormsOfTheLedger)
{
  lookAt(window().ledgers());
  keys(u"all open"_s, {Qt::Key_O});
  keys(u"further"_s, {Qt::Key_N});
  keys(u"all closed"_s, {Qt::SHIFT | Qt::Key_O});
  keys(u"bytes"_s, {Qt::Key_B});
  click(u"a line of them"_s, lines(), line(3));
  step(u"by eight"_s, [&] { window().ledgers().setForm(LedgerForm::Bytes, 8); });
  step(u"sentences"_s, [&] { window().ledgers().setForm(LedgerForm::Sentences, 16); });
  keys(u"another beside"_s, {Qt::CTRL | Qt::Key_L});
  click(u"a line of it"_s, *window().ledgers().pane(1).viewport(), line(2, 200));
  step(u"the other bus"_s, [&] { window().ledgers().setPaneBus(1, id(1)); });
  wheel(u"scrolled together"_s, lines(), line(2), {0, -480});
  step(u"each by itself"_s, [&] { window().ledgers().setLinked(false); });
  wheel(u"scrolled alone"_s, lines(), line(2), {0, -480});
  keys(u"closed"_s, {Qt::CTRL | Qt::SHIFT | Qt::Key_L});
}

TEST_F(ListsWalk, ColumnsAreChosenMovedAndWidened)
{
  lookAt(window().ledgers());
  ui::LedgerHeader& header = window().ledger().header();
  QWidget& head = *header.viewport();
  menu(u"times since the line before"_s, head, {200, 10}, u"the line before"_s);
  menu(u"counted from there"_s, head, {200, 10});
  hover(u"between two columns"_s, head, {header.sectionViewportPosition(1), 10});
  drag(u"a column wider"_s, head, {header.sectionViewportPosition(1), 10},
       {header.sectionViewportPosition(1) + 40, 10});
  header.setFocus();
  keys(u"the second"_s, {Qt::Key_Right});
  keys(u"wider"_s, {Qt::Key_Plus, Qt::Key_Plus});
  keys(u"narrower"_s, {Qt::Key_Minus});
  keys(u"moved"_s, {Qt::SHIFT | Qt::Key_Right});
  keys(u"put away"_s, {Qt::Key_Delete});
  for (int row = 0; row < 3; ++row) {
    QStringList cells;
    for (int column = 0; column < window().ledger().spokenColumns(); ++column)
      cells << window().ledger().spokenHead(column) + u": "_s + window().ledger().spokenText(row, column);
    put(cells.join(u" | "_s));
  }
}

TEST_F(ListsWalk, EveryColumnOfTheLedger)
{
  window().resize(1280, 560);
  ui::LedgerHeader& header = window().ledger().header();
  lookAt(*window().ledger().viewport());
  for (std::size_t first = 0; first < ledgerColumns().size(); first += 4) {
    QString heads;
    for (std::size_t c = 0; c < ledgerColumns().size(); ++c)
      header.setShown(ledgerColumns()[c].column, c >= first && c < first + 4);
    for (const LedgerColumn column : header.columns())
      heads += u' ' + ui::toQString(specOf(column).key);
    whole(u"columns"_s + heads);
  }
}

TEST_F(ListsWalk, AFilterIsTypedCompletedAndLifted)
{
  lookAt(window().ledgers());
  const auto typed = [&](const QString& text) {
    step(u"typed "_s + text, [&] {
      QTest::keyClicks(keyboard(), text);
      QTest::qWait(250);
    });
    if (QWidget* const offer = window().findChild<QWidget*>(u"offer"_s); offer != nullptr && offer->isVisible())
      put(recordOf(*offer).join(u'\n'));
  };
  keys(u"the filter"_s, {Qt::Key_F});
  typed(u"addr"_s);
  keys(u"the next offer"_s, {Qt::Key_Down});
  keys(u"taken"_s, {Qt::Key_Tab});
  typed(u"2A nac"_s);
  keys(u"entered"_s, {Qt::Key_Return});
  step(u"a chip left out"_s, [&] {
    ASSERT_FALSE(window().ledgers().bar().chips().isEmpty());
    window().ledgers().bar().chips().front()->click();
    QTest::qWait(250);
  });
  put(window().ledgers().bar().explanation());
  window().ledger().setFocus();
  keys(u"lifted"_s, {Qt::SHIFT | Qt::Key_F});
  keys(u"restored"_s, {Qt::SHIFT | Qt::Key_F});
  step(u"wrong"_s, [&] {
    window().ledgers().bar().filterEdit().setText(u"address:zz or"_s);
    QTest::qWait(250);
  });
  step(u"nothing fits"_s, [&] {
    window().ledgers().filter().setText(u"byte0:EE nack"_s);
    QTest::qWait(250);
  });
  step(u"empty"_s, [&] {
    window().ledgers().filter().setText({});
    QTest::qWait(250);
  });
  keys(u"search"_s, {Qt::Key_Slash});
  typed(u"nack"_s);
  keys(u"the next"_s, {Qt::Key_Return});
  window().ledger().setFocus();
  keys(u"the one after"_s, {Qt::Key_Period});
  keys(u"back"_s, {Qt::Key_Comma, Qt::Key_Comma});
  put(window().ledgers().bar().history().join(u" | "_s));
}

TEST_F(ListsWalk, BytesArePickedExtendedAndCopied)
{
  QTest::keyClick(&window(), Qt::Key_2);
  window().resize(700, 480);
  lookAt(window().bytes());
  whole(u"the page"_s);
  ui::BytesView& bytes = window().bytes().view();
  click(u"a byte"_s, *bytes.viewport(), bytes.byteRect(18).center());
  click(u"up to another"_s, *bytes.viewport(), bytes.byteRect(37).center(), Qt::ShiftModifier);
  keys(u"copied"_s, {Qt::CTRL | Qt::Key_C});
  put(QApplication::clipboard()->text());
  drag(u"dragged"_s, *bytes.viewport(), bytes.byteRect(3).center(), bytes.byteRect(22).center());
  keys(u"right"_s, {Qt::Key_Right});
  keys(u"down, with Shift"_s, {Qt::SHIFT | Qt::Key_Down});
  keys(u"left, up"_s, {Qt::Key_Left, Qt::Key_Up});
  keys(u"a page"_s, {Qt::Key_PageDown});
  keys(u"the end"_s, {Qt::Key_End});
  keys(u"a page back"_s, {Qt::Key_PageUp});
  keys(u"the begin"_s, {Qt::Key_Home});
  step(u"eight a line"_s, [&] { bytes.setWrap(8); });
  step(u"of the console"_s, [&] { select(1, 20); });
  wheel(u"scrolled"_s, *bytes.viewport(), {100, 40}, {0, -240});
  for (int row = bytes.firstSpokenInView(); row < bytes.firstSpokenInView() + 2; ++row)
    put(bytes.spokenText(row, 0) + u" | "_s + bytes.spokenText(row, 1) + u" | "_s + bytes.spokenText(row, 2));
  step(u"no bus"_s, [&] {
    session().removeBus(id(1));
    session().removeBus(id(0));
  });
}

TEST_F(ListsWalk, AnatomyShowsTheBitAndFieldThatAreAsked)
{
  lookAt(window().anatomy());
  whole(u"nothing is picked"_s);
  step(u"an exchange"_s, [&] { select(0, 3); });
  ui::BitStrip& strip = window().anatomy().bitStrip();
  click(u"the third bit"_s, strip, {68, 14});
  strip.setFocus();
  keys(u"right"_s, {Qt::Key_Right});
  keys(u"left"_s, {Qt::Key_Left, Qt::Key_Left});
  hover(u"over a bit"_s, strip, {124, 14});
  rest(u"resting on a bit"_s, strip, {124, 14});
  ui::FieldTable& fields = window().anatomy().fields();
  click(u"the third field"_s, fields, {100, 50});
  fields.setFocus();
  keys(u"down"_s, {Qt::Key_Down});
  keys(u"up"_s, {Qt::Key_Up, Qt::Key_Up});
  const auto press = [&](const QString& name, const QString& text) {
    step(name, [&] {
      for (QToolButton* const button : window().anatomy().findChildren<QToolButton*>()) {
        if (button->text() == text)
          return button->click();
      }
      ADD_FAILURE() << text.toStdString();
    });
  };
  press(u"the next"_s, u"›"_s);
  press(u"the one before"_s, u"‹"_s);
  step(u"a character"_s, [&] { select(1, 3); });
  step(u"one with a fault"_s, [&] { QTest::keyClick(&window(), Qt::Key_N); });
  step(u"one with bits that are far too long"_s, [&] {
    focus().select({streamId(0, 0), transactionsOf(0).frames().lastUpTo(3205300us)});
  });
  step(u"nothing again"_s, [&] { focus().clearSelection(); });
}

TEST_F(ListsWalk, MarkersAreListedMeasuredAndEdited)
{
  const Picoseconds t = transactionsOf(0).timeOf(3).begin;
  focus().show({t - 100us, t + 400us});
  lookAt(window().markers());
  step(u"one"_s, [&] { session().addMarker(t); });
  step(u"two: what is between them"_s, [&] {
    session().addMarker(t + 300us);
    waitFor([&] { return !window().markers().isMeasuring(); });
  });
  QTreeWidget& list = window().markers().list();
  step(u"the second picked"_s, [&] {
    list.setFocus();
    list.setCurrentItem(list.topLevelItem(1));
    QTest::keyClick(&list, Qt::Key_Return);
  });
  keys(u"to the edge behind it"_s, {Qt::CTRL | Qt::Key_Right});
  keys(u"and back"_s, {Qt::CTRL | Qt::Key_Left});
  step(u"another wire, another bus"_s, [&] {
    window().markers().wire().setCurrentIndex(1);
    window().markers().bus().setCurrentIndex(window().markers().bus().count() - 1);
    waitFor([&] { return !window().markers().isMeasuring(); });
  });
  step(u"from the other"_s, [&] {
    window().markers().from().setCurrentIndex(1);
    window().markers().to().setCurrentIndex(0);
    waitFor([&] { return !window().markers().isMeasuring(); });
  });
  step(u"renamed"_s, [&] { list.topLevelItem(0)->setText(0, u"begin"_s); });
  step(u"a note"_s, [&] {
    select(0, 3);
    QTest::keyClick(&window(), Qt::Key_K);
    if (auto* const edit = list.findChild<QLineEdit*>(); edit != nullptr) {
      QTest::keyClicks(edit, u"the first read"_s);
      QTest::keyClick(edit, Qt::Key_Return);
    }
  });
  step(u"removed"_s, [&] {
    list.setFocus();
    list.setCurrentItem(list.topLevelItem(0));
    QTest::keyClick(&list, Qt::Key_Delete);
  });
  step(u"all away"_s, [&] { session().clearMarkers(); });
}

TEST_F(ListsWalk, TheCommandBoxFindsAndDoes)
{
  const auto offered = [&] { put(window().commandBox().offered().join(u'\n')); };
  keys(u"open"_s, {Qt::CTRL | Qt::Key_K});
  offered();
  for (const QString& typed : {u"marker"_s, u"1.5 s"_s, u"#40"_s, u"dark"_s, u"con"_s, u"zzz"_s}) {
    step(u"typed "_s + typed, [&] {
      window().commandBox().selectAll();
      QTest::keyClicks(&window().commandBox(), typed);
    });
    offered();
  }
  keys(u"left"_s, {Qt::Key_Escape});
  keys(u"open again"_s, {Qt::CTRL | Qt::Key_K});
  step(u"a time is gone to"_s, [&] {
    QTest::keyClicks(&window().commandBox(), u"1.5 s"_s);
    QTest::keyClick(&window().commandBox(), Qt::Key_Down);
    QTest::keyClick(&window().commandBox(), Qt::Key_Up);
    QTest::keyClick(&window().commandBox(), Qt::Key_Return);
  });
}
