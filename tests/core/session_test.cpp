#include <gtest/gtest.h>

#include "core/decode/bus_spec.h"
#include "core/session/edit.h"

using namespace bexto;
using namespace std::chrono_literals;

namespace {

const LaneKey& lane(const std::string& channel)
{
  static std::map<std::string, LaneKey> kept;
  return kept[channel] = LaneKey{BusId::None, {}, channel};
}

std::vector<LaneKey> lanesOf(std::initializer_list<const char*> channels)
{
  std::vector<LaneKey> keys;
  for (const char* channel : channels)
    keys.push_back(lane(channel));
  return keys;
}

Bus console()
{
  return *parseBusSpec("console=uart,tx=CONSOLE_TX,baud=115200");
}

/// Something of everything that a session holds.
Session full()
{
  Session session;
  addBus(session, *parseBusSpec("sensors=i2c,scl=SCL,sda=SDA"));
  const BusId bus = addBus(session, console());
  setConditioning(session, "SCL", {50ns, true});
  session.lanes.setHeight({bus, {}, {}}, 90);
  session.lanes.setFolded({bus, {}, {}}, true);
  addMarker(session, 3ms, "SCL rises");
  addNote(session, bus, 4ms, "late");
  session.filter = {"address:2A nack", {"nack"}};
  session.columns["all"] = {{"time", 120}, {"bus", 80}};
  session.source = "door.vcd";
  return session;
}

}  // namespace

TEST(LaneArrangement, MovingALaneKeepsThePlacesOfThoseThatAreNotInView)
{
  LaneArrangement arrangement;
  arrangement.setOrder(lanesOf({"a", "b", "c", "d", "e"}));
  // b and d are hidden while the others are moved.
  arrangement.setOrder(lanesOf({"e", "a", "c"}));
  EXPECT_EQ(arrangement.order(), lanesOf({"e", "a", "b", "c", "d"}));
  arrangement.setOrder(lanesOf({"c", "e", "a"}));
  EXPECT_EQ(arrangement.order(), lanesOf({"c", "d", "e", "a", "b"}));
  LaneArrangement first;
  first.setOrder(lanesOf({"a", "b", "c"}));
  first.setOrder(lanesOf({"c", "b"}));
  EXPECT_EQ(first.order(), lanesOf({"a", "c", "b"}));
}

TEST(LaneArrangement, LanesOfTwoBusesOnOneWireAreTwo)
{
  LaneArrangement arrangement;
  const LaneKey one{BusId{1}, "tx", "WIRE"};
  const LaneKey other{BusId{2}, "tx", "WIRE"};
  arrangement.setHidden(one, true);
  EXPECT_TRUE(arrangement.isHidden(one));
  EXPECT_FALSE(arrangement.isHidden(other));
  EXPECT_EQ(one.group(), (LaneKey{BusId{1}, "tx", {}}));
  EXPECT_EQ(lane("WIRE").group(), lane("WIRE"));
  EXPECT_FALSE(LaneKey().valid());
}

TEST(Session, IdsAreGivenOnce)
{
  Session session;
  const BusId first = addBus(session, console());
  removeBus(session, first);
  const BusId second = addBus(session, console());
  EXPECT_NE(first, second);
  EXPECT_EQ(session.find(first), nullptr);
  EXPECT_EQ(session.find(second)->bus.name, "console");
  const MarkerId a = addMarker(session, 1ms);
  removeMarker(session, a);
  EXPECT_NE(addMarker(session, 1ms), a);
}

TEST(Session, MarkersTakeTheNextFreeName)
{
  Session session;
  for (int i = 0; i < 28; ++i)
    addMarker(session, i * 1ms);
  EXPECT_EQ(session.markers[0].name, "A");
  EXPECT_EQ(session.markers[25].name, "Z");
  EXPECT_EQ(session.markers[26].name, "A2");
  EXPECT_EQ(session.markers[27].name, "B2");
  removeMarker(session, session.markers[2].id);
  addMarker(session, 1s);
  EXPECT_EQ(session.markers.back().name, "C");
}

TEST(Session, ANameIsUsedOnceAndHasNoBlanksAroundIt)
{
  Session session;
  const MarkerId a = addMarker(session, 1ms);
  const MarkerId b = addMarker(session, 2ms);
  renameMarker(session, a, "  reset\t");
  EXPECT_EQ(session.find(a)->name, "reset");
  renameMarker(session, b, "reset");
  EXPECT_EQ(session.find(b)->name, "B");
  renameMarker(session, b, "   ");
  EXPECT_EQ(session.find(b)->name, "B");
}

TEST(Session, ANoteIsFoundAgainAndKeptWhenNothingIsSaid)
{
  Session session;
  const BusId bus = addBus(session, console());
  const MarkerId note = addNote(session, bus, 2ms, "  why so late ");
  EXPECT_EQ(session.find(note)->note, "why so late");
  EXPECT_EQ(addNote(session, bus, 2ms, ""), note);
  EXPECT_EQ(session.find(note)->note, "why so late");
  EXPECT_EQ(addNote(session, bus, 2ms, "known"), note);
  EXPECT_EQ(session.find(note)->note, "known");
  EXPECT_NE(addNote(session, bus, 3ms, "other"), note);
  moveMarker(session, note, 9ms, "SCL falls");
  EXPECT_FALSE(session.find(note)->pin) << "it stands for that time now";
  EXPECT_EQ(session.find(note)->edge, "SCL falls");
}

TEST(Session, WhoChangesMoreThanTheNameHasSeenTheFormat)
{
  Session session;
  const BusId id = addBus(session, console());
  EXPECT_FALSE(session.find(id)->formatKnown);
  Bus bus = session.find(id)->bus;
  bus.name = "terminal";
  changeBus(session, id, bus);
  EXPECT_FALSE(session.find(id)->formatKnown);
  EXPECT_EQ(session.find(id)->bus.name, "terminal");
  ASSERT_TRUE(bus.set("baud", "9600"));
  changeBus(session, id, bus);
  EXPECT_TRUE(session.find(id)->formatKnown);
  EXPECT_EQ(session.find(id)->bus, bus);
}

TEST(Session, WhatIsGoneIsLeftAlone)
{
  Session session = full();
  const Session before = session;
  changeBus(session, BusId{99}, console());
  removeBus(session, BusId{99});
  moveMarker(session, MarkerId{99}, 1ms, {});
  renameMarker(session, MarkerId{99}, "x");
  setNote(session, MarkerId{99}, "x");
  removeMarker(session, MarkerId{99});
  EXPECT_EQ(session, before);
}

TEST(Session, AnotherCaptureKeepsBusesAndForgetsPlaces)
{
  Session session = full();
  session.view.span = {1ms, 2ms};
  takeCapture(session, "gate.vcd");
  EXPECT_EQ(session.source, "gate.vcd");
  EXPECT_TRUE(session.markers.empty());
  EXPECT_EQ(session.view, InView());
  EXPECT_EQ(session.buses, full().buses);
  EXPECT_EQ(session.conditioning, full().conditioning);
  EXPECT_EQ(session.lanes, full().lanes);
}

TEST(Edit, EveryPartGoesBackAndForthExactly)
{
  const std::vector<std::pair<const char*, std::function<void(Session&)>>> changes{
      {"add", [](Session& s) { addBus(s, console()); }},
      {"remove", [](Session& s) { removeBus(s, s.buses.front().id); }},
      {"order", [](Session& s) { std::swap(s.buses[0], s.buses[1]); }},
      {"rename", [](Session& s) { s.buses[1].bus.name = "terminal"; }},
      {"conditioning", [](Session& s) { setConditioning(s, "SCL", {}); }},
      {"lanes", [](Session& s) { s.lanes = {}; }},
      {"marker", [](Session& s) { addMarker(s, 7ms); }},
      {"note", [](Session& s) { setNote(s, s.markers[0].id, "here"); }},
      {"filter", [](Session& s) { s.filter.text += " read"; }},
      {"columns",
       [](Session& s) {
         s.columns["uart"] = {{"time", 99}};
       }},
      {"several", [](Session& s) { s.filter = {}, s.markers.clear(), s.buses.clear(); }},
  };
  for (const auto& [name, change] : changes) {
    Session session = full();
    const Edit edit = Edit::make(session, change);
    const Session after = session;
    EXPECT_FALSE(edit.empty()) << name;
    edit.undo(session);
    Session before = full();
    // Ids that were given stay given.
    before.lastBus = after.lastBus;
    before.lastMarker = after.lastMarker;
    EXPECT_EQ(session, before) << name;
    edit.redo(session);
    EXPECT_EQ(session, after) << name;
  }
}

TEST(Edit, SaysWhatItChangedAndNothingElse)
{
  Session session = full();
  const SessionChange renamed = Edit::make(session, [](Session& s) { s.buses[1].bus.name = "terminal"; }).change();
  EXPECT_FALSE(renamed.busList);
  EXPECT_EQ(renamed.buses, std::vector<BusId>{session.buses[1].id});
  EXPECT_FALSE(renamed.markers || renamed.lanes || renamed.conditioning || renamed.filter || renamed.columns);
  const SessionChange added = Edit::make(session, [](Session& s) { addBus(s, console()); }).change();
  EXPECT_TRUE(added.busList);
  EXPECT_TRUE(added.buses.empty());
  const SessionChange swapped = Edit::make(session, [](Session& s) { std::swap(s.buses[0], s.buses[1]); }).change();
  EXPECT_TRUE(swapped.busList);
  EXPECT_TRUE(swapped.buses.empty()) << "they are what they were";
  EXPECT_TRUE(Edit::make(session, [](Session& s) { s.filter = Session(s).filter; }).empty());
  EXPECT_TRUE(Edit::make(session, [](Session& s) { s.view.span = {1ms, 9ms}; }).empty()) << "looking is no change";
}

TEST(Edit, AGestureIsOneStep)
{
  Session session = full();
  const MarkerId id = session.markers[0].id;
  const Session before = session;
  Edit drag = Edit::make(session, [&](Session& s) { moveMarker(s, id, 5ms, {}); });
  drag.absorb(Edit::make(session, [&](Session& s) { moveMarker(s, id, 6ms, {}); }));
  drag.absorb(Edit::make(session, [&](Session& s) { s.filter.text = "read"; }));
  drag.undo(session);
  EXPECT_EQ(session, before);
  drag.redo(session);
  EXPECT_EQ(session.find(id)->time, Picoseconds(6ms));
  EXPECT_EQ(session.filter.text, "read");
}

TEST(Edit, AGestureThatComesBackToWhereItBeganIsNone)
{
  Session session = full();
  const std::string text = session.filter.text;
  Edit typed = Edit::make(session, [](Session& s) { s.filter.text = "x"; });
  typed.absorb(Edit::make(session, [&](Session& s) { s.filter.text = text; }));
  EXPECT_TRUE(typed.empty());
}

TEST(Edit, WhatWasFoundOutAboutABusHoldsForThePast)
{
  Session session;
  const Edit added = Edit::make(session, [](Session& s) { addBus(s, console()); });
  const BusId id = session.buses[0].id;
  Edit renamed = Edit::make(session, [](Session& s) { s.buses[0].bus.name = "terminal"; });
  const auto asText = [](SessionBus& bus) { bus.bus.format = ValueFormat::Text; };
  asText(session.buses[0]);
  renamed.amend(id, asText);
  renamed.amend(BusId{77}, [](SessionBus& bus) { bus.bus.name = "nobody"; });
  renamed.undo(session);
  EXPECT_EQ(session.buses[0].bus.name, "console");
  EXPECT_EQ(session.buses[0].bus.format, ValueFormat::Text);
  renamed.redo(session);
  EXPECT_EQ(session.buses[0].bus.format, ValueFormat::Text);
  added.undo(session);
  EXPECT_TRUE(session.buses.empty());
}

TEST(LaneArrangement, RanksAreThePlacesOfLanesThatWereMoved)
{
  LaneArrangement lanes;
  EXPECT_TRUE(lanes.ranks().empty());
  lanes.setOrder(lanesOf({"c", "a", "b"}));
  const auto ranks = lanes.ranks();
  ASSERT_EQ(ranks.size(), 3U);
  EXPECT_EQ(ranks.at(lanesOf({"c"})[0]), 0U);
  EXPECT_EQ(ranks.at(lanesOf({"b"})[0]), 2U);
}

TEST(LaneArrangement, FormatsColoursAndOpenedNumbersComeAndGo)
{
  const LaneKey number{BusId::None, {}, "n[7:0]"};
  LaneArrangement lanes;
  EXPECT_EQ(lanes.formatOf(number), ValueFormat::Hex);
  EXPECT_FALSE(lanes.isOpened(number));
  lanes.setFormat(number, ValueFormat::Decimal);
  lanes.setOpened(number, true);
  lanes.setColour("clk", WireColour::Violet);
  EXPECT_TRUE(lanes.touched());
  EXPECT_EQ(lanes.formatOf(number), ValueFormat::Decimal);
  EXPECT_TRUE(lanes.isOpened(number));
  EXPECT_EQ(lanes.colourOf("clk"), WireColour::Violet);
  EXPECT_EQ(lanes.colourOf("data"), std::nullopt);
  lanes.setFormat(number, ValueFormat::Hex);
  lanes.setOpened(number, false);
  lanes.setColour("clk", std::nullopt);
  EXPECT_FALSE(lanes.touched()) << "as if nobody had ever touched them";
  for (std::size_t i = 0; i < kWireColours.size(); ++i)
    EXPECT_EQ(static_cast<std::size_t>(kWireColours[i].colour), i);
}

TEST(Session, MarkersOfAnotherSegmentAreNotInView)
{
  Session session;
  session.segment = SegmentId{1};
  addMarker(session, 1ms);
  session.segment = SegmentId{2};
  addMarker(session, 2ms);
  const std::vector<Marker> before = session.markers;
  ASSERT_EQ(before.size(), 2U);
  ASSERT_EQ(markersInView(session).size(), 1U);
  EXPECT_EQ(markersInView(session)[0].time, Picoseconds{2ms});
  EXPECT_EQ(whereMarkersDiffer(before, before), SegmentId::None);
  removeMarkersOf(session, SegmentId{2});
  EXPECT_TRUE(markersInView(session).empty());
  ASSERT_EQ(session.markers.size(), 1U);
  EXPECT_EQ(whereMarkersDiffer(before, session.markers), SegmentId{2}) << "one that went";
  EXPECT_EQ(whereMarkersDiffer(session.markers, before), SegmentId{2}) << "one that came";
  std::vector<Marker> moved = before;
  moved[0].time = Picoseconds{3ms};
  EXPECT_EQ(whereMarkersDiffer(before, moved), SegmentId{1});
}

TEST(Session, ACaptureBringsTheBusesThatItsFramesAreOf)
{
  Session session = full();
  const std::size_t before = session.buses.size();
  session.segment = SegmentId{4};
  session.lastSegment = 4;
  takeCapture(session, "can.pcapng", {*parseBusSpec("drives=can,rx=can0,bitrate=500000")});
  ASSERT_EQ(session.buses.size(), before + 1);
  EXPECT_EQ(session.buses.back().bus.name, "drives");
  EXPECT_EQ(session.segment, SegmentId{1});
  EXPECT_EQ(session.lastSegment, 1U);
}

TEST(Session, APlotIsOfABusThatIsThereAndIsThereOnce)
{
  Session session;
  addBus(session, *parseBusSpec("a=uart,rx=RX,baud=9600"));
  addBus(session, *parseBusSpec("b=uart,rx=RX,baud=9600"));
  const BusId a = session.buses[0].id;
  const BusId b = session.buses[1].id;
  addPlot(session, {a, {"LT-20", "level", "level"}});
  addPlot(session, {b, {"LT-20", "level", "level"}});
  addPlot(session, {a, {"LT-20", "state", "state"}});
  EXPECT_EQ(session.plots.size(), 3U);
  Plot joined{a, {"LT-20", "level", "level"}};
  joined.joined = true;
  addPlot(session, joined);
  ASSERT_EQ(session.plots.size(), 3U) << "the same one, painted otherwise";
  EXPECT_TRUE(session.plots[0].joined);
  EXPECT_FALSE(session.plots[1].joined);
  addPlot(session, {static_cast<BusId>(99), {"LT-20", "level", "level"}});
  EXPECT_EQ(session.plots.size(), 3U) << "of no bus";
  removePlot(session, {a, {"LT-20", "level", "level"}});
  ASSERT_EQ(session.plots.size(), 2U);
  EXPECT_EQ(session.plots[0].bus, b);
  EXPECT_EQ(session.plots[1].of.value, "state");
  removeBus(session, a);
  ASSERT_EQ(session.plots.size(), 1U) << "those of a bus go with it";
  EXPECT_EQ(session.plots[0].bus, b);
}

TEST(Session, SheetsAndBooksGoToTheBusThatIsMeant)
{
  Session session;
  addBus(session, *parseBusSpec("a=uart,rx=RX,baud=9600"));
  addBus(session, *parseBusSpec("b=uart,rx=RX,baud=9600"));
  setSheets(session, session.buses[1].id, SheetTexts(std::vector<SheetText>{{"one.yaml", "1"}}));
  setBooks(session, session.buses[0].id, SheetTexts(std::vector<SheetText>{{"two.yaml", "2"}}));
  EXPECT_TRUE(session.buses[0].bus.sheets.empty());
  EXPECT_EQ(session.buses[1].bus.sheets.list().size(), 1U);
  EXPECT_EQ(session.buses[0].bus.books.list().size(), 1U);
  EXPECT_TRUE(session.buses[1].bus.books.empty());
}
