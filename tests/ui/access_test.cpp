// What is painted by hand speaks, and is reached without a mouse.
#include <QAccessible>
#include <QClipboard>
#include <QTreeWidget>

#include "support/window_fixture.h"
#include "ui/anatomy/anatomy_panel.h"
#include "ui/bytes/bytes_view.h"
#include "ui/markers/markers_panel.h"
#include "ui/window/lower_area.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;
using namespace Qt::StringLiterals;

namespace {

class Access : public WindowTest {
 protected:
  void SetUp() override
  {
    WindowTest::SetUp();
    openDemo();
  }
  static QAccessibleInterface* of(QWidget& widget) { return QAccessible::queryAccessibleInterface(&widget); }
  static QString nameOf(QAccessibleInterface* item) { return item->text(QAccessible::Name); }
  /// Where Tab leads, from the first widget on.
  std::vector<QWidget*> tabOrder()
  {
    std::vector<QWidget*> order;
    QWidget* at = &window();
    do {
      at = at->nextInFocusChain();
      if (at->isVisibleTo(&window()) && (at->focusPolicy() & Qt::TabFocus) != 0)
        order.push_back(at);
    } while (at != &window() && order.size() < 1000);
    return order;
  }
  void press(QWidget& widget, Qt::Key key, Qt::KeyboardModifiers with = Qt::NoModifier)
  {
    widget.setFocus();
    QTest::keyClick(&widget, key, with);
  }
};

}  // namespace

TEST_F(Access, TheLedgerIsATableOfWhatItShows)
{
  ui::LedgerView& ledger = window().ledger();
  QAccessibleInterface* const access = of(ledger);
  ASSERT_EQ(access->role(), QAccessible::Table);
  EXPECT_EQ(nameOf(access), u"Ledger"_s);
  QAccessibleTableInterface* const table = access->tableInterface();
  ASSERT_NE(table, nullptr);
  EXPECT_EQ(static_cast<std::uint64_t>(table->rowCount()), rows().shownCount());
  EXPECT_EQ(static_cast<std::size_t>(table->columnCount()), ledger.header().columns().size());
  clickLedger(4);
  const QStringList said = ledger.pickedText().trimmed().split(u'\t');
  for (int column = 0; column < table->columnCount(); ++column) {
    QAccessibleInterface* const cell = table->cellAt(4, column);
    EXPECT_TRUE(nameOf(cell).endsWith(said.at(column))) << column << nameOf(cell).toStdString();
    EXPECT_TRUE(cell->state().selected);
    EXPECT_EQ(cell->role(), QAccessible::Cell);
    EXPECT_EQ(access->indexOfChild(cell), 4 * table->columnCount() + column);
  }
  EXPECT_FALSE(table->cellAt(5, 0)->state().selected);
  EXPECT_EQ(
      table->columnDescription(0),
      ledger.header().model()->headerData(static_cast<int>(ledger.header().columns()[0]), Qt::Horizontal).toString());
  EXPECT_EQ(table->cellAt(-1, 0), nullptr);
  EXPECT_EQ(table->cellAt(table->rowCount(), 0), nullptr);
  EXPECT_EQ(access->child(-1), nullptr);
  EXPECT_EQ(access->child(access->childCount()), nullptr);
  EXPECT_NE(access->child(access->childCount() - 1), nullptr);
  EXPECT_EQ(access->childCount(), table->rowCount() * table->columnCount());
  EXPECT_EQ(table->selectedRows(), QList<int>{4});
  EXPECT_EQ(table->selectedCells().size(), table->columnCount());
}

TEST_F(Access, AFaultyLineSaysThatItIs)
{
  ASSERT_TRUE(focus().selectFault(true));
  QAccessibleTableInterface* const table = of(window().ledger())->tableInterface();
  const auto& columns = window().ledger().header().columns();
  const auto words = std::find(columns.begin(), columns.end(), LedgerColumn::Transaction) - columns.begin();
  EXPECT_TRUE(nameOf(table->cellAt(static_cast<int>(row()), static_cast<int>(words))).startsWith(u"faulty, "_s));
}

TEST_F(Access, ACellIsWhereItIsPaintedAndPicksItsLine)
{
  QAccessibleInterface* const access = of(window().ledger());
  QAccessibleInterface* const cell = access->tableInterface()->cellAt(6, 1);
  const QRect rect = cell->rect();
  ASSERT_FALSE(rect.isEmpty());
  EXPECT_EQ(access->childAt(rect.center().x(), rect.center().y()), cell);
  QTest::mouseClick(window().ledger().viewport(), Qt::LeftButton, {},
                    window().ledger().viewport()->mapFromGlobal(rect.center()));
  EXPECT_EQ(row(), 6U);
  access->tableInterface()->cellAt(9, 1)->actionInterface()->doAction(QAccessibleActionInterface::pressAction());
  EXPECT_EQ(row(), 9U);
  EXPECT_TRUE(access->tableInterface()->isRowSelected(9));
  EXPECT_TRUE(access->tableInterface()->cellAt(400, 1)->rect().isEmpty());
  EXPECT_TRUE(access->tableInterface()->cellAt(400, 1)->state().offscreen);
}

TEST_F(Access, WhoWalksThroughEverythingStillHearsIt)
{
  QAccessibleTableInterface* const table = of(window().ledger())->tableInterface();
  const int count = std::min(table->rowCount(), 1500);
  for (int r = 0; r < count; ++r) {
    for (int column = 0; column < table->columnCount(); ++column)
      ASSERT_NE(table->cellAt(r, column), nullptr);
  }
  EXPECT_FALSE(nameOf(table->cellAt(0, 0)).isEmpty());
}

TEST_F(Access, BytesLanesFieldsAndBitsAreLists)
{
  clickLedger(3);
  window().lower().show(window().bytes());
  ASSERT_TRUE(waitFor([this] { return window().bytes().view().stream().size() > 0; }));
  QAccessibleTableInterface* const bytes = of(window().bytes().view())->tableInterface();
  ASSERT_NE(bytes, nullptr);
  EXPECT_EQ(bytes->columnCount(), 3);
  EXPECT_EQ(nameOf(bytes->cellAt(1, 0)), u"0010"_s);
  EXPECT_EQ(nameOf(bytes->cellAt(1, 1)).split(u' ').size(), 16);

  QAccessibleInterface* const lanes = of(window().timeline());
  EXPECT_EQ(lanes->role(), QAccessible::List);
  ASSERT_EQ(lanes->childCount(), static_cast<int>(window().timeline().lanes().size()));
  EXPECT_TRUE(nameOf(lanes->child(0)).startsWith(u"bus sensors"_s));
  EXPECT_EQ(nameOf(lanes->child(1)), u"wire SCL"_s);
  EXPECT_EQ(lanes->child(1)->role(), QAccessible::ListItem);

  QAccessibleInterface* const fields = of(window().anatomy().fields());
  ASSERT_EQ(fields->childCount(), window().anatomy().fieldLines().size());
  EXPECT_TRUE(nameOf(fields->child(0)).contains(u", "_s));
  QAccessibleInterface* const bits = of(window().anatomy().bitStrip());
  ASSERT_EQ(bits->childCount(), static_cast<int>(window().anatomy().bitStrip().bits().size()));
  EXPECT_TRUE(nameOf(bits->child(0)).contains(u"sampled at"_s));

  QAccessibleInterface* const overview = of(window().overview());
  ASSERT_EQ(overview->childCount(), 2);
  EXPECT_TRUE(nameOf(overview->child(0)).startsWith(u"sensors, "_s));
}

TEST_F(Access, ACardIsAButtonAndANoticeAnAlert)
{
  QAccessibleInterface* const card = of(*window().buses().cards()[0]);
  ASSERT_EQ(card->role(), QAccessible::Button);
  EXPECT_EQ(nameOf(card), u"Bus sensors"_s);
  EXPECT_TRUE(card->state().collapsed);
  card->actionInterface()->doAction(QAccessibleActionInterface::pressAction());
  EXPECT_NE(editor(0), nullptr);
  EXPECT_TRUE(card->state().expanded);
  window().notice().showError(u"cannot be read"_s);
  QWidget* const line = window().notice().findChild<QLabel*>(u"notice"_s)->parentWidget();
  EXPECT_EQ(of(*line)->role(), QAccessible::AlertMessage);
  EXPECT_TRUE(nameOf(of(*line)).contains(u"cannot be read"_s));
}

TEST_F(Access, TabReachesEveryView)
{
  clickLedger(3);
  const std::vector<QWidget*> order = tabOrder();
  const auto reached = [&](QWidget& widget) { return std::find(order.begin(), order.end(), &widget) != order.end(); };
  EXPECT_TRUE(reached(window().overview()));
  EXPECT_TRUE(reached(window().timeline()));
  EXPECT_TRUE(reached(window().ledger()));
  EXPECT_TRUE(reached(window().ledger().header()));
  EXPECT_TRUE(reached(window().anatomy().fields()));
  EXPECT_TRUE(reached(window().anatomy().bitStrip()));
  EXPECT_TRUE(reached(*window().buses().cards()[0]));
}

TEST_F(Access, FieldsAndBitsAreWalkedByArrows)
{
  clickLedger(3);
  ui::FieldTable& fields = window().anatomy().fields();
  const Picoseconds before = focus().selection().at;
  const int first = fields.spokenCurrent();
  press(fields, Qt::Key_Down);
  EXPECT_EQ(fields.spokenCurrent(), first + 1);
  EXPECT_GT(focus().selection().at, before);
  press(fields, Qt::Key_Up);
  EXPECT_EQ(fields.spokenCurrent(), first);
  ui::BitStrip& bits = window().anatomy().bitStrip();
  bits.setFocus();
  EXPECT_EQ(bits.spokenCurrent(), 0);
  press(bits, Qt::Key_Right);
  press(bits, Qt::Key_Right);
  EXPECT_EQ(bits.spokenCurrent(), 2);
  press(bits, Qt::Key_Left);
  EXPECT_EQ(bits.spokenCurrent(), 1);
}

TEST_F(Access, TheOverviewMovesByKeys)
{
  focus().show({1ms, 2ms});
  press(window().overview(), Qt::Key_Right);
  EXPECT_NEAR(toSeconds(focus().axis().span().begin), 0.002, 1e-6);
  press(window().overview(), Qt::Key_Left);
  EXPECT_NEAR(toSeconds(focus().axis().span().begin), 0.001, 1e-6);
  press(window().overview(), Qt::Key_Plus);
  EXPECT_NEAR(toSeconds(focus().axis().span().length()), 0.001 / 1.5, 1e-6);
  press(window().overview(), Qt::Key_End);
  EXPECT_GT(focus().axis().span().end, engine().whole().end - 100ms);
}

TEST_F(Access, ColumnsAreMovedAndSizedByKeys)
{
  ui::LedgerHeader& header = window().ledger().header();
  const auto before = header.columns();
  ASSERT_GT(before.size(), 3U);
  press(header, Qt::Key_Right);
  press(header, Qt::Key_Right, Qt::ControlModifier);
  EXPECT_EQ(header.columns()[2], before[1]);
  EXPECT_EQ(header.columns()[1], before[2]);
  const int section = static_cast<int>(before[1]);
  const int width = header.sectionSize(section);
  press(header, Qt::Key_Plus);
  EXPECT_EQ(header.sectionSize(section), width + 8);
  press(header, Qt::Key_Minus);
  press(header, Qt::Key_Minus);
  EXPECT_EQ(header.sectionSize(section), width - 8);
  press(header, Qt::Key_Delete);
  EXPECT_FALSE(header.isShown(before[1]));
}

TEST_F(Access, AMarkerGoesFromEdgeToEdgeByKeys)
{
  const EdgeTrack& scl = engine().capture()->channels[0].track;
  const MarkerId marker = session().addMarker(scl.at(5) + 1ns);
  QTreeWidget& list = window().markers().list();
  list.setCurrentItem(list.topLevelItem(0));
  window().markers().wire().setCurrentText(u"SCL"_s);
  press(list, Qt::Key_Right, Qt::ControlModifier);
  EXPECT_EQ(session().value().find(marker)->time, scl.at(6));
  EXPECT_TRUE(session().value().find(marker)->edge.starts_with("SCL "));
  list.setCurrentItem(list.topLevelItem(0));
  press(list, Qt::Key_Left, Qt::ControlModifier);
  EXPECT_EQ(session().value().find(marker)->time, scl.at(5));
}

TEST_F(Access, TheKeyboardIsInTheCellOfTheCurrentLine)
{
  ui::LedgerView& ledger = window().ledger();
  QAccessibleInterface* const access = of(ledger);
  QAccessibleTableInterface* const table = access->tableInterface();
  ledger.setFocus();
  ASSERT_TRUE(table->selectRow(7));
  EXPECT_EQ(row(), 7U);
  EXPECT_FALSE(table->selectRow(-1));
  EXPECT_FALSE(table->selectRow(table->rowCount()));
  EXPECT_EQ(row(), 7U);
  EXPECT_EQ(access->focusChild(), table->cellAt(7, 0));
  EXPECT_TRUE(table->cellAt(7, 0)->state().focused);
  EXPECT_FALSE(table->cellAt(8, 0)->state().focused);
  EXPECT_EQ(table->selectedRowCount(), 1);
  EXPECT_EQ(table->selectedCellCount(), table->columnCount());
  EXPECT_EQ(table->selectedColumnCount(), 0);
  EXPECT_TRUE(table->selectedColumns().isEmpty());
  EXPECT_FALSE(table->isColumnSelected(0));
  EXPECT_FALSE(table->selectColumn(0));
  EXPECT_FALSE(table->unselectRow(7));
  EXPECT_FALSE(table->unselectColumn(0));
  window().timeline().setFocus();
  EXPECT_NE(access->focusChild(), table->cellAt(7, 0)) << "the keyboard is elsewhere";
  EXPECT_FALSE(table->cellAt(7, 0)->state().focused);
}

TEST_F(Access, ACellKnowsItsPlaceAndItsTable)
{
  QAccessibleInterface* const access = of(window().ledger());
  QAccessibleInterface* const cell = access->tableInterface()->cellAt(3, 2);
  QAccessibleTableCellInterface* const place = cell->tableCellInterface();
  ASSERT_NE(place, nullptr);
  EXPECT_EQ(place->rowIndex(), 3);
  EXPECT_EQ(place->columnIndex(), 2);
  EXPECT_EQ(place->rowExtent(), 1);
  EXPECT_EQ(place->columnExtent(), 1);
  EXPECT_EQ(place->table(), access);
  EXPECT_EQ(cell->parent(), access);
  EXPECT_EQ(cell->childCount(), 0);
  EXPECT_EQ(cell->child(0), nullptr);
  EXPECT_EQ(cell->indexOfChild(cell), -1);
  EXPECT_EQ(cell->actionInterface()->actionNames(), QStringList{QAccessibleActionInterface::pressAction()});
  // An item of a list is no cell of a table.
  QAccessibleInterface* const lane = of(window().timeline())->child(1);
  EXPECT_EQ(lane->tableCellInterface(), nullptr);
  EXPECT_EQ(of(window().timeline())->tableInterface(), nullptr);
  EXPECT_TRUE(lane->state().selectable);
  EXPECT_TRUE(lane->state().readOnly);
}

TEST_F(Access, BytesAreWhereTheyArePaintedAndPickTheirFrame)
{
  clickLedger(3);
  window().lower().show(window().bytes());
  ui::BytesView& view = window().bytes().view();
  ASSERT_TRUE(waitFor([&] { return view.stream().size() > 200; }));
  QAccessibleTableInterface* const table = of(view)->tableInterface();
  EXPECT_EQ(table->columnDescription(0), u"address"_s);
  EXPECT_EQ(table->columnDescription(1), u"hex"_s);
  EXPECT_EQ(table->columnDescription(2), u"text"_s);
  const auto rectOf = [&](std::uint64_t address) {
    const QRect rect = view.byteRect(address);
    return QRect(view.viewport()->mapToGlobal(rect.topLeft()), rect.size());
  };
  const auto wrap = nameOf(table->cellAt(0, 1)).split(u' ').size();
  const QRect hex = table->cellAt(2, 1)->rect();
  EXPECT_TRUE(hex.contains(rectOf(static_cast<std::uint64_t>(2 * wrap)).center()));
  EXPECT_TRUE(hex.contains(rectOf(static_cast<std::uint64_t>(3 * wrap - 1)).center()));
  EXPECT_FALSE(hex.contains(rectOf(static_cast<std::uint64_t>(3 * wrap)).center()));
  EXPECT_LE(table->cellAt(2, 0)->rect().right(), hex.left());
  EXPECT_LE(hex.right(), table->cellAt(2, 2)->rect().left());
  EXPECT_EQ(table->cellAt(2, 0)->rect().top(), hex.top());
  table->cellAt(2, 1)->actionInterface()->doAction(QAccessibleActionInterface::pressAction());
  ASSERT_TRUE(view.picked());
  EXPECT_EQ(view.picked()->first, static_cast<std::uint64_t>(2 * wrap));
  EXPECT_EQ(table->selectedRows(), QList<int>{2});
  EXPECT_TRUE(table->isRowSelected(2));
}

TEST_F(Access, ALaneIsWalkedToAndIsWhereItIsPainted)
{
  QAccessibleInterface* const lanes = of(window().timeline());
  window().timeline().setFocus();
  lanes->child(2)->actionInterface()->doAction(QAccessibleActionInterface::pressAction());
  EXPECT_TRUE(lanes->child(2)->state().selected);
  EXPECT_EQ(lanes->focusChild(), lanes->child(2));
  const ui::TimelineLane& lane = window().timeline().lanes().at(2);
  const QPoint top = window().timeline().viewport()->mapToGlobal(QPoint(0, ui::kRulerHeight + lane.top));
  EXPECT_EQ(lanes->child(2)->rect().topLeft(), top);
  EXPECT_EQ(lanes->child(2)->rect().height(), lane.height);
  EXPECT_EQ(lanes->child(2)->rect().width(), window().timeline().viewport()->width());
}
