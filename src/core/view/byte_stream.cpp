// Tested by tests/core/byte_stream_test.cpp.
#include "core/view/byte_stream.h"

#include <algorithm>
#include <cassert>

#include "core/decode/protocol.h"

namespace bexto {

namespace {

/// The bytes that a frame carries that way; valid as long as the frame.
std::span<const std::uint8_t> bytesIn(const PayloadReader& reader, const Frame& frame, PayloadWay way)
{
  for (const FramePayload& payload : reader.of(frame)) {
    if (payload.way == way)
      return payload.bytes;
  }
  return {};
}

}  // namespace

Result<ByteStream> ByteStream::make(const Bus& bus, FrameIndex frames, PayloadWay way, const std::stop_token& stop)
{
  ByteStream stream;
  stream.m_way = way;
  stream.m_reader = bus.protocol().payloadReader(bus);
  return stream.extended(std::move(frames), stop);
}

Result<ByteStream> ByteStream::extended(FrameIndex frames, const std::stop_token& stop) const
{
  ByteStream stream = *this;
  std::uint64_t number = m_frames.size();
  for (const auto& chunk : frames.chunks()) {
    if (stop.stop_requested())
      return fail(ErrorCode::Cancelled, "cancelled");
    for (; number < chunk->first + chunk->size(); ++number) {
      if (number % kStep == 0)
        stream.m_addresses.push_back(stream.m_size);
      const Frame frame = chunk->frame(static_cast<std::size_t>(number - chunk->first));
      stream.m_size += bytesIn(*stream.m_reader, frame, m_way).size();
    }
  }
  stream.m_frames = std::move(frames);
  return stream;
}

std::uint64_t ByteStream::bytesOf(std::uint64_t frame) const
{
  const Frame asked = m_frames.frame(frame);
  return bytesIn(*m_reader, asked, m_way).size();
}

std::uint64_t ByteStream::addressOf(std::uint64_t frame) const
{
  assert(frame < m_frames.size());
  std::uint64_t address = m_addresses[static_cast<std::size_t>(frame / kStep)];
  for (std::uint64_t f = frame / kStep * kStep; f < frame; ++f)
    address += bytesOf(f);
  return address;
}

std::vector<ByteStream::Byte> ByteStream::read(std::uint64_t address, std::size_t count) const
{
  std::vector<Byte> out;
  if (address >= m_size)
    return out;
  const auto after = std::upper_bound(m_addresses.begin(), m_addresses.end(), address);
  const auto block = static_cast<std::uint64_t>(after - m_addresses.begin()) - 1;
  std::uint64_t at = m_addresses[static_cast<std::size_t>(block)];
  for (std::uint64_t f = block * kStep; f < m_frames.size() && out.size() < count; ++f) {
    // Where few frames carry bytes, whole stretches carry none: on to the last block that begins at this address.
    if (f % kStep == 0)
      f = static_cast<std::uint64_t>(
              std::upper_bound(m_addresses.begin() + static_cast<std::ptrdiff_t>(f / kStep), m_addresses.end(), at) -
              m_addresses.begin() - 1) *
          kStep;
    const Frame frame = m_frames.frame(f);
    const auto bytes = bytesIn(*m_reader, frame, m_way);
    const std::uint64_t skip = address > at ? std::min<std::uint64_t>(address - at, bytes.size()) : 0;
    for (auto i = static_cast<std::size_t>(skip); i < bytes.size() && out.size() < count; ++i)
      out.push_back({bytes[i], f, i == 0, frame.errors != 0});
    at += bytes.size();
  }
  return out;
}

}  // namespace bexto
