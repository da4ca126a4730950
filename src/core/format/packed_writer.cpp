// Tested by tests/core/packed_samples_test.cpp.
#include "core/format/packed_writer.h"

#include <algorithm>
#include <memory>
#include <numeric>
#include <vector>

#include "core/base/number_text.h"
#include "core/base/say.h"
#include "core/base/time_text.h"
#include "core/format/capture_output.h"
#include "core/signal/edge_stream.h"
#include "core/signal/packed_samples.h"

namespace bexto {

namespace {

using Streams = std::vector<std::unique_ptr<EdgeStream>>;

Streams streamsOf(const Capture& capture)
{
  Streams streams;
  for (const Channel& channel : capture.channels)
    streams.push_back(std::make_unique<EdgeStream>(channel.track, Picoseconds{0}, capture.end, true));
  return streams;
}

}  // namespace

double exactRate(const Capture& capture)
{
  if (capture.rate > 0)
    return capture.rate;
  std::int64_t period = capture.end.count();
  for (const auto& stream : streamsOf(capture)) {
    for (; period > 1 && stream->next() != kNever.count(); stream->advance())
      period = std::gcd(period, stream->next());
  }
  // Nothing ever changes: one sample at the begin says it all.
  return 1e12 / static_cast<double>(std::max<std::int64_t>(1, period));
}

Result<void> writePacked(const Capture& capture, const std::string& path, const WriteHints& hints)
{
  // Times to the nanosecond make a sample each nanosecond: nobody wants that without a word.
  constexpr double kMostUnasked = 1ULL << 30U;
  constexpr double kMostAsked = 1ULL << 40U;
  const double rate = std::max(hints.rate > 0 ? hints.rate : exactRate(capture), SampleClock::lowestRate());
  if (rate > SampleClock::highestRate())
    return fail(ErrorCode::BadArgument, say("{} samples a second are no rate", rate), path,
                say("it can be 0.001 to 1e12"));
  const SampleClock clock(rate);
  const std::size_t width = bytesPerSample(std::max<std::size_t>(1, capture.channels.size()));
  const double bytes = static_cast<double>(capture.end.count()) * 1e-12 * rate * static_cast<double>(width);
  if (bytes > (hints.rate > 0 ? kMostAsked : kMostUnasked))
    return fail(ErrorCode::BadArgument,
                say("packed samples, one every {}, would take {} GB", lengthText(Picoseconds{clock.timeOf(1)}),
                    countText(static_cast<std::uint64_t>(bytes / 1e9))),
                path, say("give a lower rate with --raw-rate HZ"));
  auto file = CaptureOutput::create(path);
  if (!file)
    return tl::unexpected(file.error());
  const Streams streams = streamsOf(capture);
  std::string sample(width, '\0');
  for (std::size_t i = 0; i < streams.size(); ++i) {
    if (capture.channels[i].track.startLevel())
      sample[i / 8] = static_cast<char>(sample[i / 8] | 1 << i % 8);
  }
  // The last sample is at the capture's end or before it; a change behind that one would be in the next.
  std::int64_t last = clock.firstFrom(capture.end.count());
  const std::int64_t after = last;
  if (clock.timeOf(last) > capture.end.count())
    --last;
  constexpr std::size_t kPiece = std::size_t{1} << 20U;
  std::string piece;
  piece.reserve(kPiece + width);
  const auto repeat = [&](std::int64_t times) -> Result<void> {
    while (times > 0) {
      const auto now = std::min(times, static_cast<std::int64_t>(std::max<std::size_t>(
                                           1, (kPiece - std::min(kPiece, piece.size())) / width)));
      if (width == 1) {
        piece.append(static_cast<std::size_t>(now), sample.front());
      } else {
        for (std::int64_t n = 0; n < now; ++n)
          piece += sample;
      }
      times -= now;
      if (piece.size() + width > kPiece) {
        if (auto written = file->write(piece); !written)
          return written;
        piece.clear();
      }
    }
    return {};
  };
  std::int64_t done = 0;
  for (;;) {
    std::int64_t next = kNever.count();
    for (const auto& stream : streams)
      next = std::min(next, stream->next());
    const std::int64_t until = next == kNever.count() ? last + 1 : std::min(clock.firstFrom(next), after);
    if (auto written = repeat(std::min(until, last + 1) - done); !written)
      return written;
    done = std::min(until, last + 1);
    if (next == kNever.count() || done > last)
      break;
    for (std::size_t i = 0; i < streams.size(); ++i) {
      for (; streams[i]->next() == next; streams[i]->advance())
        sample[i / 8] = static_cast<char>(sample[i / 8] ^ 1 << i % 8);
    }
  }
  if (auto written = file->write(piece); !written)
    return written;
  return file->finish();
}

}  // namespace bexto
