#include "core/decode/bus.h"

#include <fmt/core.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cctype>

#include "core/base/say.h"
#include "core/decode/decoder.h"
#include "core/decode/protocol.h"

namespace bexto {

Bus::Bus(std::string busName, const Protocol& protocol)
    : name(std::move(busName)), settings(protocol.settings()), m_protocol(&protocol)
{
}

const std::string& Bus::channelOf(const std::string& role) const
{
  static const std::string kNone;
  for (const BusWire& wire : wires) {
    if (wire.role == role)
      return wire.channel;
  }
  return kNone;
}

void Bus::setChannel(const std::string& role, const std::string& channel)
{
  std::erase_if(wires, [&](const BusWire& w) { return w.role == role; });
  if (!channel.empty())
    wires.push_back({role, channel});
}

Result<void> Bus::set(const std::string& key, const std::string& value)
{
  const std::vector<RoleSpec>& roles = protocol().facts().roles;
  if (std::any_of(roles.begin(), roles.end(), [&](const RoleSpec& r) { return r.name == key; })) {
    setChannel(key, value);
    return {};
  }
  if (settings.find(key) != nullptr)
    return settings.set(key, value);
  std::vector<std::string> keys;
  keys.reserve(roles.size());
  for (const RoleSpec& r : roles)
    keys.push_back(r.name);
  for (const SettingSpec& s : settings.specs())
    keys.push_back(s.key);
  return fail(ErrorCode::BadArgument, say("{} has no setting '{}'", protocol().name(), key), {},
              say("it has {}", fmt::format("{}", fmt::join(keys, ", "))));
}

std::vector<KeyValue> Bus::values() const
{
  std::vector<KeyValue> values;
  for (const RoleSpec& role : protocol().facts().roles) {
    if (has(role.name))
      values.push_back({role.name, channelOf(role.name)});
  }
  for (KeyValue& value : settings.values())
    values.push_back(std::move(value));
  return values;
}

bool Bus::applies(const SettingSpec& setting) const
{
  if (!setting.without.empty() && has(setting.without))
    return false;
  if (setting.with.empty())
    return true;
  const SettingSpec* const other = settings.find(setting.with);
  return other == nullptr ? has(setting.with) : settings.text(other->key) != "none";
}

Result<void> Bus::check() const
{
  if (name.empty())
    return fail(ErrorCode::BadArgument, say("a bus has no name"), {}, say("give it one"));
  const std::string where = say("bus {}", name);
  for (const RoleSpec& role : protocol().facts().roles) {
    if (role.required && !has(role.name))
      return fail(ErrorCode::BadArgument, say("no channel is given for {}", role.name), where,
                  say("add {}=CHANNEL", role.name));
  }
  auto good = protocol().check(*this);
  if (!good && good.error().where.empty())
    good.error().where = where;
  return good;
}

Result<ResolvedBus> resolveBus(const Bus& bus, const Capture& capture)
{
  if (auto good = bus.check(); !good)
    return tl::unexpected(good.error());
  const auto in = [&](const Error& e) {
    Error named = e;
    named.where = say("bus {}", bus.name);
    return tl::unexpected(named);
  };
  ResolvedBus resolved{bus, {}};
  BusStream shared;
  std::vector<std::size_t> channels;
  for (const RoleSpec& role : bus.protocol().facts().roles) {
    const std::string& name = bus.channelOf(role.name);
    if (name.empty())
      continue;
    const auto found = capture.find(name);
    if (!found)
      return in(found.error());
    for (const std::size_t other : channels) {
      if (capture.channels[other].track.sameAs(capture.channels[*found].track))
        return fail(ErrorCode::BadArgument, say("two lines of the bus are on one wire, '{}'", name),
                    say("bus {}", bus.name), say("choose another channel for one of them"));
    }
    channels.push_back(*found);
    if (role.isLine)
      resolved.streams.push_back({role.name, {*found}});
    else
      shared.channels.push_back(*found);
  }
  if (!shared.channels.empty())
    resolved.streams.push_back(std::move(shared));
  std::vector<StreamInput> inputs;
  for (const BusStream& stream : resolved.streams)
    inputs.push_back(inputOf(capture, stream));
  if (auto found = bus.protocol().findAuto(resolved.bus, inputs); !found)
    return in(found.error());
  return resolved;
}

namespace {

std::string lower(std::string text)
{
  std::transform(text.begin(), text.end(), text.begin(),
                 [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return text;
}

/// Whether a word of the name is another protocol's: "can_rx", "uart0.tx". `name` is in lower case.
bool namesOther(const std::string& name, const Protocol& protocol)
{
  const auto isLetter = [](char c) { return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9'); };
  for (auto at = name.begin(); at != name.end();) {
    at = std::find_if(at, name.end(), isLetter);
    auto end = std::find_if_not(at, name.end(), isLetter);
    const std::string word(at, end);
    at = end;
    for (const Protocol* other : protocols()) {
      const std::string known = other->name();
      if (other != &protocol && word.starts_with(known) &&
          word.find_first_not_of("0123456789", known.size()) == std::string::npos)
        return true;
    }
  }
  return false;
}

}  // namespace

Bus suggestBus(const Protocol& protocol, const Capture* capture, const std::vector<Bus>& others)
{
  const auto taken = [&](const std::string& n) {
    return std::any_of(others.begin(), others.end(), [&](const Bus& b) { return b.name == n; });
  };
  std::string name = protocol.name();
  for (int i = 2; taken(name); ++i)
    name = fmt::format("{} {}", protocol.name(), i);
  Bus bus(name, protocol);
  if (capture == nullptr)
    return bus;
  const auto used = [&](const std::string& channel) {
    const auto has = [&channel](const Bus& b) {
      return std::any_of(b.wires.begin(), b.wires.end(), [&](const BusWire& w) { return w.channel == channel; });
    };
    return has(bus) || std::any_of(others.begin(), others.end(), has);
  };
  std::vector<std::string> lowerNames;
  for (const Channel& channel : capture->channels)
    lowerNames.push_back(lower(channel.name));
  // A name that has another protocol in it ("can_rx") is taken only when nothing else fits.
  for (const bool anybodys : {false, true}) {
    for (const RoleSpec& role : protocol.facts().roles) {
      for (const std::string& hint : role.hints) {
        for (std::size_t i = 0; i < lowerNames.size() && !bus.has(role.name); ++i) {
          const std::string& channel = capture->channels[i].name;
          if (lowerNames[i].find(hint) != std::string::npos && (anybodys || !namesOther(lowerNames[i], protocol)) &&
              !used(channel))
            bus.setChannel(role.name, channel);
        }
      }
    }
    const std::vector<RoleSpec>& roles = protocol.facts().roles;
    const bool enough =
        std::all_of(roles.begin(), roles.end(), [&](const RoleSpec& r) { return !r.required || bus.has(r.name); });
    if (enough && !bus.wires.empty())
      break;
  }
  protocol.completeSuggestion(bus);
  return bus;
}

}  // namespace bexto
