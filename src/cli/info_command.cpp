#include <fmt/core.h>

#include <nlohmann/json.hpp>

#include "cli/commands.h"
#include "cli/input.h"
#include "cli/output.h"
#include "core/base/number_text.h"
#include "core/base/time_text.h"
#include "core/decode/bus_spec.h"
#include "core/export/csv.h"

namespace bexto::cli {

namespace {

std::string asText(const Input& input)
{
  const Capture& capture = input.capture;
  std::string text = fmt::format("{}\nspan     {} s\nperiod   {}\n\n", capture.source, momentText(capture.end, 12),
                                 lengthText(capture.tick));
  std::size_t width = 7;
  for (const Channel& c : capture.channels)
    width = std::max(width, specName(c.path).size());
  text += fmt::format("{:<{}}  {:<7}  {:>5}  {:>14}\n", "channel", width, "kind", "first",
                      capture.isOnlyRecords() ? "frames" : "transitions");
  for (const Channel& c : capture.channels)
    text += c.isWire() ? fmt::format("{:<{}}  {:<7}  {:>5}  {:>14}\n", specName(c.path), width, "digital",
                                     c.track.startLevel() ? 1 : 0, countText(c.track.size()))
                       : fmt::format("{:<{}}  {:<7}  {:>5}  {:>14}\n", specName(c.path), width, "frames", "",
                                     countText(c.records->size()));
  if (input.session.segments.size() > 1) {
    text += "\nsegments\n";
    for (std::size_t i = 0; i < input.session.segments.size(); ++i)
      text +=
          fmt::format("{} {:>2}  {}\n", i == input.session.shown ? '>' : ' ', i + 1, input.session.segments[i].name);
  }
  if (!input.buses.empty()) {
    text += "\nbuses\n";
    for (const Bus& bus : input.buses)
      text += busSpecText(bus) + '\n';
  }
  return text;
}

std::string asJson(const Capture& capture)
{
  std::string text;
  for (const Channel& c : capture.channels) {
    if (!c.isWire()) {
      const nlohmann::ordered_json line{{"channel", c.path},
                                        {"kind", "frames"},
                                        {"frames", c.records->size()},
                                        {"link_type", c.records->linkType()},
                                        {"end_ps", capture.end.count()},
                                        {"period_ps", capture.tick.count()}};
      text += line.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace) + '\n';
      continue;
    }
    const nlohmann::ordered_json line{{"channel", c.path},
                                      {"kind", "digital"},
                                      {"first_level", c.track.startLevel() ? 1 : 0},
                                      {"transitions", c.track.size()},
                                      {"end_ps", capture.end.count()},
                                      {"period_ps", capture.tick.count()}};
    text += line.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace) + '\n';
  }
  return text;
}

std::string asCsv(const Capture& capture)
{
  std::string text = csvRecord({"channel", "kind", "first_level", "transitions", "end_ps", "period_ps"});
  for (const Channel& c : capture.channels)
    text += csvRecord({c.path, c.isWire() ? "digital" : "frames",
                       !c.isWire()            ? ""
                       : c.track.startLevel() ? "1"
                                              : "0",
                       std::to_string(c.isWire() ? c.track.size() : c.records->size()),
                       std::to_string(capture.end.count()), std::to_string(capture.tick.count())});
  return text;
}

}  // namespace

Result<void> runInfo(const Request& request, FrameFormat format)
{
  const auto input = openInput(request);
  if (!input)
    return tl::unexpected(input.error());
  const Capture& capture = input->capture;
  auto output = Output::open(request.out);
  if (!output)
    return tl::unexpected(output.error());
  const std::string text = format == FrameFormat::Text  ? asText(*input)
                           : format == FrameFormat::Csv ? asCsv(capture)
                                                        : asJson(capture);
  if (auto written = output->write(text); !written)
    return written;
  return output->finish();
}

}  // namespace bexto::cli
