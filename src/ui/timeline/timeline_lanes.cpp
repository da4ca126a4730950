#include "ui/timeline/timeline_lanes.h"

#include "core/decode/settings.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

/// More wires than anybody scrolls through: a simulator's dump may have thousands.
constexpr std::size_t kMostOtherWires = 64;

TimelineLane wireLane(const Channel& channel, int bus, int stream)
{
  TimelineLane lane;
  lane.kind = TimelineLane::Kind::Wire;
  lane.name = toQString(channel.name);
  lane.bus = bus;
  lane.stream = stream;
  lane.track = channel.track;
  lane.height = kWireLaneHeight;
  return lane;
}

}  // namespace

std::vector<TimelineLane> timelineLanes(const Document& document)
{
  std::vector<TimelineLane> lanes;
  if (!document.capture())
    return lanes;
  std::set<std::size_t> used;
  for (int b = 0; b < document.busCount(); ++b) {
    const BusView& view = document.bus(b);
    const ProtocolSpec& spec = specOf(view.shown.protocol());
    for (std::size_t s = 0; s < view.streams.size(); ++s) {
      const StreamView& stream = view.streams[s];
      TimelineLane lane;
      lane.kind = TimelineLane::Kind::Bus;
      lane.name = toQString(view.shown.name);
      lane.detail = toQString(spec.label);
      if (view.streams.size() > 1)
        lane.detail += QLatin1Char(' ') + toQString(stream.line).toUpper();
      lane.bus = b;
      lane.stream = static_cast<int>(s);
      lane.height = kBusLaneHeight;
      lanes.push_back(std::move(lane));
      for (const std::size_t channel : stream.channels) {
        used.insert(channel);
        lanes.push_back(wireLane(document.capture()->channels[channel], b, static_cast<int>(s)));
      }
      lanes.back().samples = true;  // UART has one wire; of I2C the second is SDA
    }
  }
  std::size_t others = 0;
  for (std::size_t i = 0; i < document.capture()->channels.size() && others < kMostOtherWires; ++i) {
    const Channel& channel = document.capture()->channels[i];
    if (used.contains(i) || channel.track.size() == 0)
      continue;
    lanes.push_back(wireLane(channel, -1, -1));
    ++others;
  }
  int top = 0;
  for (TimelineLane& lane : lanes) {
    lane.top = top;
    top += lane.height;
  }
  return lanes;
}

}  // namespace bexto::ui
