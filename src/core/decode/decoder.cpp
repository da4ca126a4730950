#include "core/decode/decoder.h"

#include <algorithm>

#include "core/decode/protocol.h"

namespace bexto {

StreamInput inputOf(const Capture& capture, const BusStream& stream)
{
  StreamInput input;
  for (const std::size_t channel : stream.channels) {
    input.tracks.push_back(capture.channels.at(channel).signal());
    if (!capture.channels[channel].isWire())
      input.records = capture.channels[channel].records;
  }
  input.until = capture.end;
  return input;
}

Result<StreamFrames> decodeStream(const Bus& bus, const StreamInput& input, const std::stop_token& stop,
                                  const FramesArrived& arrived)
{
  constexpr std::size_t kSlice = 32768;
  const std::unique_ptr<Decoder> decoder = bus.protocol().decoder(bus, input);
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

Anatomy anatomyOf(const Bus& bus, const StreamInput& input, const FrameIndex& frames, std::uint64_t number,
                  TimeRange window)
{
  return input.isOfWholes ? Anatomy() : bus.protocol().anatomy(bus, input, frames, number, window);
}

}  // namespace bexto
