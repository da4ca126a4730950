#pragma once

// Frames of a bus by hand, and what device sheets make of them.

#include <fstream>
#include <sstream>

#include "core/decode/bus_spec.h"
#include "core/decode/sentence.h"
#include "core/device/sheet.h"
#include "core/device/sheet_file.h"
#include "core/protocol/can/can_frame_reader.h"
#include "support/rooms.h"

namespace bexto::test {

/// A folder of the source tree: "data/sheets".
inline std::string sourceFolder(const std::string& folder)
{
  return std::string(BEXTO_TEST_DATA) + "/../../" + folder;
}

inline std::string fileText(const std::string& path)
{
  std::ifstream in(path, std::ios::binary);
  std::ostringstream text;
  text << in.rdbuf();
  return text.str();
}

/// Frames of one stream, one behind the other, a millisecond each unless said.
class DeviceTraffic {
 public:
  using Bytes = std::vector<std::uint8_t>;

  /// By the protocol's name.
  explicit DeviceTraffic(const std::string& protocol)
      : m_bus(*parseBusSpec(protocol == "i2c"    ? "b=i2c,scl=a,sda=b"
                            : protocol == "spi"  ? "b=spi,clk=a,mosi=b,miso=c,cs=d"
                            : protocol == "uart" ? "b=uart,rx=a,baud=9600"
                            : protocol == "can"  ? "b=can,rx=a,bitrate=500000"
                                                 : "b=lin,rx=a,baud=19200"))
  {
  }

  const Bus& bus() const { return m_bus; }
  Bus& bus() { return m_bus; }
  void describe(const std::string& sheet)
  {
    attachSheet(m_bus, {"s" + std::to_string(m_bus.sheets.list().size()), sheet});
  }
  void rest(Picoseconds time) { m_now += time; }

  void write(std::uint32_t address, const Bytes& bytes, bool acked = true, bool goesOn = false)
  {
    transfer(address, bytes, i2c::kHasAddress | (acked ? i2c::kAddressAck : 0U), goesOn);
  }
  void read(std::uint32_t address, const Bytes& bytes)
  {
    transfer(address, bytes,
             i2c::kHasAddress | i2c::kAddressAck | i2c::kRead | unsigned{i2c::kAllButLast} << i2c::kAckShift, false);
  }
  /// A write and a read in one transaction.
  void ask(std::uint32_t address, const Bytes& written, const Bytes& read)
  {
    write(address, written, true, true);
    this->read(address, read);
  }
  void exchange(const Bytes& mosi, const Bytes& miso)
  {
    Bytes both = mosi;
    both.insert(both.end(), miso.begin(), miso.end());
    Frame frame;
    frame.key = static_cast<std::uint32_t>(mosi.size());
    add(frame, both);
  }
  void can(std::uint32_t id, const Bytes& bytes, bool wide = false, FrameErrors errors = 0)
  {
    Frame frame;
    frame.kind = kCanData;
    frame.key = id;
    frame.flags = static_cast<std::uint16_t>((wide ? can::kExtended : 0U) |
                                             static_cast<unsigned>(can::Reach::Dlc) << can::kReachShift |
                                             static_cast<unsigned>(bytes.size()) << can::kDlcShift);
    frame.errors = errors;
    add(frame, bytes);
  }
  void lin(std::uint32_t id, const Bytes& bytes)
  {
    Frame frame;
    frame.kind = kLinFrame;
    frame.key = id;
    frame.flags =
        static_cast<std::uint16_t>(bexto::lin::kHasId | (bytes.empty() ? 0U : unsigned{bexto::lin::kHasData}));
    frame.errors = bytes.empty() ? errorBit(LinError::NoResponse) : FrameErrors{0};
    add(frame, bytes);
  }
  /// A row without a rest between.
  void say(const Bytes& bytes, FrameErrors errors = 0)
  {
    for (const std::uint8_t b : bytes) {
      Frame frame;
      frame.flags = kUartHasValue;
      frame.key = b;
      frame.errors = errors;
      add(frame, {});
    }
  }
  void say(const std::string& text) { say(Bytes(text.begin(), text.end())); }
  /// A break in a row of characters.
  void sayBreak()
  {
    Frame frame;
    frame.kind = kUartBreak;
    add(frame, {});
  }

  FrameIndex frames() const { return m_frames.snapshot(); }
  Transactions transactions() const { return {m_bus, frames()}; }
  /// Each transaction as the Ledger has it.
  std::vector<std::string> sentences() const
  {
    const Transactions all = transactions();
    std::vector<std::string> texts;
    for (std::uint64_t i = 0; i < all.size(); ++i)
      texts.push_back(sentenceOf(m_bus, all, i).text());
    return texts;
  }
  /// What the sheets say, transaction by transaction.
  std::vector<Told> told() const
  {
    const Transactions all = transactions();
    return all.meaning() ? all.meaning()->told(m_bus, all.frames(), {0, all.frames().size()}) : std::vector<Told>();
  }

 private:
  void transfer(std::uint32_t address, const Bytes& bytes, unsigned flags, bool goesOn)
  {
    Frame frame;
    frame.key = address;
    frame.flags = static_cast<std::uint16_t>(
        flags | (goesOn ? static_cast<unsigned>(I2cEnd::Restart) : static_cast<unsigned>(I2cEnd::Stop))
                    << i2c::kEndShift);
    frame.errors = (flags & i2c::kAddressAck) == 0 ? errorBit(I2cError::Nack) : FrameErrors{0};
    add(frame, bytes);
    if (!goesOn)
      m_now += Picoseconds{std::chrono::milliseconds{1}};
  }
  void add(Frame frame, const Bytes& payload)
  {
    frame.payload = payload;
    frame.time = {m_now, m_now + Picoseconds{std::chrono::milliseconds{1}}};
    m_now = frame.time.end;
    m_frames.add(frame);
  }

  Bus m_bus;
  FrameIndexBuilder m_frames;
  Picoseconds m_now{0};
};

}  // namespace bexto::test
