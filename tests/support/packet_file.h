#pragma once

// Files of packets put together by hand, block by block, in either byte order, and CAN records.

#include <cstdint>
#include <string>
#include <vector>

namespace bexto::test {

using Bytes = std::vector<std::uint8_t>;

/// A record as LINKTYPE_CAN_SOCKETCAN has it; `room` bytes are there for data.
inline Bytes canRecord(std::uint32_t id, const Bytes& data, std::uint8_t flags = 0, std::size_t room = 8,
                       std::uint8_t dlc = 0)
{
  Bytes bytes{static_cast<std::uint8_t>(id >> 24U),
              static_cast<std::uint8_t>(id >> 16U),
              static_cast<std::uint8_t>(id >> 8U),
              static_cast<std::uint8_t>(id),
              static_cast<std::uint8_t>(data.size()),
              flags,
              0,
              dlc};
  bytes.insert(bytes.end(), data.begin(), data.end());
  bytes.resize(std::max(bytes.size(), 8 + room));
  return bytes;
}

/// A file of blocks (draft-ietf-opsawg-pcapng).
class BlockFile {
 public:
  explicit BlockFile(bool bigEndian = false) : m_big(bigEndian) { section(); }

  std::string number(std::uint64_t value, std::size_t bytes) const
  {
    std::string text;
    for (std::size_t i = 0; i < bytes; ++i)
      text += static_cast<char>(value >> 8 * (m_big ? bytes - 1 - i : i) & 0xFFU);
    return text;
  }
  BlockFile& block(std::uint32_t type, std::string body)
  {
    body.resize((body.size() + 3) / 4 * 4);
    const std::string length = number(body.size() + 12, 4);
    content += number(type, 4) + length + body + length;
    return *this;
  }
  std::string option(std::uint16_t code, std::string value) const
  {
    const std::string head = number(code, 2) + number(value.size(), 2);
    value.resize((value.size() + 3) / 4 * 4);
    return head + value;
  }
  std::string highLow(std::uint64_t value) const { return number(value >> 32U, 4) + number(value & 0xFFFFFFFFU, 4); }

  BlockFile& section()
  {
    return block(0x0A0D0D0A, number(0x1A2B3C4D, 4) + number(1, 2) + number(0, 2) + number(~0ULL, 8));
  }
  /// `options` in the file's byte order.
  BlockFile& interface(std::uint16_t linkType, const std::string& options = {})
  {
    return block(1, number(linkType, 2) + number(0, 2) + number(0, 4) + options);
  }
  BlockFile& named(const std::string& name, std::uint16_t linkType = 227)
  {
    return interface(linkType, option(2, name) + option(0, {}));
  }
  BlockFile& packet(std::uint32_t interface, std::uint64_t time, const Bytes& bytes)
  {
    const std::string size = number(bytes.size(), 4);
    return block(6, number(interface, 4) + highLow(time) + size + size + std::string(bytes.begin(), bytes.end()));
  }

  std::string content;

 private:
  bool m_big;
};

}  // namespace bexto::test
