#include "core/decode/bus_spec.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/base/say.h"
#include "core/decode/protocol.h"

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

/// What an example would give: a value from the middle of the usual ones.
const std::string& likelyValue(const SettingSpec& setting)
{
  return setting.choices[setting.choices.size() / 2];
}

}  // namespace

Result<Bus> parseBusSpec(std::string_view text)
{
  const std::string where = say("bus spec '{}'", text);
  const auto located = [&](Error e) {
    e.where = where;
    return tl::unexpected(std::move(e));
  };
  const std::vector<std::string> parts = split(text, ',');
  const std::size_t equals = parts.front().find('=');
  if (equals == std::string::npos || equals == 0)
    return fail(ErrorCode::BadArgument, say("it does not begin with NAME=PROTOCOL"), where,
                say("write it like {}", protocols().front()->facts().example));
  const auto protocol = protocolNamed(parts.front().substr(equals + 1));
  if (!protocol)
    return located(protocol.error());
  Bus bus(parts.front().substr(0, equals), **protocol);
  std::vector<std::string> seen;
  for (std::size_t i = 1; i < parts.size(); ++i) {
    const std::size_t at = parts[i].find('=');
    if (at == std::string::npos || at == 0 || at + 1 == parts[i].size())
      return fail(ErrorCode::BadArgument, say("'{}' is not key=value", parts[i]), where);
    const std::string key = parts[i].substr(0, at);
    if (std::find(seen.begin(), seen.end(), key) != seen.end())
      return fail(ErrorCode::BadArgument, say("{} is given twice", key), where, say("leave one out"));
    seen.push_back(key);
    if (auto set = bus.set(key, parts[i].substr(at + 1)); !set)
      return located(set.error());
  }
  for (const SettingSpec& setting : bus.settings.specs()) {
    if (setting.fallback.empty() && std::find(seen.begin(), seen.end(), setting.key) == seen.end())
      return fail(ErrorCode::BadArgument, say("{} is not given", setting.key), where,
                  say("add {}={}", setting.key, likelyValue(setting)));
  }
  if (auto good = bus.check(); !good)
    return located(good.error());
  return bus;
}

std::string busSpecText(const Bus& bus)
{
  std::string text = fmt::format("{}={}", bus.name, bus.protocol().name());
  for (const KeyValue& value : bus.values())
    text += fmt::format(",{}={}", value.key, value.value);
  return text;
}

}  // namespace bexto
