#include "core/decode/bus_spec.h"

#include <fmt/core.h>

#include <algorithm>
#include <optional>

#include "core/base/say.h"
#include "core/decode/protocol.h"

namespace bexto {

namespace {

/// "key=value" of a spec; `hasValue` says whether there was a =.
struct SpecPart {
  std::string key;
  std::string value;
  bool hasValue = false;
  std::string text;  ///< as it stands there
};

constexpr std::string_view kQuote = "\"";

/// Takes a word up to one of `stops`: plain, or in quotes, inside which "" is a quote. Nullopt when quotes do not
/// close, or something follows them.
std::optional<std::string> takeWord(std::string_view& rest, std::string_view stops)
{
  if (!rest.starts_with(kQuote)) {
    const std::string word(rest.substr(0, rest.find_first_of(stops)));
    rest.remove_prefix(word.size());
    return word;
  }
  std::string word;
  for (rest.remove_prefix(1);;) {
    const std::size_t quote = rest.find('"');
    if (quote == std::string_view::npos)
      return std::nullopt;
    word += rest.substr(0, quote);
    rest.remove_prefix(quote + 1);
    if (!rest.starts_with(kQuote))
      break;
    word += '"';
    rest.remove_prefix(1);
  }
  return rest.empty() || stops.find(rest.front()) != std::string_view::npos ? std::optional(word) : std::nullopt;
}

/// Nullopt when a quote is not as it has to be.
std::optional<std::vector<SpecPart>> partsOf(std::string_view text)
{
  std::vector<SpecPart> parts;
  for (;;) {
    SpecPart part;
    const std::string_view from = text;
    const auto key = takeWord(text, "=,");
    if (!key)
      return std::nullopt;
    part.key = *key;
    part.hasValue = text.starts_with("=");
    if (part.hasValue) {
      text.remove_prefix(1);
      const auto value = takeWord(text, ",");
      if (!value)
        return std::nullopt;
      part.value = *value;
    }
    part.text = from.substr(0, from.size() - text.size());
    parts.push_back(std::move(part));
    if (text.empty())
      return parts;
    text.remove_prefix(1);
  }
}

std::string quotedIfNeeded(const std::string& text, std::string_view stops)
{
  if (!text.starts_with(kQuote) && text.find_first_of(stops) == std::string::npos)
    return text;
  std::string quoted(kQuote);
  for (const char c : text)
    quoted += c == '"' ? std::string("\"\"") : std::string(1, c);
  return quoted + '"';
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
  const auto parts = partsOf(text);
  if (!parts)
    return fail(ErrorCode::BadArgument, say("a quote does not close"), where,
                say("put all of a name in quotes, and write \"\" for a quote inside"));
  if (!parts->front().hasValue || parts->front().key.empty())
    return fail(ErrorCode::BadArgument, say("it does not begin with NAME=PROTOCOL"), where,
                say("write it like {}", protocols().front()->facts().example));
  const auto protocol = protocolNamed(parts->front().value);
  if (!protocol)
    return located(protocol.error());
  Bus bus(parts->front().key, **protocol);
  std::vector<std::string> seen;
  for (std::size_t i = 1; i < parts->size(); ++i) {
    const SpecPart& part = (*parts)[i];
    if (part.key.empty() || part.value.empty())
      return fail(ErrorCode::BadArgument, say("'{}' is not key=value", part.text), where);
    if (std::find(seen.begin(), seen.end(), part.key) != seen.end())
      return fail(ErrorCode::BadArgument, say("{} is given twice", part.key), where, say("leave one out"));
    seen.push_back(part.key);
    if (auto set = bus.set(part.key, part.value); !set)
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
  std::string text = fmt::format("{}={}", quotedIfNeeded(bus.name, "=,"), bus.protocol().name());
  for (const KeyValue& value : bus.values())
    text += fmt::format(",{}={}", value.key, quotedIfNeeded(value.value, ","));
  return text;
}

std::string specName(const std::string& channel)
{
  return quotedIfNeeded(channel, ",");
}

}  // namespace bexto
