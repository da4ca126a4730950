// Tested by tests/core/packed_samples_test.cpp.
#include "core/format/packed_reader.h"

#include <fmt/core.h>

#include <filesystem>

#include "core/base/input_file.h"
#include "core/base/number_text.h"
#include "core/base/say.h"
#include "core/signal/packed_samples.h"

namespace bexto {

namespace {

Result<void> check(const ReadHints& hints, const std::string& path)
{
  if (hints.channels == 0 || hints.rate == 0)
    return fail(ErrorCode::BadArgument,
                say("packed samples do not say how many channels they have, and how fast they are"), path,
                say("give --raw-channels N and --raw-rate HZ"));
  if (hints.channels > kMostPackedChannels)
    return fail(ErrorCode::BadArgument, say("{} channels are too many", hints.channels), path,
                say("there can be 1 to {}", kMostPackedChannels));
  if (!(hints.rate >= SampleClock::lowestRate() && hints.rate <= SampleClock::highestRate()))
    return fail(ErrorCode::BadArgument, say("{} samples a second are no rate", hints.rate), path,
                say("it can be 0.001 to 1e12"));
  return {};
}

}  // namespace

Result<Capture> readPacked(const std::string& path, const ReadHints& hints, const std::stop_token& stop,
                           Progress& progress)
{
  if (auto checked = check(hints, path); !checked)
    return tl::unexpected(checked.error());
  auto file = InputFile::open(path);
  if (!file)
    return tl::unexpected(file.error());
  PackedSamples samples(hints.channels, hints.rate);
  const std::size_t width = samples.bytesPerSample();
  const std::int64_t most = SampleClock(hints.rate).most();
  std::string piece((std::size_t{1} << 20U) / width * width, '\0');
  std::size_t rest = 0;
  for (bool end = false; !end;) {
    if (stop.stop_requested())
      return fail(ErrorCode::Cancelled, "cancelled");
    const auto got = file->read(piece);
    if (!got)
      return tl::unexpected(got.error());
    end = *got < piece.size();
    rest = *got % width;
    const std::size_t whole = *got - rest;
    if (samples.samples() > most - static_cast<std::int64_t>(whole / width))
      return fail(ErrorCode::Malformed, say("it is longer than the 53 days that a capture can have"), path,
                  say("give a higher --raw-rate"));
    samples.take({reinterpret_cast<const std::uint8_t*>(piece.data()), whole});
    progress.report(file->fraction());
  }
  if (samples.samples() == 0)
    return fail(ErrorCode::Malformed, say("there is no whole sample in it"), path, say("check the number of channels"));
  Capture capture;
  capture.source = std::filesystem::path(path).filename().string();
  capture.rate = hints.rate;
  capture.tick = Picoseconds{std::max<std::int64_t>(1, std::llround(1e12 / hints.rate))};
  capture.end = samples.end();
  for (std::size_t channel = 0; channel < hints.channels; ++channel)
    capture.channels.push_back({fmt::format("D{}", channel), {}, samples.track(channel)});
  nameChannels(capture);
  if (rest > 0)
    capture.notes.push_back(counted(rest, {"the last {} byte is no whole sample; it is passed over",
                                           "the last {} bytes are no whole sample; they are passed over"}));
  for (std::string& note : file->notes())
    capture.notes.push_back(std::move(note));
  return capture;
}

}  // namespace bexto
