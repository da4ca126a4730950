#include "ui/focus/focus.h"

#include <QSignalSpy>

#include "support/window_fixture.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

class FocusTest : public WindowTest {
 protected:
  void SetUp() override
  {
    WindowTest::SetUp();
    openDemo();
  }
  ui::Selection transaction(std::uint64_t number)
  {
    return {streamId(0, 0), transactionsOf(0).framesOf(number).first, transactionsOf(0).beginOf(number)};
  }
};

}  // namespace

TEST_F(FocusTest, RevealMovesOnlyAsFarAsNeededAndKeepsTheZoom)
{
  focus().show({100ms, 110ms});
  const double scale = focus().axis().picosecondsPerPixel();
  QSignalSpy moved(&focus(), &ui::Focus::axisChanged);
  focus().reveal({102ms, 103ms});
  EXPECT_EQ(moved.count(), 0) << "what is in view stays where it is";
  focus().reveal({500ms, 501ms});
  EXPECT_DOUBLE_EQ(focus().axis().picosecondsPerPixel(), scale);
  EXPECT_LE(focus().axis().span().begin, Picoseconds(500ms));
  EXPECT_GE(focus().axis().span().end, Picoseconds(501ms));
  focus().reveal({2s, 3s});
  EXPECT_GE(focus().axis().xOf(2s), 0.0) << "of what is longer than the view, its begin";
  EXPECT_LE(focus().axis().xOf(2s), focus().axis().width() * 0.1);
}

TEST_F(FocusTest, TheSameSelectionTwiceIsNoChange)
{
  focus().select(transaction(3));
  QSignalSpy changed(&focus(), &ui::Focus::selectionChanged);
  focus().select(transaction(3));
  EXPECT_EQ(changed.count(), 0);
  focus().select(transaction(4));
  EXPECT_EQ(changed.count(), 1);
}

TEST_F(FocusTest, NeighboursStopAtBothEnds)
{
  focus().select(transaction(0));
  focus().selectNeighbour(false);
  EXPECT_EQ(focus().selectedTransaction(), 0U);
  focus().selectNeighbour(true);
  EXPECT_EQ(focus().selectedTransaction(), 1U);
  const std::uint64_t last = transactionsOf(0).size() - 1;
  focus().select(transaction(last));
  focus().selectNeighbour(true);
  EXPECT_EQ(focus().selectedTransaction(), last);
}

TEST_F(FocusTest, FaultsComeInTheOrderOfTimeBothWays)
{
  focus().show({Picoseconds{0}, 1ms});
  std::vector<Picoseconds> forward;
  while (focus().selectFault(true))
    forward.push_back(focus().selectedTime().begin);
  EXPECT_TRUE(std::is_sorted(forward.begin(), forward.end()));
  std::vector<Picoseconds> backward{focus().selectedTime().begin};
  while (focus().selectFault(false))
    backward.push_back(focus().selectedTime().begin);
  std::reverse(backward.begin(), backward.end());
  EXPECT_EQ(forward, backward);
}

TEST_F(FocusTest, ANewCaptureForgetsPlacesOfTheOld)
{
  // Places with a selection and without: where one was, not only what was picked there.
  focus().zoomTo({1ms, 2ms});
  focus().select(transaction(3));
  focus().select(transaction(9));
  focus().goBack();
  session().addMarker(5ms);
  open(demoPath());
  EXPECT_FALSE(focus().selection().valid());
  EXPECT_TRUE(session().markers().empty());
  const TimeAxis axis = focus().axis();
  for (const bool back : {true, false}) {
    back ? focus().goBack() : focus().goForward();
    EXPECT_EQ(focus().axis(), axis) << back;
    EXPECT_FALSE(focus().selection().valid()) << back;
  }
  // What is new since is remembered.
  focus().select(transaction(4));
  focus().select(transaction(8));
  focus().goBack();
  EXPECT_EQ(focus().selection(), transaction(4));
}

TEST_F(FocusTest, GoingBackToAFrameThatIsGoneSelectsNothing)
{
  focus().select(transaction(3000));
  focus().select({streamId(1, 0), 4, Picoseconds{0}});
  // At a hundredth of the rate hardly a frame is left.
  Bus bus = engine().bus(0).wanted;
  bus.settings.edit<I2cSettings>().spike = 500us;
  session().changeBus(id(0), bus);
  ASSERT_TRUE(waitIdle());
  ASSERT_LT(transactionsOf(0).size(), 3000U);
  focus().goBack();
  EXPECT_FALSE(focus().selection().valid());
  EXPECT_FALSE(window().grab().isNull());
}

TEST_F(FocusTest, TheWindowMayBeAnySize)
{
  for (const QSize size : {QSize(700, 500), QSize(1920, 1200), QSize(1280, 800)}) {
    const TimeRange before = focus().axis().span();
    window().resize(size);
    QApplication::processEvents();
    EXPECT_EQ(focus().axis().width(), window().timeline().viewport()->width() - ui::kLaneHeader);
    EXPECT_EQ(focus().axis().span().begin, before.begin) << "resizing does not move what one looks at";
  }
}

TEST_F(FocusTest, AFaultIsNotOnlySelectedButShown)
{
  for (const bool forward : {true, true, true, false}) {
    focus().show({0s, 1ms});
    ASSERT_TRUE(focus().selectFault(forward));
    const TimeRange time = focus().selectedTime();
    EXPECT_GE(focus().axis().xOf(time.begin), 0.0);
    EXPECT_LT(focus().axis().xOf(time.begin), focus().axis().width());
  }
}
