// Things with an identity have a row each; how the window is arranged is JSON (RFC 8259) in one row a part, because
// nobody asks for a piece of it.
//
// Tested by tests/core/session_store_test.cpp.
#include "core/store/session_value.h"

#include <algorithm>
#include <map>
#include <nlohmann/json.hpp>
#include <optional>

#include "core/base/say.h"
#include "core/decode/protocol.h"
#include "core/store/plan_json.h"

namespace bexto {

namespace {

using Json = nlohmann::json;

/// What is typed or read is UTF-8; a byte that is not must not lose the row.
std::string dumped(const Json& json)
{
  return json.dump(-1, ' ', false, Json::error_handler_t::replace);
}

std::int64_t numberOf(BusId id)
{
  return static_cast<std::int64_t>(id);
}

Json jsonOf(const LaneKey& key)
{
  Json json = Json::object();
  if (key.bus != BusId::None)
    json["bus"] = numberOf(key.bus);
  if (!key.line.empty())
    json["line"] = key.line;
  if (!key.channel.empty())
    json["channel"] = key.channel;
  return json;
}

LaneKey laneOf(const Json& json)
{
  return {static_cast<BusId>(json.value("bus", std::uint32_t{0})), json.value("line", std::string()),
          json.value("channel", std::string())};
}

Json jsonOf(const LaneArrangement& lanes)
{
  Json json = {{"all_wires", lanes.hasAllWires()},
               {"still_wires", lanes.hasStillWires()},
               {"loose_folded", lanes.areLooseFolded()},
               {"names", lanes.names()}};
  for (const auto& [name, keys] : {std::pair("hidden", &lanes.hidden()), std::pair("folded", &lanes.folded()),
                                   std::pair("opened", &lanes.opened())}) {
    Json& list = json[name] = Json::array();
    for (const LaneKey& key : *keys)
      list.push_back(jsonOf(key));
  }
  Json& order = json["order"] = Json::array();
  for (const LaneKey& key : lanes.order())
    order.push_back(jsonOf(key));
  Json& heights = json["heights"] = Json::array();
  for (const auto& [key, height] : lanes.heights())
    heights.push_back({{"lane", jsonOf(key)}, {"height", height}});
  Json& formats = json["formats"] = Json::array();
  for (const auto& [key, format] : lanes.formats())
    formats.push_back({{"lane", jsonOf(key)}, {"format", formatName(format)}});
  Json& colours = json["colours"] = Json::object();
  for (const auto& [channel, colour] : lanes.colours())
    colours[channel] = kWireColours.at(static_cast<std::size_t>(colour)).letters;
  return json;
}

std::optional<ValueFormat> formatOf(const std::string& name)
{
  for (int i = 0; i < kValueFormats; ++i) {
    if (name == formatName(static_cast<ValueFormat>(i)))
      return static_cast<ValueFormat>(i);
  }
  return std::nullopt;
}

/// Throws what nlohmann::json does when something is of another type.
LaneArrangement arrangementOf(const Json& json)
{
  LaneArrangement lanes;
  lanes.setAllWires(json.value("all_wires", false));
  lanes.setStillWires(json.value("still_wires", false));
  lanes.setLooseFolded(json.value("loose_folded", false));
  const Json none = Json::array();
  const auto list = [&](const char* name) -> const Json& { return json.contains(name) ? json.at(name) : none; };
  for (const Json& key : list("hidden"))
    lanes.setHidden(laneOf(key), true);
  for (const Json& key : list("folded"))
    lanes.setFolded(laneOf(key), true);
  for (const Json& key : list("opened"))
    lanes.setOpened(laneOf(key), true);
  std::vector<LaneKey> order;
  for (const Json& key : list("order"))
    order.push_back(laneOf(key));
  if (!order.empty())
    lanes.setOrder(order);
  for (const Json& row : list("heights"))
    lanes.setHeight(laneOf(row.at("lane")), row.at("height").get<int>());
  for (const Json& row : list("formats")) {
    if (const auto format = formatOf(row.at("format").get<std::string>()))
      lanes.setFormat(laneOf(row.at("lane")), *format);
  }
  const Json names = json.value("names", Json::object());
  for (const auto& [channel, name] : names.items())
    lanes.setName(channel, name.get<std::string>());
  const Json colours = json.value("colours", Json::object());
  for (const auto& [channel, letters] : colours.items()) {
    const auto wanted = letters.get<std::string>();
    for (const WireColourFacts& facts : kWireColours) {
      if (facts.letters == wanted)
        lanes.setColour(channel, facts.colour);
    }
  }
  return lanes;
}

Json jsonOf(const InView& view)
{
  return {{"begin_ps", view.span.begin.count()}, {"end_ps", view.span.end.count()}, {"bus", numberOf(view.stream.bus)},
          {"stream", view.stream.stream},        {"frame_ps", view.frame.count()},  {"moment_ps", view.moment.count()}};
}

InView viewOf(const Json& json)
{
  const auto time = [&](const char* key) { return Picoseconds{json.value(key, std::int64_t{0})}; };
  InView view;
  view.span = {time("begin_ps"), time("end_ps")};
  view.stream = {static_cast<BusId>(json.value("bus", std::uint32_t{0})), json.value("stream", -1)};
  view.frame = time("frame_ps");
  view.moment = time("moment_ps");
  return view;
}

Json jsonOf(const std::map<std::string, std::vector<ColumnPlace>>& columns)
{
  Json json = Json::object();
  for (const auto& [list, places] : columns) {
    Json& rows = json[list] = Json::array();
    for (const ColumnPlace& place : places)
      rows.push_back({{"key", place.key}, {"width", place.width}});
  }
  return json;
}

std::map<std::string, std::vector<ColumnPlace>> columnsOf(const Json& json)
{
  std::map<std::string, std::vector<ColumnPlace>> columns;
  for (const auto& [list, rows] : json.items()) {
    for (const Json& row : rows)
      columns[list].push_back({row.at("key").get<std::string>(), row.at("width").get<int>()});
  }
  return columns;
}

Json jsonOf(const std::vector<KeyValue>& values)
{
  Json json = Json::array();
  for (const KeyValue& value : values)
    json.push_back({value.key, value.value});
  return json;
}

Result<SessionBus> busOf(const Statement& row)
{
  const std::string protocolName = row.text(2);
  const Protocol* protocol = nullptr;
  for (const Protocol* const known : protocols()) {
    if (known->name() == protocolName)
      protocol = known;
  }
  if (protocol == nullptr)
    return fail(ErrorCode::Malformed, say("no protocol is called '{}'", protocolName), say("bus '{}'", row.text(1)),
                say("open it with a newer Bexto"));
  SessionBus bus{static_cast<BusId>(row.number(0)), Bus(row.text(1), *protocol), row.number(5) != 0};
  for (const Json& pair : Json::parse(row.text(3))) {
    if (auto set = bus.bus.set(pair.at(0).get<std::string>(), pair.at(1).get<std::string>()); !set)
      return tl::unexpected(set.error());
  }
  bus.bus.format = formatOf(row.text(4)).value_or(ValueFormat::Hex);
  return bus;
}

void writeBuses(Database& database, const Session& session)
{
  Statement insert = database.prepare("INSERT INTO bus VALUES (?, ?, ?, ?, ?, ?, ?)");
  std::int64_t place = 0;
  for (const SessionBus& bus : session.buses) {
    const std::string settings = dumped(jsonOf(bus.bus.values()));
    const std::string protocol(bus.bus.protocol().name());
    insert.bind(1, numberOf(bus.id)).bind(2, place++).bind(3, bus.bus.name).bind(4, protocol).bind(5, settings);
    insert.bind(6, std::string_view(formatName(bus.bus.format))).bind(7, std::int64_t{bus.formatKnown ? 1 : 0});
    insert.run();
  }
  for (const auto& [table, texts] : {std::pair{"sheet", &Bus::sheets}, std::pair{"rulebook", &Bus::books}}) {
    Statement row = database.prepare(fmt::format("INSERT INTO {} VALUES (?, ?, ?, ?)", table));
    for (const SessionBus& bus : session.buses) {
      std::int64_t number = 0;
      for (const SheetText& text : (bus.bus.*texts).list())
        row.bind(1, numberOf(bus.id)).bind(2, number++).bind(3, text.name).bind(4, text.text).run();
    }
  }
}

void writeMarkers(Database& database, const Session& session)
{
  Statement insert = database.prepare("INSERT INTO marker VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)");
  std::int64_t place = 0;
  for (const Marker& marker : session.markers) {
    insert.bind(1, static_cast<std::int64_t>(marker.id)).bind(2, place++).bind(3, marker.name);
    insert.bind(4, marker.time.count()).bind(5, marker.edge).bind(6, marker.note).bindNull(7).bindNull(8);
    if (marker.pin)
      insert.bind(7, numberOf(marker.pin->bus)).bind(8, marker.pin->begin.count());
    insert.bind(9, static_cast<std::int64_t>(marker.segment));
    insert.run();
  }
}

Json jsonOf(const std::vector<SendLine>& sends)
{
  Json json = Json::array();
  for (const SendLine& line : sends)
    json.push_back(
        {{"bus", static_cast<std::uint32_t>(line.bus)}, {"text", line.text}, {"every_ps", line.every.count()}});
  return json;
}

Json jsonOf(const std::vector<Plot>& plots)
{
  Json json = Json::array();
  for (const Plot& plot : plots)
    json.push_back({{"bus", numberOf(plot.bus)},
                    {"device", plot.of.device},
                    {"subject", plot.of.subject},
                    {"value", plot.of.value},
                    {"joined", plot.joined}});
  return json;
}

/// What one row each holds. `visit(key, get, set)`: get gives JSON, set takes it.
void writeSettings(Database& database, const SessionFile& file)
{
  const Session& session = file.session;
  const std::vector<std::pair<std::string, Json>> rows{
      {"lanes", jsonOf(session.lanes)},
      {"columns", jsonOf(session.columns)},
      {"plots", jsonOf(session.plots)},
      {"view", jsonOf(session.view)},
      {"filter", {{"text", session.filter.text}, {"off", session.filter.off}}},
      {"ids", {{"bus", session.lastBus}, {"marker", session.lastMarker}, {"segment", session.lastSegment}}},
      {"bench", Json::parse(planText(session.plan))},
      {"send", jsonOf(session.sends)},
      {"shown", file.shown}};
  Statement insert = database.prepare("INSERT INTO setting VALUES (?, ?)");
  for (const auto& [key, json] : rows) {
    const std::string value = dumped(json);
    insert.bind(1, key).bind(2, value).run();
  }
}

void readSetting(const std::string& key, const Json& json, SessionFile& file)
{
  Session& session = file.session;
  if (key == "lanes") {
    session.lanes = arrangementOf(json);
  } else if (key == "columns") {
    session.columns = columnsOf(json);
  } else if (key == "plots") {
    for (const Json& plot : json)
      addPlot(session, {static_cast<BusId>(plot.at("bus").get<std::uint32_t>()),
                        {plot.at("device").get<std::string>(), plot.at("subject").get<std::string>(),
                         plot.at("value").get<std::string>()},
                        plot.value("joined", false)});
  } else if (key == "view") {
    session.view = viewOf(json);
  } else if (key == "filter") {
    session.filter = {json.at("text").get<std::string>(), json.at("off").get<std::vector<std::string>>()};
  } else if (key == "ids") {
    session.lastBus = std::max(session.lastBus, json.at("bus").get<std::uint32_t>());
    session.lastMarker = std::max(session.lastMarker, json.at("marker").get<std::uint32_t>());
    session.lastSegment = json.value("segment", std::uint32_t{0});
  } else if (key == "bench") {
    session.plan = planOfText(json.dump());
  } else if (key == "send") {
    for (const Json& line : json)
      session.sends.push_back({static_cast<BusId>(line.at("bus").get<std::uint32_t>()),
                               line.at("text").get<std::string>(),
                               Picoseconds{std::max<std::int64_t>(0, line.value("every_ps", std::int64_t{0}))}});
  } else if (key == "shown") {
    file.shown = json.get<std::size_t>();
  }
}

Result<void> readRows(Database& database, SessionFile& file)
{
  Session& session = file.session;
  Statement about = database.prepare("SELECT key, value FROM about");
  while (about.next()) {
    const std::string key = about.text(0);
    std::string* const text = key == "title"         ? &file.about.title
                              : key == "description" ? &file.about.description
                              : key == "author"      ? &file.about.author
                              : key == "source"      ? &session.source
                              : key == "continues"   ? &file.continues
                                                     : nullptr;
    if (text != nullptr)
      *text = about.text(1);
  }
  Statement buses =
      database.prepare("SELECT id, name, protocol, settings, format, format_known FROM bus ORDER BY place");
  while (buses.next()) {
    auto bus = busOf(buses);
    if (!bus)
      return tl::unexpected(bus.error());
    session.lastBus = std::max(session.lastBus, static_cast<std::uint32_t>(bus->id));
    session.buses.push_back(std::move(*bus));
  }
  for (const auto& [table, texts] : {std::pair{"sheet", &Bus::sheets}, std::pair{"rulebook", &Bus::books}}) {
    Statement rows = database.prepare(fmt::format("SELECT bus, name, text FROM {} ORDER BY bus, place", table));
    std::map<BusId, std::vector<SheetText>> ofBus;
    while (rows.next())
      ofBus[static_cast<BusId>(rows.number(0))].push_back({rows.text(1), rows.text(2)});
    for (SessionBus& bus : session.buses)
      bus.bus.*texts = SheetTexts(ofBus[bus.id]);
  }
  Statement conditioning = database.prepare("SELECT path, min_pulse_ps, inverted FROM conditioning");
  while (conditioning.next()) {
    const Picoseconds shortest{std::max<std::int64_t>(0, conditioning.number(1))};
    setConditioning(session, conditioning.text(0), {shortest, conditioning.number(2) != 0});
  }
  Statement markers =
      database.prepare("SELECT id, name, time_ps, edge, note, bus, begin_ps, segment FROM marker ORDER BY place");
  while (markers.next()) {
    Marker marker{static_cast<MarkerId>(markers.number(0)), markers.text(1), Picoseconds{markers.number(2)},
                  markers.text(3), markers.text(4)};
    if (!markers.isNull(5))
      marker.pin = Marker::Pin{static_cast<BusId>(markers.number(5)), Picoseconds{markers.number(6)}};
    marker.segment = static_cast<SegmentId>(markers.number(7));
    session.lastMarker = std::max(session.lastMarker, static_cast<std::uint32_t>(marker.id));
    session.markers.push_back(std::move(marker));
  }
  Statement settings = database.prepare("SELECT key, value FROM setting");
  while (settings.next())
    readSetting(settings.text(0), Json::parse(settings.text(1)), file);
  Statement attachments = database.prepare("SELECT name, content FROM attachment");
  while (attachments.next()) {
    const auto content = attachments.bytes(1);
    file.attachments[attachments.text(0)] = std::string(content.begin(), content.end());
  }
  return {};
}

}  // namespace

void writeSessionValue(Database& database, const SessionFile& file)
{
  for (const char* const table :
       {"about", "bus", "sheet", "rulebook", "conditioning", "marker", "setting", "attachment"})
    database.run(std::string("DELETE FROM ") + table);
  Statement about = database.prepare("INSERT INTO about VALUES (?, ?)");
  const auto say = [&](const char* key, const std::string& value) {
    if (!value.empty())
      about.bind(1, std::string_view(key)).bind(2, value).run();
  };
  say("title", file.about.title);
  say("description", file.about.description);
  say("author", file.about.author);
  say("source", file.session.source);
  say("continues", file.continues);
  writeBuses(database, file.session);
  Statement conditioning = database.prepare("INSERT INTO conditioning VALUES (?, ?, ?)");
  for (const auto& [path, how] : file.session.conditioning)
    conditioning.bind(1, path).bind(2, how.minPulse.count()).bind(3, std::int64_t{how.invert ? 1 : 0}).run();
  writeMarkers(database, file.session);
  writeSettings(database, file);
  Statement attachment = database.prepare("INSERT INTO attachment VALUES (?, ?)");
  for (const auto& [name, content] : file.attachments) {
    const auto* const bytes = reinterpret_cast<const std::uint8_t*>(content.data());
    // An empty span would be NULL.
    static constexpr std::uint8_t kNothing = 0;
    attachment.bind(1, name).bind(2, std::span(content.empty() ? &kNothing : bytes, content.size())).run();
  }
}

Result<void> readSessionValue(Database& database, const std::string& path, SessionFile& file)
{
  try {
    auto read = readRows(database, file);
    if (!read)
      return fail(ErrorCode::Malformed, read.error().message,
                  read.error().where.empty() ? path : path + ", " + read.error().where, read.error().mend);
  } catch (const Json::exception&) {
    return fail(ErrorCode::Malformed, say("the session file is damaged"), path,
                say("get it again from where it was copied from"));
  }
  return database.outcome();
}

}  // namespace bexto
