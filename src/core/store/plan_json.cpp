// Tested by tests/core/capture_plan_test.cpp.
#include "core/store/plan_json.h"

#include <array>
#include <nlohmann/json.hpp>
#include <string_view>

namespace bexto {

namespace {

using Json = nlohmann::json;

constexpr std::array<std::string_view, 3> kRepeats{"once", "again", "collect"};

}  // namespace

std::string planText(const CapturePlan& plan)
{
  Json channels = Json::array();
  for (const PlannedChannel& channel : plan.channels)
    channels.push_back({{"input", channel.input}, {"name", channel.name}});
  const bool event = plan.start.kind == StartCondition::Kind::Event;
  const Json json = {{"source", plan.source},
                     {"channels", channels},
                     {"rate", plan.rate},
                     {"length_ps", plan.length.count()},
                     {event ? "event" : "wires", textOf(plan.start)},
                     {"before_ps", plan.before.count()},
                     {"after_ps", plan.after.count()},
                     {"repeat", kRepeats.at(static_cast<std::size_t>(plan.repeat))},
                     {"runs", plan.runs}};
  return json.dump(-1, ' ', false, Json::error_handler_t::replace);
}

CapturePlan planOfText(const std::string& text)
{
  CapturePlan plan;
  const Json json = Json::parse(text, nullptr, false);
  if (!json.is_object())
    return plan;
  try {
    plan.source = json.value("source", std::string());
    for (const Json& channel : json.value("channels", Json::array()))
      plan.channels.push_back({channel.value("input", std::uint32_t{1}), channel.value("name", std::string())});
    const auto time = [&json](const char* key, Picoseconds usual) {
      return Picoseconds{std::max<std::int64_t>(0, json.value(key, usual.count()))};
    };
    plan.rate = std::max(0.0, json.value("rate", 0.0));
    plan.length = time("length_ps", plan.length);
    plan.before = time("before_ps", plan.before);
    plan.after = time("after_ps", plan.after);
    plan.runs = json.value("runs", true);
    const auto repeat = json.value("repeat", std::string());
    for (std::size_t i = 0; i < kRepeats.size(); ++i)
      plan.repeat = repeat == kRepeats[i] ? static_cast<CapturePlan::Repeat>(i) : plan.repeat;
    if (json.contains("event")) {
      plan.start.kind = StartCondition::Kind::Event;
      plan.start.query = json.at("event").get<std::string>();
    } else if (const auto wires = json.value("wires", std::string()); !wires.empty()) {
      if (auto start = parseWireCondition(wires))
        plan.start = std::move(*start);
    }
  } catch (const Json::exception&) {
    // Of another type than it should be: what was read before it counts.
  }
  return plan;
}

}  // namespace bexto
