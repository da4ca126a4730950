#include "core/decode/decoder.h"

#include <algorithm>
#include <array>

#include "core/decode/can.h"
#include "core/decode/i2c.h"
#include "core/decode/spi.h"
#include "core/decode/uart.h"

namespace bexto {

StreamInput inputOf(const Capture& capture, const BusStream& stream)
{
  StreamInput input;
  for (const std::size_t channel : stream.channels)
    input.tracks.push_back(capture.channels.at(channel).signal());
  input.until = capture.end;
  return input;
}

std::unique_ptr<Decoder> makeDecoder(const Bus& bus, const StreamInput& input)
{
  if (const auto* uart = std::get_if<UartSettings>(&bus.settings))
    return makeUartDecoder(*uart, input);
  if (std::holds_alternative<SpiSettings>(bus.settings))
    return makeSpiDecoder(bus, input);
  if (const auto* can = std::get_if<CanSettings>(&bus.settings))
    return makeCanDecoder(*can, input);
  return makeI2cDecoder(std::get<I2cSettings>(bus.settings), input);
}

Result<StreamFrames> decodeStream(const Bus& bus, const StreamInput& input, const std::stop_token& stop,
                                  const FramesArrived& arrived)
{
  constexpr std::size_t kSlice = 32768;
  const std::unique_ptr<Decoder> decoder = makeDecoder(bus, input);
  FrameIndexBuilder frames;
  bool more = true;
  while (more) {
    if (stop.stop_requested())
      return fail(ErrorCode::Cancelled, "cancelled");
    more = decoder->run(frames, kSlice);
    if (arrived && more)
      arrived(frames, *decoder, toSeconds(decoder->reached()) / std::max(1e-12, toSeconds(input.until)));
  }
  return StreamFrames{frames.snapshot(), decoder->measuredHertz()};
}

namespace {

Anatomy rawAnatomy(const Bus& bus, const StreamInput& input, const FrameIndex& frames, std::uint64_t number)
{
  if (const auto* uart = std::get_if<UartSettings>(&bus.settings))
    return uartAnatomy(*uart, input, frames.frame(number));
  if (const auto* can = std::get_if<CanSettings>(&bus.settings))
    return canAnatomy(*can, input, frames, number);
  return i2cAnatomy(std::get<I2cSettings>(bus.settings), input, frames.frame(number));
}

}  // namespace

Anatomy anatomyOf(const Bus& bus, const StreamInput& input, const FrameIndex& frames, std::uint64_t number,
                  TimeRange window)
{
  if (std::holds_alternative<SpiSettings>(bus.settings))
    return spiAnatomy(bus, input, frames.frame(number), window);
  Anatomy anatomy = rawAnatomy(bus, input, frames, number);
  std::array<std::size_t, kRoleCount> seen{};
  for (Field& field : anatomy.fields)
    field.ordinal = seen.at(static_cast<std::size_t>(field.role))++;
  return anatomy;
}

}  // namespace bexto
