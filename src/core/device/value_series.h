#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/decode/device_value.h"
#include "core/decode/transactions.h"

namespace bexto {

class BusDevices;
class Reading;
struct SheetField;

/// The sheet's description of a value; nullptr when the devices of the bus have no such value. Lives as long as they.
const SheetField* fieldOf(const BusDevices& devices, const DeviceValue& value);
/// Whether it is a number at all times, and so can be drawn: texts and rows of bytes are none.
bool isNumeric(const SheetField& field);
/// All values of the devices that are, in the order of their sheets.
std::vector<DeviceValue> numericValues(const BusDevices& devices);

/// What one value was, each time that somebody said it, in the order of time: with the smallest and largest of each 64
/// and each 4096, so that any stretch of millions is looked at in microseconds. About 21 bytes a point. Frames whose
/// own check failed say nothing. An immutable value whose whole blocks are shared; any thread may read.
class ValueSeries {
 public:
  static constexpr std::size_t kFew = 64;
  static constexpr std::size_t kBlock = 4096;

  struct Point {
    Picoseconds at{0};  ///< end of the frame or message that said it
    double value = 0.0;
    std::uint32_t frame = 0;  ///< its first
  };
  struct Range {
    double low = 0.0;
    double high = 0.0;
  };

  ValueSeries() = default;
  /// One pass over the frames, over the new ones only with `before`, which is the series of the same value in the begin
  /// of the same stream. Empty when no sheet knows the value. Nothing when stopped.
  static std::optional<ValueSeries> make(const Bus& bus, const Transactions& transactions, const DeviceValue& value,
                                         const ValueSeries& before, const std::stop_token& stop);

  std::uint64_t size() const { return m_sealed.size() * kBlock + (m_open ? m_open->at.size() : 0); }
  bool empty() const { return size() == 0; }
  /// Requires: i < size().
  Point at(std::uint64_t i) const;
  /// How many are before `t`: the number of the first from there on.
  std::uint64_t countBefore(Picoseconds t) const;
  /// Smallest and largest of [begin, end). Requires: begin < end <= size().
  Range rangeOf(std::uint64_t begin, std::uint64_t end) const;
  /// A rest longer than this is one in which nobody said anything; kNever: nothing can be told. Two and a half times
  /// the sheet's `every`, or four times what nineteen of twenty rests are shorter than.
  Picoseconds silence() const { return m_silence; }
  /// For how long a value that is followed by silence still holds.
  Picoseconds holds() const { return m_holds; }

 private:
  struct Block {
    std::vector<Picoseconds> at;
    std::vector<double> value;
    std::vector<std::uint32_t> frame;
    std::vector<Range> few;  ///< of each kFew
    Range all;
  };
  void add(const Point& point);
  void cutFrom(std::uint32_t frame);
  void findSilence(Picoseconds every);
  const Block& blockOf(std::uint64_t i) const
  {
    const auto block = static_cast<std::size_t>(i / kBlock);
    return block < m_sealed.size() ? *m_sealed[block] : *m_open;
  }

  std::vector<std::shared_ptr<const Block>> m_sealed;
  std::shared_ptr<Block> m_open;
  std::shared_ptr<const Reading> m_reading;  ///< that it was made of
  std::uint64_t m_looked = 0;                ///< units
  Picoseconds m_silence = kNever;
  Picoseconds m_holds = kNever;
};

}  // namespace bexto
