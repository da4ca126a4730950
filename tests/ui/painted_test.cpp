// What is on the screen: the other tests ask the parts what they know, these look at what they paint.
#include <QSignalSpy>
#include <QToolButton>
#include <QTreeView>
#include <QTreeWidget>
#include <map>

#include "core/view/overview.h"
#include "support/recorded_text.h"
#include "support/window_fixture.h"
#include "ui/anatomy/anatomy_panel.h"
#include "ui/bytes/bytes_view.h"
#include "ui/checks/checks_page.h"
#include "ui/checks/findings_page.h"
#include "ui/timeline/lane_heads.h"
#include "ui/timeline/timeline_painter.h"
#include "ui/window/lower_area.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;
using namespace Qt::StringLiterals;

namespace {

class Painted : public WindowTest {
 protected:
  void SetUp() override
  {
    WindowTest::SetUp();
    openDemo();
    QApplication::processEvents();
  }
  static QImage picture(QWidget& widget) { return widget.grab().toImage().convertToFormat(QImage::Format_RGB32); }
  /// Pixels of the rectangle that are not of the colour that most of it has.
  static int drawn(const QImage& image, QRect rect)
  {
    std::map<QRgb, int> colours;
    rect = rect.intersected(image.rect());
    for (int y = rect.top(); y <= rect.bottom(); ++y) {
      for (int x = rect.left(); x <= rect.right(); ++x)
        ++colours[image.pixel(x, y)];
    }
    int most = 0;
    for (const auto& [colour, count] : colours)
      most = std::max(most, count);
    return rect.width() * rect.height() - most;
  }
  static bool isNear(QRgb a, const QColor& b)
  {
    return std::abs(qRed(a) - b.red()) + std::abs(qGreen(a) - b.green()) + std::abs(qBlue(a) - b.blue()) < 60;
  }
  static int countOf(const QImage& image, QRect rect, const QColor& colour)
  {
    int count = 0;
    rect = rect.intersected(image.rect());
    for (int y = rect.top(); y <= rect.bottom(); ++y) {
      for (int x = rect.left(); x <= rect.right(); ++x)
        count += isNear(image.pixel(x, y), colour) ? 1 : 0;
    }
    return count;
  }
  const ui::TimelineLane& lane(std::size_t i) { return window().timeline().lanes().at(i); }
  QRect laneRect(std::size_t i)
  {
    return {ui::kLaneHeader, ui::kRulerHeight + lane(i).top, window().timeline().viewport()->width() - ui::kLaneHeader,
            lane(i).height};
  }
  const ui::Palette& colours() { return ui::theme().colours(); }
};

}  // namespace

TEST_F(Painted, ABusLaneHasASentenceItsFieldsAndItsBitsWhereTheyWere)
{
  const Transactions& t = transactionsOf(0);
  focus().show(spanAround(t.timeOf(3), 0.5));
  const QImage image = picture(*window().timeline().viewport());
  const int begin = static_cast<int>(window().timeline().xOf(t.timeOf(3).begin));
  const int end = static_cast<int>(window().timeline().xOf(t.timeOf(3).end));
  const QRect all = laneRect(0);
  const QRect inside(begin + 4, all.top() + 2, end - begin - 8, 20);
  EXPECT_GT(drawn(image, inside), 200) << "what was said";
  EXPECT_GT(drawn(image, inside.translated(0, 20)), 200) << "the fields";
  // Nothing was said before; only the lane's own rule is there.
  const QRect before(all.left() + 2, all.top() + 4, begin - all.left() - 12, all.height() - 12);
  EXPECT_EQ(drawn(image, before), 0);
  // Closer, each bit stands over the point where it was sampled.
  focus().show({t.timeOf(3).begin, t.timeOf(3).begin + 40us});
  const QImage close = picture(*window().timeline().viewport());
  EXPECT_GT(drawn(close, QRect(all.left() + 40, all.top() + 53, 500, 13)), 100);
}

TEST_F(Painted, AWireIsHighAboveAndLowBelow)
{
  const EdgeTrack& scl = engine().capture()->channels[0].track;
  const Transactions& t = transactionsOf(0);
  focus().show(spanAround(t.timeOf(3), 0.0));
  const QImage image = picture(*window().timeline().viewport());
  const QRect rect = laneRect(1);
  int looked = 0;
  for (std::uint64_t i = 0; i + 1 < scl.size() && looked < 12; ++i) {
    const Picoseconds middle = scl.at(i) + (scl.at(i + 1) - scl.at(i)) / 2;
    const double x = window().timeline().xOf(middle);
    const double wide = window().timeline().xOf(scl.at(i + 1)) - window().timeline().xOf(scl.at(i));
    if (x < rect.left() + 5 || x > rect.right() - 5 || wide < 4.0)
      continue;
    const bool high = scl.levelBefore(i + 1);
    int top = -1;
    int bottom = -1;
    for (int y = rect.top(); y <= rect.bottom() - 2; ++y) {
      if (isNear(image.pixel(static_cast<int>(x), y), colours().ink)) {
        top = top < 0 ? y : top;
        bottom = y;
      }
    }
    ASSERT_GE(top, 0) << "no line at " << x;
    EXPECT_EQ(top, bottom) << "one line, " << x;
    EXPECT_EQ(top < rect.center().y(), high) << "at " << x;
    ++looked;
  }
  EXPECT_GE(looked, 8);
}

TEST_F(Painted, WiresUseThePixelsOfAFineScreen)
{
  const EdgeTrack& scl = engine().capture()->channels[0].track;
  constexpr int kWidth = 400;
  // The edge is half a pixel of the window off: that is a whole pixel of this screen.
  const Picoseconds begin = scl.at(40) - Picoseconds{100500};
  const TimeAxis axis({begin, begin + Picoseconds{std::int64_t{kWidth} * 1000}}, kWidth);
  const auto columnsOf = [&](double fine) {
    QImage image(QSize(kWidth + ui::kLaneHeader, 200) * fine, QImage::Format_RGB32);
    image.setDevicePixelRatio(fine);
    image.fill(colours().ground);
    QPainter painter(&image);
    ui::TimelinePainter(painter, engine(), {}, focus(), axis)
        .lanes({lane(1)}, QRect(0, 0, kWidth + ui::kLaneHeader, 200), lane(1).top);
    painter.end();
    std::vector<int> ink;
    const int y = static_cast<int>(lane(1).height / 2 * fine);
    for (int x = static_cast<int>(ui::kLaneHeader * fine); x < image.width(); ++x) {
      if (isNear(image.pixel(x, y), colours().ink))
        ink.push_back(x - static_cast<int>(ui::kLaneHeader * fine));
    }
    return ink;
  };
  EXPECT_EQ(columnsOf(1.0), std::vector<int>{100});
  EXPECT_EQ(columnsOf(2.0), (std::vector<int>{201, 202})) << "as wide as before, and where it is";
}

TEST_F(Painted, LedgerLinesSayWhatWasSaid)
{
  const QImage image = picture(*window().ledger().viewport());
  ui::LedgerHeader& header = window().ledger().header();
  for (std::uint64_t r = 1; r < 6; ++r) {  // the first has none before it
    const QRect line = window().ledger().lineRect({r, 0});
    for (const LedgerColumn column : header.columns())
      EXPECT_GT(drawn(image, header.rectOf(column, line.top(), line.height()).adjusted(8, 2, -4, -3)), 30)
          << r << " column " << static_cast<int>(column);
  }
  window().ledgers().filter().setText(u"address:7F"_s);
  ASSERT_TRUE(waitFor([this] { return !window().ledgers().filter().isScanning() && rows().shownCount() == 0; }));
  const QImage nothing = picture(*window().ledger().viewport());
  EXPECT_EQ(drawn(nothing, QRect(header.rectOf(LedgerColumn::Time, 0, 20).left(), 2, 100, 18)), 0);
}

TEST_F(Painted, AFaultyLineIsOfAnotherColourAndTheSelectedOneMarked)
{
  ASSERT_TRUE(focus().selectFault(true));
  QApplication::processEvents();
  const QImage image = picture(*window().ledger().viewport());
  const QRect faulty = window().ledger().lineRect({row(), 0});
  EXPECT_GT(countOf(image, faulty, colours().fault), 20);
  EXPECT_GT(countOf(image, faulty, colours().selection), faulty.width() * faulty.height() / 2);
  const QRect other = window().ledger().lineRect({row() - 1, 0});
  EXPECT_EQ(countOf(image, other, colours().fault), 0);
}

TEST_F(Painted, TheOverviewShowsTrafficAndPointsAtFaults)
{
  const QImage image = picture(window().overview());
  const ui::StreamView& stream = engine().bus(0).streams[0];
  ASSERT_FALSE(stream.faulty.empty());
  const double whole = toSeconds(engine().whole().end);
  constexpr int kLeft = 224;
  const int wide = image.width() - kLeft - 8;
  for (const std::uint32_t frame : stream.faulty) {
    const double at = toSeconds(stream.transactions.frames().frame(frame).time.begin) / whole;
    const int x = kLeft + static_cast<int>(at * wide);
    EXPECT_GT(countOf(image, QRect(x - 3, 1, 8, 8), colours().fault), 5) << "the arrow at " << x;
    EXPECT_GT(countOf(image, QRect(x - 1, 11, 4, 10), colours().fault), 3) << "the tick at " << x;
  }
  const QRect traffic(kLeft, 12, wide, 8);
  EXPECT_GT(traffic.width() * traffic.height() - countOf(image, traffic, colours().panel), wide);
  EXPECT_GT(drawn(image, QRect(120, 10, 96, 14)), 40) << "its name";
  // A bus that has gone leaves no picture behind, a new name is a new picture.
  Bus renamed = engine().bus(0).wanted;
  renamed.name = "climate";
  session().changeBus(id(0), renamed);
  EXPECT_NE(picture(window().overview()), image);
  session().undo();
  EXPECT_EQ(picture(window().overview()), image) << "nothing is left of the other name";
  session().removeBus(id(0));
  EXPECT_EQ(countOf(picture(window().overview()), QRect(kLeft, 1, wide, 8), colours().fault), 0);
}

TEST_F(Painted, TheOverviewFollowsABusToItsOtherWire)
{
  auto capture = std::make_shared<Capture>(*longTalk(64));
  const Channel early = capture->channels[0];
  std::vector<std::int64_t> later;
  for (std::uint64_t i = 0; i < early.track.size(); ++i)
    later.push_back((early.track.at(i) + capture->end).count());
  capture->channels.push_back({"LATER", "LATER", trackOf(true, later)});
  capture->end += capture->end;
  session().removeBus(id(1));
  session().removeBus(id(0));
  engine().setCapture(capture, u"talk.vcd"_s);
  addBus("talk=uart,rx=TALK,baud=100000");
  const QImage before = picture(window().overview());
  session().changeBus(id(0), *parseBusSpec("talk=uart,rx=LATER,baud=100000"));
  ASSERT_TRUE(waitIdle());
  const QImage after = picture(window().overview());
  EXPECT_NE(after, before);
  session().removeBus(id(0));
  addBus("talk=uart,rx=LATER,baud=100000");
  EXPECT_EQ(picture(window().overview()), after) << "as if it had been there from the first";
}

TEST_F(Painted, BytesArePaintedAndThoseOfTheSelectionMarked)
{
  clickLedger(3);
  window().lower().show(window().bytes());
  ui::BytesView& view = window().bytes().view();
  ASSERT_TRUE(waitFor([&] { return view.picked().has_value(); }));
  const QImage image = picture(*view.viewport());
  for (std::uint64_t a = 0; a < 64; ++a) {
    const QRect cell = view.byteRect(a);
    ASSERT_FALSE(cell.isEmpty());
    EXPECT_GT(drawn(image, cell.adjusted(0, 3, 0, -4)), 8) << a;
  }
  const QRect marked = view.byteRect(view.picked()->first);
  EXPECT_GT(countOf(image, marked, colours().selection), marked.width() * marked.height() / 3);
}

TEST_F(Painted, NamesInTheOverviewAreMuted)
{
  const QRect names(100, 10, 120, 30);
  EXPECT_GT(countOf(picture(window().overview()), names, colours().muted), 30);
}

TEST_F(Painted, AWireHasTheDotsOfItsOwnBusOnly)
{
  // Without its lane, the console's wire stands right behind the sensors' lanes.
  LaneArrangement lanes = session().value().lanes;
  lanes.setHidden({id(1), "tx", {}}, true);
  session().setLanes(u"hide"_s, lanes);
  focus().show(transactionsOf(0).timeOf(3));
  ASSERT_EQ(lane(3).name, u"CONSOLE_TX"_s);
  const QImage image = picture(*window().timeline().viewport());
  EXPECT_GT(countOf(image, laneRect(2), colours().payload), 20) << "dots on SDA";
  EXPECT_EQ(countOf(image, laneRect(3), colours().payload), 0);
  EXPECT_EQ(countOf(image, laneRect(3), colours().address), 0);
}

TEST_F(Painted, TheScrollBarStandsWhereTheListDoes)
{
  ui::LedgerView& ledger = window().ledger();
  QScrollBar* const bar = ledger.verticalScrollBar();
  ledger.setFocus();
  QTest::keyClick(&ledger, Qt::Key_End);
  EXPECT_GT(bar->maximum(), 100);
  EXPECT_EQ(bar->value(), bar->maximum());
  focus().select({streamId(0, 0), 1000, {}});
  EXPECT_EQ(ledger.lineRect({static_cast<std::uint64_t>(bar->value()), 0}).top(), 0);
  EXPECT_GT(bar->value(), 0);
  EXPECT_LT(bar->value(), bar->maximum());
}

TEST_F(Painted, AMarkerHasAFlagAndALineThroughTheLanes)
{
  focus().show({1ms, 2ms});
  session().addMarker(1500us);
  const QImage image = picture(*window().timeline().viewport());
  const int x = static_cast<int>(window().timeline().xOf(1500us));
  EXPECT_GT(countOf(image, QRect(x - 6, 3, 12, 12), colours().address), 60);
  const QRect line(x - 1, 40, 3, 100);
  session().clearMarkers();
  const QImage without = picture(*window().timeline().viewport());
  int other = 0;
  for (int y = line.top(); y <= line.bottom(); ++y)
    other += image.pixel(x, y) != without.pixel(x, y) || image.pixel(x - 1, y) != without.pixel(x - 1, y) ? 1 : 0;
  EXPECT_GT(other, 40) << "dashes";
  EXPECT_LT(other, 95);
}

TEST_F(Painted, TheAnatomyShowsFieldsAndBits)
{
  clickLedger(3);
  QApplication::processEvents();
  ui::FieldTable& fields = window().anatomy().fields();
  const QImage image = picture(fields);
  for (int i = 0; i < fields.spokenRows(); ++i) {
    const QRect line(0, i * ui::FieldTable::kRowHeight, fields.width(), ui::FieldTable::kRowHeight);
    EXPECT_GT(drawn(image, line.adjusted(8, 2, -150, -2)), 30) << i;
  }
  ui::BitStrip& bits = window().anatomy().bitStrip();
  const QImage strip = picture(bits);
  for (int i = 0; i < bits.spokenRows(); ++i)
    EXPECT_GT(drawn(strip, bits.spokenRect(i, 0)), 12) << i;
}

TEST_F(Painted, ABitMuchTooLongOrTooShortHasABarOfAnotherColour)
{
  ui::BitStrip strip;
  strip.resize(240, 80);
  std::vector<Bit> bits(3);
  bits[0].actual = 1200ns;
  bits[1].actual = 1300ns;
  bits[2].actual = 700ns;
  strip.show(bits, 1us);
  const QImage image = picture(strip);
  for (int i = 0; i < 3; ++i) {
    const QRect cell = strip.spokenRect(i, 0);
    EXPECT_TRUE(isNear(image.pixel(cell.left() + 4, 35), i == 0 ? colours().payload : colours().fault)) << i;
  }
}

TEST_F(Painted, WiresWithoutALaneAreCountedAndShownWhenAsked)
{
  auto many = std::make_shared<Capture>(*longTalk(20));
  for (int i = 0; i < 100; ++i)
    many->channels.push_back({"w" + std::to_string(i), "w" + std::to_string(i), many->channels[0].track});
  engine().setCapture(many, u"many.vcd"_s);
  auto* more = window().timeline().findChild<QToolButton*>(u"moreWires"_s);
  EXPECT_EQ(window().timeline().lanes().size(), ui::kMostLooseWires);
  EXPECT_TRUE(more->text().startsWith(u"37 more wires"_s)) << more->text().toStdString();
  QScrollBar* const bar = window().timeline().verticalScrollBar();
  bar->setValue(bar->maximum());
  ASSERT_TRUE(more->isVisible());
  EXPECT_TRUE(window().timeline().viewport()->rect().contains(more->geometry()));
  QTest::mouseClick(more, Qt::LeftButton);
  EXPECT_EQ(window().timeline().lanes().size(), 101U);
  EXPECT_FALSE(more->isVisible());
  session().undo();
  EXPECT_EQ(window().timeline().lanes().size(), ui::kMostLooseWires);
}

TEST_F(Painted, ALongNameIsCutOnlyWhereSomethingStandsBesideIt)
{
  const QFontMetrics letters(ui::theme().words(12, true));
  QString name;
  while (letters.horizontalAdvance(name + u'r') <= ui::kLaneHeader - 16)
    name += u'r';
  Bus renamed = engine().bus(0).wanted;
  renamed.name = name.toStdString();
  session().changeBus(id(0), renamed);
  const auto isWhole = [&] { return textsOn(*window().timeline().viewport()).contains(name); };
  EXPECT_TRUE(isWhole());
  window().timeline().heads().setFolded(lane(0), true);
  window().timeline().heads().resize(0, 60);
  ASSERT_EQ(lane(0).height, 60);
  EXPECT_TRUE(isWhole());
  window().timeline().heads().resize(0, 30);
  EXPECT_FALSE(isWhole()) << "the sign of what is folded is beside it";
}

TEST_F(Painted, ALongDecodeCanBeStoppedInItsCardAndBegunAgain)
{
  engine().setCapture(longTalk(3000000), u"talk.vcd"_s);
  session().addBus(*parseBusSpec("talk=uart,tx=TALK,baud=100000"));
  ui::BusCard* const card = window().buses().cards().at(2);
  auto* stop = card->findChild<QToolButton*>(u"stopDecode"_s);
  ASSERT_TRUE(waitFor([&] { return engine().bus(2).frameCount() > 1000; }));
  ASSERT_TRUE(engine().bus(2).decoding);
  stop->click();
  EXPECT_FALSE(engine().bus(2).decoding);
  EXPECT_TRUE(engine().bus(2).stopped);
  QTest::qWait(100);
  const std::uint64_t kept = engine().bus(2).frameCount();
  EXPECT_GT(kept, 1000U) << "what it found stays";
  EXPECT_LT(kept, 3000000U);
  EXPECT_TRUE(card->lines().join(u' ').contains(u"stopped at"_s)) << card->lines().join(u'|').toStdString();
  ASSERT_TRUE(stop->isVisible());
  QTest::mouseClick(stop, Qt::LeftButton);
  ASSERT_TRUE(waitIdle());
  EXPECT_EQ(engine().bus(2).frameCount(), 3000000U);
  EXPECT_FALSE(stop->isVisible());
}

TEST_F(Painted, ANewCaptureShowsNothingOfAnOldFilter)
{
  window().ledgers().filter().setText(u"address:2A"_s);
  ASSERT_TRUE(waitFor([this] { return !window().ledgers().filter().isScanning() && rows().shownCount() > 0; }));
  engine().setCapture(longTalk(2000), u"talk.vcd"_s);
  EXPECT_EQ(rows().shownCount(), 0U);
  session().addBus(*parseBusSpec("talk=uart,tx=TALK,baud=100000"));
  ASSERT_TRUE(waitIdle());
  ASSERT_TRUE(waitFor([this] { return !window().ledgers().filter().isScanning(); }));
  EXPECT_EQ(rows().shownCount(), 0U);
  window().ledgers().filter().setText(u"bus:talk"_s);
  ASSERT_TRUE(waitFor([this] { return rows().shownCount() == 125; }));
}

TEST_F(Painted, EveryControlStandsInTheWindowAndOverNoOther)
{
  clickLedger(3);
  QApplication::processEvents();
  std::vector<std::pair<QString, QRect>> seen;
  for (const char* name : {"open", "export", "commandBox", "addBus", "filter", "search", "ledgerForm", "beside"}) {
    auto* const control = window().findChild<QWidget*>(QString::fromLatin1(name));
    ASSERT_NE(control, nullptr) << name;
    EXPECT_TRUE(control->isVisible()) << name;
    const QRect at(control->mapTo(&window(), QPoint(0, 0)), control->size());
    EXPECT_TRUE(window().rect().contains(at)) << name;
    EXPECT_GT(at.width() * at.height(), 300) << name;
    for (const auto& [other, rect] : seen)
      EXPECT_FALSE(rect.intersects(at)) << name << " over " << other.toStdString();
    seen.emplace_back(QString::fromLatin1(name), at);
  }
}

TEST_F(Painted, ARowShowsTheMarkersThatCameBeforeIt)
{
  ui::LedgerHeader& header = window().ledger().header();
  const auto flagAt = [&](std::uint64_t r) {
    const QRect line = window().ledger().lineRect({r, 0});
    const QRect words = header.rectOf(LedgerColumn::Transaction, line.top(), line.height());
    return countOf(picture(*window().ledger().viewport()), QRect(words.right() - 130, line.top(), 130, line.height()),
                   colours().address);
  };
  const int without = flagAt(4);
  session().addMarker(rows().visible({4, 0}, 1, 4).front().begin - 1us);
  EXPECT_GT(flagAt(4), without + 60);
  EXPECT_EQ(flagAt(5), flagAt(6)) << "no other row has it";
}

TEST_F(Painted, ANoteStandsBehindWhatWasSaid)
{
  clickLedger(3);
  ui::LedgerHeader& header = window().ledger().header();
  const QRect line = window().ledger().lineRect({3, 0});
  const QRect words = header.rectOf(LedgerColumn::Transaction, line.top(), line.height());
  const QImage before = picture(*window().ledger().viewport());
  session().addNote(id(0), focus().selectedTime().begin, u"why"_s);
  const QImage after = picture(*window().ledger().viewport());
  const auto lastInk = [&](const QImage& image) {
    for (int x = words.right() - 2; x > words.left(); --x) {
      if (drawn(image, QRect(x, line.top() + 4, 1, line.height() - 8)) > 0)
        return x;
    }
    return 0;
  };
  const int end = lastInk(before);
  EXPECT_GT(lastInk(after), end + 20);
  const QRect said(words.left(), line.top(), end - words.left(), line.height());
  EXPECT_EQ(before.copy(said), after.copy(said)) << "and hides nothing of it";
}

TEST_F(Painted, AMistakeInTheFilterIsUnderlinedAtItsPlace)
{
  ui::QueryEdit& edit = window().ledgers().bar().filterEdit();
  edit.setFocus();
  edit.setText(u"read address:zz nack"_s);
  QApplication::processEvents();
  const QRect mistake = edit.mistakeRect();
  ASSERT_FALSE(mistake.isEmpty());
  const QImage image = picture(edit);
  EXPECT_GT(countOf(image, mistake.adjusted(-1, -1, 1, 1), colours().fault), mistake.width() / 3);
  EXPECT_EQ(countOf(image, QRect(mistake.left() - 30, mistake.top(), 20, mistake.height()), colours().fault), 0);
  edit.setText(u"read address:2A nack"_s);
  EXPECT_TRUE(edit.mistakeRect().isEmpty());
  EXPECT_EQ(countOf(picture(edit), mistake, colours().fault), 0);
}

TEST_F(Painted, AnEmptyListHasNothingToScroll)
{
  EXPECT_GT(window().ledger().verticalScrollBar()->maximum(), 100);
  window().ledgers().filter().setText(u"address:7F"_s);
  ASSERT_TRUE(waitFor([this] { return !window().ledgers().filter().isScanning() && rows().shownCount() == 0; }));
  EXPECT_EQ(window().ledger().verticalScrollBar()->maximum(), 0);
}

TEST_F(Painted, ThePickedLineOfAListShowsWhetherTheKeyboardIsThere)
{
  const auto check = [&](QAbstractItemView& list, int row, const char* name) {
    ASSERT_GT(list.model()->rowCount(), row) << name;
    const auto rowNow = [&] {
      QApplication::processEvents();
      return picture(*list.viewport()).copy(list.visualRect(list.model()->index(row, 0)));
    };
    const QImage plain = rowNow();
    list.setCurrentIndex(list.model()->index(row, 0));
    list.setFocus();
    const QImage here = rowNow();
    window().timeline().setFocus();
    const QImage elsewhere = rowNow();
    EXPECT_NE(here, elsewhere) << name;
    EXPECT_NE(elsewhere, plain) << name << " stays picked";
  };
  ASSERT_TRUE(waitFor([this] { return window().verdicts().of(id(0)) != nullptr && !window().verdicts().isBusy(); }));
  window().lower().show(window().checks());
  check(window().checks().list(), 1, "checks");  // behind the head of the bus
  window().lower().show(window().findings());
  check(window().findings().list(), 0, "findings");
}
