#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <stop_token>
#include <vector>

#include "core/decode/transactions.h"
#include "core/device/reading.h"

namespace bexto {

/// Something of a device that has a value: a register, or what a command or a message says.
struct Subject {
  std::size_t sheet = 0;  ///< in BusDevices::sheets()
  bool isRegister = false;
  std::size_t number = 0;  ///< of the register, command or message
  bool operator==(const Subject&) const = default;
};

/// When each register was read or written and each message said: a list of units for each. From these the state of a
/// device at any moment is a search, whatever the length of the capture, and the history of a register is a list that
/// is there. Four bytes for each access to each register. An immutable value; any thread may read.
class DeviceHistory {
 public:
  DeviceHistory() = default;
  /// One pass over the rows, over the new ones only with `before`, which is of the begin of the same stream. Requires:
  /// the reading is of these transactions. Nothing when stopped.
  static std::optional<DeviceHistory> make(const Bus& bus, const Transactions& transactions,
                                           const DeviceHistory& before, const std::stop_token& stop);

  bool empty() const { return m_reading == nullptr; }
  const std::vector<Subject>& subjects() const { return m_subjects; }
  /// Units that said something of subject `i`, rising.
  const UnitList& unitsOf(std::size_t i) const { return m_units[i]; }
  const Reading& reading() const { return *m_reading; }
  const Transactions& transactions() const { return m_transactions; }

  /// The last unit that said something of subject `i` and ended at or before `t`; nullopt: none did.
  std::optional<std::uint64_t> lastAt(std::size_t i, Picoseconds t) const;
  /// What it said then of the subject's values, and when.
  struct Said {
    std::uint64_t unit = 0;
    Picoseconds at{0};
    bool written = false;  ///< the controller set it; else the device said it
    std::vector<ToldValue> values;
  };
  std::optional<Said> saidAt(std::size_t i, Picoseconds t) const;
  Said saidIn(std::size_t i, std::uint64_t unit) const;
  /// Name of the subject, of its device.
  const std::string& nameOf(std::size_t i) const;
  const std::string& deviceOf(std::size_t i) const;
  const std::vector<SheetField>& fieldsOf(std::size_t i) const;

 private:
  Bus m_bus;
  Transactions m_transactions;
  std::shared_ptr<const Reading> m_reading;
  std::vector<Subject> m_subjects;
  std::vector<UnitList> m_units;
  std::uint64_t m_looked = 0;  ///< units
};

}  // namespace bexto
