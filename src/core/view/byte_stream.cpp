// Tested by tests/core/byte_stream_test.cpp.
#include "core/view/byte_stream.h"

#include <algorithm>
#include <cassert>

#include "core/decode/uart.h"

namespace bexto {

namespace {

/// The bytes that a frame carries that way. A character is one byte: what `own` holds.
std::span<const std::uint8_t> bytesIn(const PayloadReader& reader, bool uart, const Frame& frame, PayloadWay way,
                                      std::uint8_t& own)
{
  if (uart) {
    own = static_cast<std::uint8_t>(frame.key);
    return (frame.flags & kUartHasValue) != 0 ? std::span<const std::uint8_t>(&own, 1)
                                              : std::span<const std::uint8_t>();
  }
  for (const FramePayload& payload : reader.of(frame)) {
    if (payload.way == way)
      return payload.bytes;
  }
  return {};
}

}  // namespace

std::vector<PayloadWay> ByteStream::waysOf(const Bus& bus)
{
  switch (bus.protocol()) {
    case Protocol::I2c:
      return {PayloadWay::Written, PayloadWay::Read};
    case Protocol::Spi: {
      std::vector<PayloadWay> ways;
      if (!bus.channelOf("mosi").empty())
        ways.push_back(PayloadWay::Mosi);
      if (!bus.channelOf("miso").empty())
        ways.push_back(PayloadWay::Miso);
      return ways;
    }
    case Protocol::Uart:
    case Protocol::Can:
      break;
  }
  return {PayloadWay::Only};
}

Result<ByteStream> ByteStream::make(const Bus& bus, FrameIndex frames, PayloadWay way, const std::stop_token& stop)
{
  ByteStream stream;
  stream.m_bus = bus;
  stream.m_way = way;
  const PayloadReader reader(bus);
  const bool uart = bus.protocol() == Protocol::Uart;
  std::uint8_t own = 0;
  std::uint64_t number = 0;
  for (const auto& chunk : frames.chunks()) {
    if (stop.stop_requested())
      return fail(ErrorCode::Cancelled, "cancelled");
    std::size_t from = 0;
    for (std::size_t i = 0; i < chunk->size(); ++i, ++number) {
      if (number % kStep == 0)
        stream.m_addresses.push_back(stream.m_size);
      const Frame frame{{},
                        chunk->kind[i],
                        chunk->flags[i],
                        chunk->errors[i],
                        chunk->key[i],
                        {chunk->payload.data() + from, chunk->payloadEnd[i] - from}};
      from = chunk->payloadEnd[i];
      stream.m_size += bytesIn(reader, uart, frame, way, own).size();
    }
  }
  stream.m_frames = std::move(frames);
  return stream;
}

std::uint64_t ByteStream::bytesOf(std::uint64_t frame) const
{
  std::uint8_t own = 0;
  return bytesIn(PayloadReader(m_bus), m_bus.protocol() == Protocol::Uart, m_frames.frame(frame), m_way, own).size();
}

std::uint64_t ByteStream::addressOf(std::uint64_t frame) const
{
  assert(frame < m_frames.size());
  const PayloadReader reader(m_bus);
  const bool uart = m_bus.protocol() == Protocol::Uart;
  std::uint8_t own = 0;
  std::uint64_t address = m_addresses[static_cast<std::size_t>(frame / kStep)];
  for (std::uint64_t f = frame / kStep * kStep; f < frame; ++f)
    address += bytesIn(reader, uart, m_frames.frame(f), m_way, own).size();
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
  const PayloadReader reader(m_bus);
  const bool uart = m_bus.protocol() == Protocol::Uart;
  std::uint8_t own = 0;
  for (std::uint64_t f = block * kStep; f < m_frames.size() && out.size() < count; ++f) {
    const Frame frame = m_frames.frame(f);
    const auto bytes = bytesIn(reader, uart, frame, m_way, own);
    const std::uint64_t skip = address > at ? std::min<std::uint64_t>(address - at, bytes.size()) : 0;
    for (auto i = static_cast<std::size_t>(skip); i < bytes.size() && out.size() < count; ++i)
      out.push_back({bytes[i], f, i == 0, frame.errors != 0});
    at += bytes.size();
  }
  return out;
}

}  // namespace bexto
