// The filter line and the search, typed and clicked as a user does.
#include <QClipboard>
#include <QLabel>
#include <QListWidget>
#include <QMenu>
#include <QTimer>
#include <QToolButton>

#include "support/window_fixture.h"

using namespace bexto;
using namespace bexto::test;
using namespace Qt::StringLiterals;

namespace {

class Filtering : public WindowTest {
 protected:
  ui::QueryEdit& filterLine() { return ledgers().bar().filterEdit(); }
  ui::QueryEdit& searchLine() { return ledgers().bar().searchEdit(); }
  ui::LedgerArea& ledgers() { return window().ledgers(); }
  void settle()
  {
    ASSERT_TRUE(waitFor([this] { return !ledgers().filter().isScanning() && !ledgers().search().isScanning(); }));
    QApplication::processEvents();
  }
  void filterBy(const QString& text)
  {
    QTest::keyClick(&window(), Qt::Key_F);
    filterLine().clear();
    QTest::keyClicks(&filterLine(), text);
    QTest::keyClick(&filterLine(), Qt::Key_Return);
    settle();
  }
  /// Chooses an entry of the menu that the action below opens.
  template <typename Open>
  QStringList choose(const char* menuName, const QString& begin, const Open& open)
  {
    QStringList entries;
    QTimer::singleShot(0, [&] {
      auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
      ASSERT_NE(menu, nullptr);
      EXPECT_EQ(menu->objectName(), QString::fromLatin1(menuName));
      QAction* wanted = nullptr;
      for (QAction* action : menu->actions()) {
        entries << action->text();
        wanted = wanted == nullptr && action->text().startsWith(begin) ? action : wanted;
      }
      menu->close();
      if (!begin.isEmpty()) {
        ASSERT_NE(wanted, nullptr) << entries.join(u", "_s).toStdString();
        wanted->trigger();
      }
    });
    open();
    return entries;
  }
};

}  // namespace

TEST_F(Filtering, HidesWhatItDoesNotAskForAndSaysHowMuch)
{
  openDemo();
  const std::uint64_t all = rows().shownCount();
  filterBy(u"address:5D"_s);
  ASSERT_GT(rows().shownCount(), 10U);
  ASSERT_LT(rows().shownCount(), all);
  EXPECT_EQ(rows().allCount(), all);
  for (const ui::LedgerRows::Line& line : rows().visible({}, 5000, 4))
    ASSERT_TRUE(line.sentence.text().starts_with("5D ")) << line.sentence.text();
  EXPECT_TRUE(ledgers().countText().contains(u" of 3"_s)) << ledgers().countText().toStdString();
  EXPECT_EQ(ledgers().bar().explanation(), u"Lines with address 5D"_s);
}

TEST_F(Filtering, AMistakeIsUnderlinedAtItsPlaceAndTheLastGoodFilterStands)
{
  openDemo();
  filterBy(u"address:5D"_s);
  const std::uint64_t shown = rows().shownCount();
  filterLine().setFocus();
  QTest::keyClicks(&filterLine(), u" length:x9"_s);
  QTest::keyClick(&filterLine(), Qt::Key_Escape);
  settle();
  const QRect mistake = filterLine().mistakeRect();
  ASSERT_FALSE(mistake.isEmpty());
  const int before = filterLine().fontMetrics().horizontalAdvance(u"address:5D length:"_s);
  EXPECT_NEAR(mistake.left(), before, 16) << "the line has a margin";
  EXPECT_NEAR(mistake.width(), filterLine().fontMetrics().horizontalAdvance(u"x9"_s), 2);
  EXPECT_TRUE(ledgers().bar().explanation().startsWith(u"▲ 'x9' is no decimal number"_s))
      << ledgers().bar().explanation().toStdString();
  EXPECT_EQ(rows().shownCount(), shown);
}

TEST_F(Filtering, AWordStillBeingTypedIsNoMistakeYet)
{
  openDemo();
  QTest::keyClick(&window(), Qt::Key_F);
  QTest::keyClicks(&filterLine(), u"addr"_s);
  EXPECT_EQ(filterLine().offered(), (QStringList{u"address:"_s, u"address_bits:"_s, u"address_ack:"_s}));
  EXPECT_TRUE(filterLine().mistakeRect().isEmpty());
  EXPECT_FALSE(ledgers().bar().explanation().startsWith(u"▲"_s));
}

TEST_F(Filtering, CompletionOffersAddressesThatOccurTheMostFrequentFirst)
{
  openDemo();
  QTest::keyClick(&window(), Qt::Key_F);
  QTest::keyClicks(&filterLine(), u"addr"_s);
  QTest::keyClick(&filterLine(), Qt::Key_Tab);
  EXPECT_EQ(filterLine().text(), u"address:"_s);
  ASSERT_TRUE(waitFor([this] { return filterLine().offered().contains(u"2A"_s); }));
  EXPECT_EQ(filterLine().offered().first(), u"2A"_s);
  QTest::keyClick(&filterLine(), Qt::Key_Down);
  QTest::keyClick(&filterLine(), Qt::Key_Down);
  QTest::keyClick(&filterLine(), Qt::Key_Return);
  EXPECT_EQ(filterLine().text(), u"address:"_s + u"21 "_s);
  settle();
  EXPECT_GT(rows().shownCount(), 10U);
  EXPECT_TRUE(filterLine().hasFocus()) << "taking an offer goes on typing";
}

TEST_F(Filtering, AWordThatIsWholeNeedsNoOfferWhateverStandsAroundIt)
{
  openDemo();
  QTest::keyClick(&window(), Qt::Key_F);
  QTest::keyClicks(&filterLine(), u"read  nack"_s);
  filterLine().setCursorPosition(5);
  QTest::keyClicks(&filterLine(), u"unanswere"_s);
  EXPECT_EQ(filterLine().offered(), QStringList{u"unanswered"_s});
  QTest::keyClick(&filterLine(), Qt::Key_D);
  EXPECT_EQ(filterLine().text(), u"read unanswered nack"_s);
  EXPECT_EQ(filterLine().offered(), QStringList());
}

TEST_F(Filtering, TermsAreSwitchedOffWithoutBeingDeleted)
{
  openDemo();
  filterBy(u"address:2A error"_s);
  const std::uint64_t both = rows().shownCount();
  ASSERT_EQ(ledgers().bar().chips().size(), 2);
  QTest::mouseClick(ledgers().bar().chips()[1], Qt::LeftButton);
  settle();
  EXPECT_GT(rows().shownCount(), both);
  EXPECT_EQ(filterLine().text(), u"address:2A error"_s);
  QTest::keyClick(&window(), Qt::Key_F, Qt::ShiftModifier);
  settle();
  EXPECT_EQ(rows().shownCount(), rows().allCount()) << "Shift+F lifts all of it";
  QTest::keyClick(&window(), Qt::Key_F, Qt::ShiftModifier);
  settle();
  EXPECT_EQ(rows().shownCount(), both);
}

TEST_F(Filtering, LiftingItLeavesTheSelectedLineWhereItIs)
{
  openDemo();
  filterBy(u"address:5D"_s);
  ledgers().active().setFocus();
  for (int i = 0; i < 6; ++i)
    QTest::keyClick(&window().ledger(), Qt::Key_Down);
  const ui::Selection picked = focus().selection();
  const QRect before = window().ledger().lineRect(window().ledger().current());
  ASSERT_FALSE(before.isEmpty());
  QTest::keyClick(&window(), Qt::Key_F, Qt::ShiftModifier);
  settle();
  EXPECT_EQ(focus().selection(), picked);
  EXPECT_EQ(rows().shownCount(), rows().allCount());
  EXPECT_EQ(window().ledger().lineRect(lineOfSelection()), before);
  QTest::keyClick(&window(), Qt::Key_F, Qt::ShiftModifier);
  settle();
  EXPECT_LT(rows().shownCount(), rows().allCount());
  EXPECT_EQ(window().ledger().lineRect(lineOfSelection()), before) << "and putting it back moves nothing either";
}

TEST_F(Filtering, TheKeyboardGoesOnFromAHiddenLine)
{
  openDemo();
  clickLedger(5);
  const Picoseconds begin = focus().selectedTime().begin;
  filterBy(u"address:5D"_s);
  ASSERT_FALSE(rows().shows(focus().selection()));
  ledgers().active().setFocus();
  QTest::keyClick(&window().ledger(), Qt::Key_Up);
  QTest::keyClick(&window().ledger(), Qt::Key_Down);
  EXPECT_TRUE(rows().shows(focus().selection()));
  EXPECT_LT(std::chrono::abs(focus().selectedTime().begin - begin), Picoseconds{std::chrono::milliseconds{800}});
}

TEST_F(Filtering, FromHidesAllBeforeTheFirstMatch)
{
  openDemo();
  filterBy(u"from error"_s);
  ASSERT_GT(rows().shownCount(), 0U);
  EXPECT_LT(rows().shownCount(), rows().allCount());
  const auto first = rows().visible({}, 1, 4).front();
  EXPECT_TRUE(first.fault);
  EXPECT_EQ(rows().merged().sources()[0].shownBelow(first.row.number), 0U);
}

TEST_F(Filtering, TheMenuOfALineKeepsHidesAndShowsSurroundings)
{
  openDemo();
  clickLedger(0);
  ui::LedgerView& ledger = window().ledger();
  choose("ledgerMenu", u"Keep only address:2A"_s, [&] { ledger.showMenu({300, 10}, LedgerColumn::Transaction); });
  settle();
  EXPECT_EQ(filterLine().text(), u"address:2A"_s);
  const std::uint64_t kept = rows().shownCount();
  EXPECT_LT(kept, rows().allCount());
  const QStringList entries = choose("ledgerMenu", u"Show what surrounds"_s, [&] { ledger.showMenu({300, 10}, {}); });
  settle();
  EXPECT_TRUE(entries.contains(u"Hide address:2A"_s));
  EXPECT_EQ(rows().shownCount(), rows().allCount());
  EXPECT_EQ(filterLine().text(), u"address:2A"_s) << "it is lifted, not lost";
  ledgers().filter().setText({});
  choose("ledgerMenu", u"Hide bus:sensors"_s, [&] { ledger.showMenu({300, 10}, LedgerColumn::Bus); });
  settle();
  EXPECT_EQ(filterLine().text(), u"not bus:sensors"_s);
  for (const ui::LedgerRows::Line& line : rows().visible({}, 200, 4))
    ASSERT_EQ(line.bus, u"console"_s);
}

TEST_F(Filtering, ANewTermHoldsBesidesAnOldChoice)
{
  openDemo();
  filterBy(u"read or error"_s);
  ledgers().bar().addTerm(u"address:2A"_s, false);
  EXPECT_EQ(filterLine().text(), u"(read or error) address:2A"_s);
  ledgers().bar().addTerm(u"byte0:10 read"_s, true);
  EXPECT_EQ(filterLine().text(), u"(read or error) address:2A not (byte0:10 read)"_s);
  settle();
  EXPECT_FALSE(ledgers().filter().error());
}

TEST_F(Filtering, FollowsTheBusesThatItSpeaksOf)
{
  openDemo();
  filterBy(u"console"_s);
  ASSERT_GT(rows().shownCount(), 0U);
  session().removeBus(id(1));
  settle();
  EXPECT_TRUE(ledgers().filter().error()) << "there is no such bus any more";
  addBus("console=uart,tx=CONSOLE_TX,baud=115200");
  settle();
  EXPECT_FALSE(ledgers().filter().error());
  for (const ui::LedgerRows::Line& line : rows().visible({}, 50, 4))
    ASSERT_EQ(line.bus, u"console"_s);
}

TEST_F(Filtering, SearchWalksMatchesAndSaysWhenItWentAround)
{
  openDemo();
  QTest::keyClick(&window(), Qt::Key_Slash);
  QTest::keyClicks(&searchLine(), u"sensors error"_s);
  QTest::keyClick(&searchLine(), Qt::Key_Escape);
  settle();
  const std::uint64_t all = rows().shownCount();
  EXPECT_EQ(all, rows().allCount()) << "a search hides nothing";
  const std::uint64_t matches = ledgers().search().result()->found();
  ASSERT_GT(matches, 1U);
  EXPECT_FALSE(window().overview().matches().empty());
  ledgers().active().setFocus();
  std::vector<std::uint64_t> seen;
  for (std::uint64_t i = 0; i < matches; ++i) {
    QTest::keyClick(&window(), Qt::Key_Period);
    seen.push_back(lineOfSelection().row);
    EXPECT_TRUE(rows().visible(lineOfSelection(), 1, 4).front().fault);
  }
  EXPECT_TRUE(std::is_sorted(seen.begin(), seen.end()));
  const auto* says = window().findChild<QLabel*>(u"searchSays"_s);
  EXPECT_FALSE(says->text().contains(u"went on"_s)) << says->text().toStdString();
  QTest::keyClick(&window(), Qt::Key_Period);
  EXPECT_EQ(lineOfSelection().row, seen.front());
  EXPECT_TRUE(says->text().contains(u"went on from the begin"_s)) << says->text().toStdString();
  QTest::keyClick(&window(), Qt::Key_Comma);
  EXPECT_EQ(lineOfSelection().row, seen.back());
  EXPECT_TRUE(says->text().contains(u"went on from the end"_s)) << says->text().toStdString();
  // The arrows beside the line do the same.
  const auto arrow = [this](const QString& sign) {
    for (QToolButton* const found : ledgers().bar().findChildren<QToolButton*>()) {
      if (found->text() == sign)
        return found;
    }
    return static_cast<QToolButton*>(nullptr);
  };
  ASSERT_NE(arrow(u"↑"_s), nullptr);
  QTest::mouseClick(arrow(u"↑"_s), Qt::LeftButton);
  EXPECT_EQ(lineOfSelection().row, seen[seen.size() - 2]);
  QTest::mouseClick(arrow(u"↓"_s), Qt::LeftButton);
  EXPECT_EQ(lineOfSelection().row, seen.back());
}

TEST_F(Filtering, SearchStaysInsideWhatTheFilterShows)
{
  openDemo();
  filterBy(u"address:5D"_s);
  QTest::keyClick(&window(), Qt::Key_Slash);
  QTest::keyClicks(&searchLine(), u"read"_s);
  QTest::keyClick(&searchLine(), Qt::Key_Escape);
  settle();
  ASSERT_GT(ledgers().search().result()->found(), 100U) << "most of them are hidden";
  for (int i = 0; i < 5; ++i) {
    ledgers().findNext(true);
    EXPECT_TRUE(rows().shows(focus().selection()));
    EXPECT_TRUE(rows().visible(lineOfSelection(), 1, 4).front().sentence.text().starts_with("5D "));
  }
}

TEST_F(Filtering, FiltersUsedBeforeAreRemembered)
{
  openDemo();
  filterBy(u"address:5D"_s);
  filterBy(u"error"_s);
  filterBy(u"nonsense:1"_s);
  EXPECT_EQ(ui::FilterBar::history(), (QStringList{u"error"_s, u"address:5D"_s})) << "mistakes are not";
}

TEST_F(Filtering, OffersAreWalkedWithTheArrowsAndLeftWithEscape)
{
  openDemo();
  QTest::keyClick(&window(), Qt::Key_F);
  auto& line = filterLine();
  const auto picked = [&] {
    const auto* const list = window().findChild<QListWidget*>(u"offer"_s);
    return list == nullptr || !list->isVisible() ? -2 : list->currentRow();
  };
  QTest::keyClick(&line, Qt::Key_Up);
  EXPECT_EQ(picked(), -2) << "nothing is offered";
  QTest::keyClick(&line, Qt::Key_Down);
  ASSERT_EQ(picked(), -1);
  QTest::keyClick(&line, Qt::Key_Down);
  QTest::keyClick(&line, Qt::Key_Down);
  EXPECT_EQ(picked(), 1);
  QTest::keyClick(&line, Qt::Key_Up);
  EXPECT_EQ(picked(), 0);
  QTest::keyClick(&line, Qt::Key_Up);
  EXPECT_EQ(picked(), 0);
  QTest::keyClick(&line, Qt::Key_Escape);
  EXPECT_EQ(picked(), -2);
  EXPECT_TRUE(line.hasFocus());
}

TEST_F(Filtering, TheMenuOfALineLeadsToWhatIsAlike)
{
  openDemo();
  clickLedger(20);
  ui::LedgerView& ledger = window().ledger();
  const auto pick = [&](const QString& text) {
    choose("ledgerMenu", text, [&] { ledger.showMenu(ledger.lineRect(ledger.current()).center(), {}); });
    QApplication::processEvents();
    return focus().selection().frame;
  };
  const std::uint64_t from = focus().selection().frame;
  const std::uint64_t next = pick(u"Next of the same address"_s);
  EXPECT_GT(next, from);
  EXPECT_EQ(pick(u"Previous of the same address"_s), from);
  const std::uint64_t kind = pick(u"Next of the same kind"_s);
  EXPECT_GT(kind, from);
  EXPECT_LE(kind, next) << "a transfer to any address";
  QApplication::clipboard()->clear();
  pick(u"Copy as text"_s);
  EXPECT_EQ(QApplication::clipboard()->text(), ledger.pickedText());
  pick(u"Open"_s);
  EXPECT_GT(rows().lines().detailCount(rows().merged().at(row())), 0U);
  const Picoseconds begin = rows().merged().beginOf(rows().merged().at(row()));
  pick(u"Hide all before this"_s);
  settle();
  ASSERT_GT(rows().shownCount(), 0U);
  EXPECT_EQ(rows().merged().beginOf(rows().merged().at(0)), begin);
  ledgers().filter().setText({});
  settle();
  pick(u"Hide all after this"_s);
  settle();
  ASSERT_GT(rows().shownCount(), 0U);
  EXPECT_EQ(rows().merged().beginOf(rows().merged().at(rows().shownCount() - 1)), begin);
}

TEST_F(Filtering, MatchesOfTheSameMomentAreWalkedOneByOneBothWays)
{
  engine().setCapture(longTalk(100), u"talk.vcd"_s);
  addBus("a=uart,rx=TALK,baud=100000");
  addBus("b=uart,rx=TALK,baud=100000");
  ledgers().search().setText(u"bus:a or bus:b"_s);
  settle();
  const std::uint64_t all = rows().shownCount();
  ASSERT_EQ(all, 14U) << "seven lines of either";
  clickLedger(0);
  std::vector<std::uint64_t> seen{row()};
  for (std::uint64_t i = 1; i < all; ++i) {
    ledgers().findNext(true);
    seen.push_back(lineOfSelection().row);
  }
  for (std::uint64_t i = 0; i < all; ++i)
    EXPECT_EQ(seen[i], i);
  for (std::uint64_t i = all - 1; i > 0; --i) {
    ledgers().findNext(false);
    EXPECT_EQ(lineOfSelection().row, i - 1);
  }
}
