#pragma once

#include <array>
#include <cstdint>
#include <map>
#include <vector>

#include "rig/wire_pattern.h"

namespace bexto::rig {

/// The devices of the gate controller's buses, as they answer to somebody else who drives the wires: LT-20, PX-8, TK-9
/// and EM-4 on I2C, NV-32 and AQ-416 on SPI (docs/rig.md). What is written to them they keep.
class Targets {
 public:
  Targets();

  /// Wires that the devices drive in answer to those that are driven.
  static std::uint16_t answering(const WirePattern& pattern);
  /// What the wires do: what is driven, and the answers.
  std::vector<ProbeChange> answered(const WirePattern& pattern);

 private:
  struct Registers {
    std::vector<std::uint8_t> bytes;
    std::size_t pointerBytes = 1;
    std::size_t pointer = 0;
  };
  std::vector<ProbeChange> answeredI2c(const WirePattern& pattern);
  std::vector<ProbeChange> answeredSpi(const WirePattern& pattern);

  std::map<std::uint8_t, Registers> m_registers;  ///< by I2C address
  std::vector<std::uint8_t> m_flash;              ///< of NV-32
};

}  // namespace bexto::rig
