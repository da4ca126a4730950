// Tested by tests/core/setup_file_test.cpp.
#include "core/store/setup_file.h"

#include <algorithm>
#include <nlohmann/json.hpp>
#include <set>

#include "core/base/atomic_file.h"
#include "core/base/input_file.h"
#include "core/base/say.h"
#include "core/decode/protocol.h"

namespace bexto {

namespace {

using OrderedJson = nlohmann::ordered_json;

constexpr int kVersion = 1;
constexpr const char* kMark = "bexto_setup";
constexpr std::size_t kLongest = std::size_t{4} << 20U;

/// The parts of a bus that are channels, by their roles.
bool isRole(const Bus& bus, const std::string& key)
{
  const auto& roles = bus.protocol().facts().roles;
  return std::any_of(roles.begin(), roles.end(), [&](const RoleSpec& role) { return role.name == key; });
}

OrderedJson jsonOf(const Bus& bus)
{
  OrderedJson channels = OrderedJson::object();
  OrderedJson settings = OrderedJson::object();
  for (const KeyValue& value : bus.values())
    (isRole(bus, value.key) ? channels : settings)[value.key] = value.value;
  OrderedJson json = {{"name", bus.name},
                      {"protocol", bus.protocol().name()},
                      {"channels", channels},
                      {"settings", settings},
                      {"format", formatName(bus.format)}};
  for (const SheetText& sheet : bus.sheets.list())
    json["sheets"].push_back({{"name", sheet.name}, {"text", sheet.text}});
  for (const SheetText& book : bus.books.list())
    json["rulebooks"].push_back({{"name", book.name}, {"text", book.text}});
  return json;
}

Result<Bus> busOf(const OrderedJson& json)
{
  const auto protocol = protocolNamed(json.at("protocol").get<std::string>());
  if (!protocol)
    return tl::unexpected(protocol.error());
  Bus bus(json.at("name").get<std::string>(), **protocol);
  for (const char* const part : {"channels", "settings"}) {
    const OrderedJson values = json.value(part, OrderedJson::object());
    for (const auto& [key, value] : values.items()) {
      if (auto set = bus.set(key, value.get<std::string>()); !set)
        return tl::unexpected(set.error());
    }
  }
  for (const auto& [key, texts] : {std::pair{"sheets", &Bus::sheets}, std::pair{"rulebooks", &Bus::books}}) {
    std::vector<SheetText> list;
    for (const OrderedJson& text : json.value(key, OrderedJson::array()))
      list.push_back({text.at("name").get<std::string>(), text.at("text").get<std::string>()});
    bus.*texts = SheetTexts(std::move(list));
  }
  const std::string format = json.value("format", "hex");
  for (int i = 0; i < kValueFormats; ++i) {
    if (format == formatName(static_cast<ValueFormat>(i)))
      bus.format = static_cast<ValueFormat>(i);
  }
  return bus;
}

OrderedJson jsonOf(const Setup::Channel& channel)
{
  OrderedJson json{{"channel", channel.channel}};
  if (!channel.name.empty())
    json["name"] = channel.name;
  if (channel.colour)
    json["colour"] = kWireColours.at(static_cast<std::size_t>(*channel.colour)).letters;
  if (channel.conditioning.minPulse > Picoseconds{0})
    json["min_pulse_ps"] = channel.conditioning.minPulse.count();
  if (channel.conditioning.invert)
    json["inverted"] = true;
  return json;
}

Setup::Channel channelOf(const OrderedJson& json)
{
  Setup::Channel channel{json.at("channel").get<std::string>(), json.value("name", "")};
  const std::string letters = json.value("colour", "");
  for (const WireColourFacts& facts : kWireColours) {
    if (facts.letters == letters)
      channel.colour = facts.colour;
  }
  channel.conditioning.minPulse = Picoseconds{std::max<std::int64_t>(0, json.value("min_pulse_ps", std::int64_t{0}))};
  channel.conditioning.invert = json.value("inverted", false);
  return channel;
}

Result<Setup> setupIn(const OrderedJson& json, const std::string& path)
{
  const std::string otherFile = say("choose a file that was kept as a set-up");
  if (!json.is_object() || !json.contains(kMark) || !json.at(kMark).is_number_integer())
    return fail(ErrorCode::Malformed, say("is no set-up"), path, otherFile);
  if (const int version = json.at(kMark).get<int>(); version != kVersion)
    return fail(ErrorCode::Malformed,
                say("was written by a newer Bexto: its format is {}, and this one reads up to {}", version, kVersion),
                path, say("open it with the newer one"));
  Setup setup;
  std::set<std::string> names;
  for (const OrderedJson& one : json.value("buses", OrderedJson::array())) {
    auto bus = busOf(one);
    if (!bus)
      return fail(ErrorCode::Malformed, bus.error().message, say("{}, bus '{}'", path, one.value("name", "")),
                  bus.error().mend);
    if (!names.insert(bus->name).second)
      return fail(ErrorCode::Malformed, say("two buses are called '{}'", bus->name), path,
                  say("give each a name of its own"));
    setup.buses.push_back(std::move(*bus));
  }
  for (const OrderedJson& one : json.value("channels", OrderedJson::array()))
    setup.channels.push_back(channelOf(one));
  return setup;
}

}  // namespace

Setup setupOf(const Session& session)
{
  Setup setup;
  for (const SessionBus& bus : session.buses)
    setup.buses.push_back(bus.bus);
  std::map<std::string, Setup::Channel> channels;
  const auto of = [&](const std::string& path) -> Setup::Channel& {
    return channels.try_emplace(path, Setup::Channel{path}).first->second;
  };
  for (const auto& [path, name] : session.lanes.names())
    of(path).name = name;
  for (const auto& [path, colour] : session.lanes.colours())
    of(path).colour = colour;
  for (const auto& [path, how] : session.conditioning)
    of(path).conditioning = how;
  for (const auto& [path, channel] : channels)
    setup.channels.push_back(channel);
  return setup;
}

Result<void> writeSetup(const std::string& path, const Setup& setup)
{
  OrderedJson json{{kMark, kVersion}, {"buses", OrderedJson::array()}, {"channels", OrderedJson::array()}};
  for (const Bus& bus : setup.buses)
    json["buses"].push_back(jsonOf(bus));
  for (const Setup::Channel& channel : setup.channels)
    json["channels"].push_back(jsonOf(channel));
  auto file = AtomicFile::create(path);
  if (!file)
    return tl::unexpected(file.error());
  if (auto written = file->write(json.dump(2, ' ', false, OrderedJson::error_handler_t::replace) + '\n'); !written)
    return written;
  return file->commit();
}

Result<Setup> readSetup(const std::string& path)
{
  auto file = InputFile::open(path);
  if (!file)
    return tl::unexpected(file.error());
  std::string text(kLongest, '\0');
  const auto got = file->read(text);
  if (!got)
    return tl::unexpected(got.error());
  text.resize(*got);
  try {
    return setupIn(OrderedJson::parse(text), path);
  } catch (const OrderedJson::parse_error& error) {
    const auto line =
        1 +
        std::count(text.begin(), text.begin() + static_cast<std::ptrdiff_t>(std::min(error.byte, text.size())), '\n');
    return fail(ErrorCode::Malformed, say("is no JSON"), say("{}, line {}", path, line),
                say("choose a file that was kept as a set-up"));
  } catch (const OrderedJson::exception&) {
    return fail(ErrorCode::Malformed, say("a part of the set-up is missing, or not of the sort that it has to be"),
                path, say("docs/setup-format.md says what is in it"));
  }
}

std::vector<std::string> channelsOf(const Setup& setup)
{
  std::vector<std::string> names;
  const auto add = [&](const std::string& name) {
    if (std::find(names.begin(), names.end(), name) == names.end())
      names.push_back(name);
  };
  for (const Bus& bus : setup.buses) {
    for (const BusWire& wire : bus.wires)
      add(wire.channel);
  }
  for (const Setup::Channel& channel : setup.channels)
    add(channel.channel);
  return names;
}

std::map<std::string, std::string> fittingChannels(const Setup& setup, const Capture& capture)
{
  std::map<std::string, std::string> paths;
  for (const std::string& name : channelsOf(setup)) {
    auto found = capture.find(name);
    // A path of another bench may end like one of this.
    for (std::size_t dot = name.find('.'); !found && dot != std::string::npos; dot = name.find('.', dot + 1))
      found = capture.find(name.substr(dot + 1));
    if (found)
      paths[name] = capture.channels[*found].path;
  }
  return paths;
}

void putOn(Session& session, const Setup& setup, const std::map<std::string, std::string>& paths)
{
  const auto pathOf = [&](const std::string& name) {
    const auto found = paths.find(name);
    return found == paths.end() ? name : found->second;
  };
  while (!session.buses.empty())
    removeBus(session, session.buses.back().id);
  for (Bus bus : setup.buses) {
    for (BusWire& wire : bus.wires)
      wire.channel = pathOf(wire.channel);
    const BusId id = addBus(session, bus);
    for (SessionBus& added : session.buses)
      added.formatKnown = added.formatKnown || added.id == id;
  }
  session.conditioning.clear();
  const auto names = session.lanes.names();
  for (const auto& [path, name] : names)
    session.lanes.setName(path, {});
  const auto colours = session.lanes.colours();
  for (const auto& [path, colour] : colours)
    session.lanes.setColour(path, std::nullopt);
  for (const Setup::Channel& channel : setup.channels) {
    const std::string path = pathOf(channel.channel);
    session.lanes.setName(path, channel.name);
    session.lanes.setColour(path, channel.colour);
    setConditioning(session, path, channel.conditioning);
  }
}

}  // namespace bexto
