#include "core/decode/bus_spec.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/decode/settings.h"

namespace bexto {

namespace {

std::vector<std::string> split(std::string_view text, char separator)
{
  std::vector<std::string> parts;
  for (;;) {
    const std::size_t at = text.find(separator);
    parts.emplace_back(text.substr(0, at));
    if (at == std::string_view::npos)
      return parts;
    text.remove_prefix(at + 1);
  }
}

Result<Protocol> protocolNamed(const std::string& name)
{
  for (const ProtocolSpec& spec : protocolSpecs()) {
    if (spec.name == name)
      return spec.protocol;
  }
  return fail(ErrorCode::BadArgument, fmt::format("there is no protocol '{}'", name), {},
              "there are uart, i2c, spi and can");
}

}  // namespace

Result<Bus> parseBusSpec(std::string_view text)
{
  const std::string where = fmt::format("bus spec '{}'", text);
  const auto located = [&](Error e) {
    e.where = where;
    return tl::unexpected(std::move(e));
  };
  const std::vector<std::string> parts = split(text, ',');
  const std::size_t equals = parts.front().find('=');
  if (equals == std::string::npos || equals == 0)
    return fail(ErrorCode::BadArgument, "it does not begin with NAME=PROTOCOL", where,
                "write it like sensors=i2c,scl=SCL,sda=SDA");
  const auto protocol = protocolNamed(parts.front().substr(equals + 1));
  if (!protocol)
    return located(protocol.error());
  Bus bus = makeBus(parts.front().substr(0, equals), *protocol);
  const ProtocolSpec& spec = specOf(*protocol);
  std::vector<std::string> seen;
  for (std::size_t i = 1; i < parts.size(); ++i) {
    const std::size_t at = parts[i].find('=');
    if (at == std::string::npos || at == 0 || at + 1 == parts[i].size())
      return fail(ErrorCode::BadArgument, fmt::format("'{}' is not key=value", parts[i]), where);
    const std::string key = parts[i].substr(0, at);
    const std::string value = parts[i].substr(at + 1);
    if (std::find(seen.begin(), seen.end(), key) != seen.end())
      return fail(ErrorCode::BadArgument, fmt::format("{} is given twice", key), where, "leave one out");
    seen.push_back(key);
    const bool isRole =
        std::any_of(spec.roles.begin(), spec.roles.end(), [&](const RoleSpec& r) { return r.name == key; });
    if (isRole) {
      bus.setChannel(key, value);
    } else if (auto set = setSetting(bus, key, value); !set) {
      return located(set.error());
    }
  }
  for (const SettingSpec& setting : spec.settings) {
    if (setting.fallback.empty() && std::find(seen.begin(), seen.end(), setting.key) == seen.end())
      return fail(ErrorCode::BadArgument, fmt::format("{} is not given", setting.key), where,
                  fmt::format("add {}={}", setting.key, setting.choices[setting.choices.size() / 2]));
  }
  if (auto good = checkBus(bus); !good)
    return located(good.error());
  return bus;
}

std::string busSpecText(const Bus& bus)
{
  const ProtocolSpec& spec = specOf(bus.protocol());
  std::string text = fmt::format("{}={}", bus.name, spec.name);
  for (const RoleSpec& role : spec.roles) {
    if (!bus.channelOf(role.name).empty())
      text += fmt::format(",{}={}", role.name, bus.channelOf(role.name));
  }
  for (const SettingSpec& setting : spec.settings) {
    if (const std::string value = settingText(bus, setting.key); value != setting.fallback)
      text += fmt::format(",{}={}", setting.key, value);
  }
  return text;
}

}  // namespace bexto
