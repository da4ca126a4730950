#pragma once

// Waves for tests: small pictures become tracks, and senders make traffic whose meaning is known.

#include <random>
#include <string>
#include <string_view>
#include <vector>

#include "core/decode/decoder.h"
#include "core/export/frame_writer.h"
#include "core/signal/edge_track_builder.h"
#include "support/rooms.h"

namespace bexto::test {

/// "__##_": a level for each character, `step` long; '#' is high.
inline EdgeTrack wave(std::string_view picture, Picoseconds step)
{
  EdgeTrackBuilder builder;
  for (std::size_t i = 0; i < picture.size(); ++i)
    builder.set(static_cast<std::int64_t>(i) * step.count(), picture[i] == '#');
  return builder.snapshot();
}

inline EdgeTrack trackOf(bool startLevel, const std::vector<std::int64_t>& picoseconds)
{
  EdgeTrackBuilder builder;
  builder.set(0, startLevel);
  for (const std::int64_t t : picoseconds)
    builder.toggle(t);
  return builder.snapshot();
}

inline std::vector<std::int64_t> timesOf(const EdgeTrack& track)
{
  std::vector<std::int64_t> times;
  for (std::uint64_t i = 0; i < track.size(); ++i)
    times.push_back(track.at(i).count());
  return times;
}

/// A line that is told its levels by duration.
class LineWriter {
 public:
  explicit LineWriter(bool idle) { m_builder.set(0, idle); }
  void hold(bool level, double picoseconds)
  {
    m_builder.set(static_cast<std::int64_t>(m_now + 0.5), level);
    m_now += picoseconds;
  }
  EdgeTrack track() const { return m_builder.snapshot(); }
  Picoseconds now() const { return Picoseconds{static_cast<std::int64_t>(m_now + 0.5)}; }

 private:
  EdgeTrackBuilder m_builder;
  double m_now = 0.0;
};

/// Sends one character as the settings say; `bit` is the sender's own bit length in ps.
inline void sendCharacter(LineWriter& line, const UartSettings& uart, std::uint32_t value, double bit)
{
  const auto put = [&](bool level, double bits) { line.hold(level != uart.invert, bits * bit); };
  put(false, 1.0);
  bool odd = false;
  for (int i = 0; i < uart.bits; ++i) {
    const int at = uart.order == BitOrder::Lsb ? i : uart.bits - 1 - i;
    const bool level = (value >> at & 1U) != 0;
    odd = odd != level;
    put(level, 1.0);
  }
  switch (uart.parity) {
    case UartParity::None:
      break;
    case UartParity::Even:
      put(odd, 1.0);
      break;
    case UartParity::Odd:
      put(!odd, 1.0);
      break;
    case UartParity::Mark:
      put(true, 1.0);
      break;
    case UartParity::Space:
      put(false, 1.0);
      break;
  }
  put(true, uart.halfStopBits / 2.0);
}

/// The frames' payloads point into `index`.
std::vector<Frame> framesOf(FrameIndex&&) = delete;
inline std::vector<Frame> framesOf(const FrameIndex& index)
{
  std::vector<Frame> frames;
  for (std::uint64_t i = 0; i < index.size(); ++i)
    frames.push_back(index.frame(i));
  return frames;
}

inline FrameIndex decodeAll(const Bus& bus, const StreamInput& input)
{
  return decodeStream(bus, input, std::stop_token())->frames;
}

/// One frame as a file would have it.
inline std::string frameRecord(const Frame& frame, const FrameOrigin& origin, FrameFormat format)
{
  return FrameWriter(format, {&origin.bus->protocol()}).record(frame, origin);
}

/// A frame as text, so that failures read as a diff.
inline std::string textOf(const Frame& f)
{
  std::string text = std::to_string(f.time.begin.count()) + "-" + std::to_string(f.time.end.count()) + " kind " +
                     std::to_string(static_cast<int>(f.kind)) + " key " + std::to_string(f.key) + " flags " +
                     std::to_string(f.flags) + " errors " + std::to_string(f.errors);
  for (const std::uint8_t b : f.payload)
    text += " " + std::to_string(b);
  return text;
}

inline std::vector<std::string> textsOf(const FrameIndex& index)
{
  std::vector<std::string> texts;
  for (const Frame& f : framesOf(index))
    texts.push_back(textOf(f));
  return texts;
}

/// Feeds the same transitions in pieces that end at random moments; must give what one piece gives.
inline FrameIndex decodeInPieces(const Bus& bus, const StreamInput& whole, std::uint64_t seed)
{
  std::mt19937_64 random(seed);
  // Slow traffic in longer pieces: each makes the tracks anew.
  const auto longest = static_cast<std::uint64_t>(std::max<std::int64_t>(400000000, whole.until.count() / 50));
  FrameIndexBuilder frames;
  std::unique_ptr<Decoder> decoder;
  Picoseconds until{0};
  while (until < whole.until) {
    until = std::min(whole.until, until + Picoseconds{static_cast<std::int64_t>(random() % longest)});
    StreamInput piece;
    piece.until = until;
    piece.final = until == whole.until;
    for (const auto& [track, how] : whole.tracks) {
      EdgeTrackBuilder builder;
      builder.set(0, track.startLevel());
      for (std::uint64_t i = 0; i < track.size() && track.at(i) <= until; ++i)
        builder.toggle(track.at(i).count());
      piece.tracks.push_back({builder.snapshot(), how});
    }
    if (!decoder)
      decoder = bus.protocol().decoder(bus, piece);
    else
      decoder->extend(piece);
    while (decoder->run(frames, 1 + random() % 50)) {
    }
  }
  return frames.snapshot();
}

}  // namespace bexto::test
