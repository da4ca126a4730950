#include "core/decode/bus.h"

#include <fmt/core.h>

#include "core/decode/can.h"
#include "core/decode/decoder.h"
#include "core/decode/settings.h"
#include "core/decode/uart_rate.h"

namespace bexto {

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

namespace {

/// Replaces a rate of "auto" by what the wires say.
Result<void> findRate(ResolvedBus& bus, const Capture& capture)
{
  if (auto* uart = std::get_if<UartSettings>(&bus.bus.settings); uart != nullptr && uart->baud == 0.0) {
    for (const BusStream& stream : bus.streams) {
      uart->baud = nearestStandardRate(estimateBitRate(inputOf(capture, stream).tracks.front()));
      if (uart->baud > 0.0)
        return {};
    }
    return fail(ErrorCode::BadArgument, "the baud cannot be found: the line has too few edges", {},
                "give it, like baud=115200");
  }
  if (auto* can = std::get_if<CanSettings>(&bus.bus.settings); can != nullptr && can->bitrate == 0.0) {
    can->bitrate = findCanBitRate(*can, inputOf(capture, bus.streams.front()));
    if (!(can->bitrate > 0.0))
      return fail(ErrorCode::BadArgument, "the bit rate cannot be found: at no usual rate is there a whole frame", {},
                  "give it, like bitrate=500000");
  }
  return {};
}

}  // namespace

Result<ResolvedBus> resolveBus(const Bus& bus, const Capture& capture)
{
  if (auto good = checkBus(bus); !good)
    return tl::unexpected(good.error());
  const auto in = [&](const Error& e) {
    Error named = e;
    named.where = fmt::format("bus {}", bus.name);
    return tl::unexpected(named);
  };
  ResolvedBus resolved{bus, {}};
  std::vector<std::size_t> channels;
  for (const RoleSpec& role : specOf(bus.protocol()).roles) {
    const std::string& name = bus.channelOf(role.name);
    if (name.empty())
      continue;
    const auto found = capture.find(name);
    if (!found)
      return in(found.error());
    for (const std::size_t other : channels) {
      if (capture.channels[other].track.sameAs(capture.channels[*found].track))
        return fail(ErrorCode::BadArgument, fmt::format("two lines of the bus are on one wire, '{}'", name),
                    fmt::format("bus {}", bus.name), "choose another channel for one of them");
    }
    channels.push_back(*found);
    if (bus.protocol() == Protocol::Uart)
      resolved.streams.push_back({role.name, {*found}});
  }
  if (bus.protocol() != Protocol::Uart)
    resolved.streams.push_back({"", channels});
  if (auto found = findRate(resolved, capture); !found)
    return in(found.error());
  return resolved;
}

}  // namespace bexto
