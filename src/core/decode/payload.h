#pragma once

#include <array>
#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "core/decode/frame_index.h"

namespace bexto {

/// Which way payload goes, where a bus has several: a number in Protocol::Facts::ways.
using PayloadWay = std::uint8_t;

/// Bytes that go one way. A borrowed view.
struct FramePayload {
  PayloadWay way = 0;
  std::span<const std::uint8_t> bytes;  ///< valid as long as the frame that was asked and the index it came from
};

/// At most two payloads, by value: what a frame can carry at once, in the order of its protocol's ways.
class FramePayloads {
 public:
  /// Requires: there are fewer than two.
  void add(PayloadWay way, std::span<const std::uint8_t> bytes) { m_payloads[m_count++] = {way, bytes}; }
  const FramePayload* begin() const { return m_payloads.data(); }
  const FramePayload* end() const { return m_payloads.data() + m_count; }
  std::size_t size() const { return m_count; }
  bool empty() const { return m_count == 0; }

 private:
  std::array<FramePayload, 2> m_payloads{};
  std::size_t m_count = 0;
};

/// Finds the bytes that frames of one bus carry, without address, checks and what else its protocol adds. Made by
/// Protocol::payloadReader() for one bus, so that millions of frames need not ask what its settings say. Immutable; any
/// number of threads may use one. It keeps what it needs of the bus.
class PayloadReader {
 public:
  PayloadReader() = default;
  PayloadReader(const PayloadReader&) = delete;
  PayloadReader& operator=(const PayloadReader&) = delete;
  virtual ~PayloadReader() = default;

  /// Requires: `frame` came from decoding the bus, and is an object that lives as long as the result is used: a frame
  /// that is one byte may hold it in itself.
  virtual FramePayloads of(const Frame& frame) const = 0;
  /// Whether the frames of a transaction are one row of bytes, each frame a byte of it: then a pattern is looked for in
  /// the row, and a list shows it as one.
  virtual bool joinsFrames() const { return false; }
  /// Appends the bytes of the frames [first, end) of a chunk, of all ways. Readers whose frames join make it quick.
  virtual void collect(const FrameChunk& chunk, std::size_t first, std::size_t end,
                       std::vector<std::uint8_t>& out) const;
};

}  // namespace bexto
