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

namespace {

/// Whether the channel has for the role what its protocol can read: a wire, or records of its own.
Result<void> checkSource(const Channel& channel, const RoleSpec& role, const Protocol& protocol)
{
  if (channel.isWire() || (role.mayBeRecords && protocol.facts().linkType == channel.records->linkType()))
    return {};
  const Protocol* const other = protocolOf(channel.records->linkType());
  return fail(ErrorCode::BadArgument, say("'{}' is no wire: it has whole frames", channel.name), {},
              other == nullptr ? say("choose another channel for {}", role.name)
                               : say("only {} buses read them", other->label()));
}

}  // namespace

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
    if (auto fits = checkSource(capture.channels[*found], role, bus.protocol()); !fits)
      return in(fits.error());
    for (const std::size_t other : channels) {
      if (capture.channels[other].sameAs(capture.channels[*found]))
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

/// Whether a word of the name is the protocol's: "can_rx", "uart0.tx". `name` is in lower case.
bool names(const std::string& name, const Protocol& protocol)
{
  const std::string& known = protocol.name();
  const auto isLetter = [](char c) { return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9'); };
  for (auto at = name.begin(); at != name.end();) {
    at = std::find_if(at, name.end(), isLetter);
    auto end = std::find_if_not(at, name.end(), isLetter);
    const std::string word(at, end);
    at = end;
    if (word.starts_with(known) && word.find_first_not_of("0123456789", known.size()) == std::string::npos)
      return true;
  }
  return false;
}

bool namesOther(const std::string& name, const Protocol& protocol)
{
  return std::any_of(protocols().begin(), protocols().end(),
                     [&](const Protocol* other) { return other != &protocol && names(name, *other); });
}

/// How much the names of a suggestion's channels speak for its protocol: they name it, they name its roles, or neither.
int fitOf(const Bus& bus)
{
  int fit = 0;
  for (const RoleSpec& role : bus.protocol().facts().roles) {
    if (!bus.has(role.name)) {
      if (role.required)
        return 0;
      continue;
    }
    const std::string channel = lower(bus.channelOf(role.name));
    if (namesOther(channel, bus.protocol()))
      return 0;
    const bool hinted = std::any_of(role.hints.begin(), role.hints.end(),
                                    [&](const std::string& hint) { return channel.find(hint) != std::string::npos; });
    fit = std::max(fit, names(channel, bus.protocol()) ? 2 : hinted ? 1 : 0);
  }
  return fit;
}

}  // namespace

std::vector<Bus> busesOfRecords(const Capture& capture, const std::vector<Bus>& others)
{
  std::vector<Bus> made;
  const auto reads = [&](const Bus& bus, std::size_t channel) {
    return std::any_of(bus.wires.begin(), bus.wires.end(), [&](const BusWire& wire) {
      const auto found = capture.find(wire.channel);
      return found && *found == channel;
    });
  };
  const auto among = [](const std::vector<Bus>& buses, const auto& fits) {
    return std::any_of(buses.begin(), buses.end(), fits);
  };
  for (std::size_t i = 0; i < capture.channels.size(); ++i) {
    const Channel& channel = capture.channels[i];
    const Protocol* const protocol = channel.isWire() ? nullptr : protocolOf(channel.records->linkType());
    if (protocol == nullptr || among(others, [&](const Bus& bus) { return reads(bus, i); }))
      continue;
    const std::vector<RoleSpec>& roles = protocol->facts().roles;
    const auto role = std::find_if(roles.begin(), roles.end(), [](const RoleSpec& r) { return r.mayBeRecords; });
    if (role == roles.end())
      continue;
    // Both lines of one port are one bus, called after the port.
    const auto parentOf = [](const Channel& c) { return c.path.substr(0, c.path.rfind('.')); };
    const bool isLine = role->isLine && channel.path.find('.') != std::string::npos;
    if (isLine) {
      const auto partner = std::find_if(made.begin(), made.end(), [&](const Bus& bus) {
        const auto first = capture.find(bus.wires.front().channel);
        return &bus.protocol() == protocol && first && parentOf(capture.channels[*first]) == parentOf(channel);
      });
      const auto other = std::find_if(role + 1, roles.end(), [](const RoleSpec& r) { return r.mayBeRecords; });
      if (partner != made.end() && other != roles.end() && !partner->has(other->name)) {
        partner->setChannel(other->name, channel.name);
        continue;
      }
    }
    std::string name = isLine ? parentOf(channel) : channel.name;
    const auto isTaken = [&](const Bus& bus) { return bus.name == name; };
    for (int n = 2; among(others, isTaken) || among(made, isTaken); ++n)
      name = fmt::format("{} {}", isLine ? parentOf(channel) : channel.name, n);
    made.emplace_back(name, *protocol).setChannel(role->name, channel.name);
  }
  return made;
}

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
  // Of records only those that it can read.
  const auto linkType = protocol.facts().linkType;
  for (const Channel& channel : capture->channels) {
    const bool fits = channel.isWire() || channel.records->linkType() == linkType;
    lowerNames.push_back(fits ? lower(channel.name) : std::string());
  }
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

const Protocol& likelyProtocol(const Capture* capture, const std::vector<Bus>& others)
{
  const Protocol* likely = protocols().front();
  int best = 0;
  for (const Protocol* protocol : protocols()) {
    if (const int fit = fitOf(suggestBus(*protocol, capture, others)); fit > best) {
      best = fit;
      likely = protocol;
    }
  }
  return *likely;
}

}  // namespace bexto
