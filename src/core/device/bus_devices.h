#pragma once

#include <algorithm>
#include <array>
#include <memory>
#include <string>
#include <unordered_map>
#include <vector>

#include "core/decode/meaning.h"
#include "core/decode/sheet_text.h"
#include "core/decode/talk.h"
#include "core/device/sheet.h"
#include "core/device/unit_rows.h"

namespace bexto {

class Protocol;

/// The devices of one bus, ready to be looked up. Immutable; any thread may use one.
class BusDevices final : public Describer, public std::enable_shared_from_this<BusDevices> {
 public:
  /// What a row can be of.
  struct Item {
    enum class Kind : std::uint8_t {
      Other,  ///< of that device, and no more is known
      Space,  ///< an access to its registers or its memory by a pointer
      Command,
      Message,
      Part  ///< of a message in several frames, or one that no message of the sheet is like
    };
    Kind kind = Kind::Other;
    std::size_t sheet = 0;
    std::size_t number = 0;  ///< of its command, message or transport
    bool checked = false;    ///< some of its values can be wrong
  };

  /// Sheets of other buses, and such with mistakes, are left out.
  BusDevices(const Protocol& protocol, const SheetTexts& texts);

  std::shared_ptr<const Meaning> read(const Bus& bus, const FrameIndex& frames,
                                      const std::shared_ptr<const Meaning>& before) const override;
  std::optional<Transactions> wholesIn(const Bus& bus, const Transactions& stream, const Transactions& before,
                                       bool final) const override;
  std::vector<std::shared_ptr<const Meaning>> together(const Bus& bus,
                                                       std::span<const Transactions> streams) const override;
  const std::vector<ValueWord>& values() const override { return m_values; }
  const std::vector<std::string>& devices() const override { return m_devices; }
  const std::vector<std::string>& subjects() const override { return m_subjects; }

  bool isOf(const Protocol& protocol, const SheetTexts& texts) const
  {
    return m_protocol == &protocol && m_texts == texts;
  }
  TalkStyle style() const { return m_style; }
  const std::vector<std::shared_ptr<const Sheet>>& sheets() const { return m_sheets; }
  const Sheet& sheet(std::size_t number) const { return *m_sheets[number]; }
  const std::vector<Item>& items() const { return m_items; }
  const Item& item(std::uint16_t number) const { return m_items[number]; }

  /// A way on which messages come in parts.
  struct Transport {
    const SheetTransport* spec = nullptr;
    std::size_t sheet = 0;
    std::uint16_t item = UnitRow::kNone;    ///< of its parts
    std::vector<std::uint16_t> messages{};  ///< items that come over it
  };
  const std::vector<Transport>& transports() const { return m_transports; }
  /// By the identifier of its parts, or of what is said to their sender; nullopt: none.
  std::optional<std::size_t> transportAt(std::uint32_t id) const;
  /// Of a message that came whole: as messageOf().
  std::uint16_t wholeMessageOf(std::uint32_t id, std::span<const std::uint8_t> bytes) const;

  /// What messages of an item have to do with others.
  struct Asks {
    std::uint16_t answersTo = UnitRow::kNone;  ///< the item that they answer
    bool isAsked = false;                      ///< others answer them
    Picoseconds within{0};                     ///< of one that is asked: how long an answer may take; 0: not said
    bool any() const { return isAsked || answersTo != UnitRow::kNone; }
  };
  const Asks& asks(std::uint16_t item) const { return m_asks[item]; }
  bool hasAnswers() const { return m_hasAnswers; }

  std::uint16_t otherOf(std::size_t sheet) const { return m_firstItem[sheet]; }
  std::uint16_t spaceOf(std::size_t sheet) const { return static_cast<std::uint16_t>(m_firstItem[sheet] + 1); }
  std::uint16_t commandOf(std::size_t sheet, std::size_t number) const
  {
    return static_cast<std::uint16_t>(m_firstItem[sheet] + 2 + number);
  }
  /// Of Addressed: whose address it is; nullopt: nobody's.
  std::optional<std::size_t> sheetAt(std::uint32_t address) const;
  /// The command that begins with these bytes; nullopt: none.
  std::optional<std::size_t> commandIn(std::size_t sheet, std::span<const std::uint8_t> out) const;
  /// Of Named: the message with that identifier and those bytes; kNone: none. An identifier that a sheet has, with
  /// bytes that none of its messages has, is `other` of that sheet.
  std::uint16_t messageOf(std::uint32_t id, std::span<const std::uint8_t> bytes) const;
  /// Of Characters.
  std::uint16_t messageIn(std::span<const std::uint8_t> bytes) const;

  /// Registers that an access to `length` bytes from `address` on touches: [first, end) of Sheet::registers, of those
  /// that can be read or written.
  struct Touched {
    std::size_t number = 0;   ///< of the register
    std::int64_t offset = 0;  ///< of its first byte in the access; negative: it begins before
    bool whole = false;       ///< all of its bytes are there
  };
  std::vector<Touched> registersIn(std::size_t sheet, std::uint32_t address, std::size_t length, bool writes) const;
  /// The same without a list: calls visit(Touched) for each.
  template <typename Visit>
  void forRegisters(std::size_t sheet, std::uint32_t address, std::size_t length, bool writes, Visit visit) const
  {
    const Sheet& s = *m_sheets[sheet];
    const std::uint64_t size = spaceSize(sheet);
    // What goes beyond the last address goes on at the first, once.
    const std::uint64_t room = address < size ? (size - address) * s.unit : 0;
    touch(s, address, std::min<std::uint64_t>(length, room), 0, writes, visit);
    if (length > room && s.increments)
      touch(s, 0, length - room, static_cast<std::int64_t>(room), writes, visit);
  }
  /// Addresses in the space, behind which it begins again.
  std::uint64_t spaceSize(std::size_t sheet) const;
  /// Whether one of them can be wrong.
  bool isSpaceChecked(std::size_t sheet) const { return m_spaceChecked[sheet] != 0; }

 private:
  /// `before`: bytes of the access in front of these.
  template <typename Visit>
  static void touch(const Sheet& s, std::uint32_t address, std::size_t length, std::int64_t before, bool writes,
                    Visit& visit)
  {
    // The widest register is 64 addresses: nothing that begins earlier reaches here.
    const std::uint32_t from = address > 64 ? address - 64 : 0;
    const auto first = std::lower_bound(s.registers.begin(), s.registers.end(), from,
                                        [](const SheetRegister& a, std::uint32_t at) { return a.at < at; });
    const std::uint64_t end = address + (std::uint64_t{length} + s.unit - 1) / s.unit;
    for (auto r = first; r != s.registers.end() && r->at < end; ++r) {
      if (r->at + (r->bytes + s.unit - 1) / s.unit <= address)
        continue;
      // Of two at one address, one is read and the other written.
      const bool twin =
          (r + 1 != s.registers.end() && (r + 1)->at == r->at) || (r != s.registers.begin() && (r - 1)->at == r->at);
      if (writes ? twin && !r->writable : !r->readable)
        continue;
      const std::int64_t offset = (std::int64_t{r->at} - std::int64_t{address}) * s.unit;
      const bool whole = offset >= 0 && offset + r->bytes <= static_cast<std::int64_t>(length);
      visit(Touched{static_cast<std::size_t>(r - s.registers.begin()), before + offset, whole});
    }
  }
  void addSheet(std::shared_ptr<const Sheet> sheet);
  void collectWords();
  void findAnswers();

  const Protocol* m_protocol;
  SheetTexts m_texts;
  TalkStyle m_style;
  std::vector<std::shared_ptr<const Sheet>> m_sheets;
  std::vector<Item> m_items;
  std::vector<std::uint16_t> m_firstItem;  ///< of each sheet
  std::vector<char> m_spaceChecked;
  std::vector<Asks> m_asks;  ///< of each item
  bool m_hasAnswers = false;
  static constexpr std::uint16_t kNobody = 0xffff;
  std::array<std::uint16_t, 128> m_byShortAddress{};  ///< sheets of addresses of 7 bits
  std::unordered_map<std::uint32_t, std::size_t> m_byAddress;
  std::vector<std::array<std::vector<std::uint16_t>, 256>> m_byOpcode;  ///< of each sheet: commands by their first byte
  std::unordered_map<std::uint32_t, std::vector<std::uint16_t>> m_byId;  ///< items
  std::vector<Transport> m_transports;
  std::unordered_map<std::uint32_t, std::size_t> m_transportAt;
  std::vector<std::uint16_t> m_masked;  ///< messages whose mask leaves bits out
  std::vector<ValueWord> m_values;
  std::vector<std::string> m_devices;
  std::vector<std::string> m_subjects;
};

/// Its messages are lines of text: one that no template fits is just another line.
bool isText(const Sheet& sheet);

/// Why a sheet cannot be used on a bus of that protocol, though it has no mistakes; empty: it can.
std::string whyNotOn(const Sheet& sheet, const Protocol& protocol);

}  // namespace bexto
