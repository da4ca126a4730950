#pragma once

#include <array>
#include <cstdint>
#include <deque>
#include <future>
#include <limits>
#include <memory>
#include <string_view>
#include <vector>

#include "rig/lock_cycle.h"
#include "rig/targets.h"
#include "rig/wire_pattern.h"

namespace bexto::rig {

/// Where an instrument's sixteen probes are on the gate controller: the wires of simulateLockCycle() in their order,
/// then three that touch nothing.
inline constexpr std::size_t kProbes = 16;
inline constexpr std::array<std::string_view, kProbes> kProbeNames{
    "SCL",    "SDA",    "CONSOLE_TX", "SONAR_TX",  "SONAR_RX",   "SPI_CLK", "SPI_MOSI", "SPI_MISO",
    "LOG_CS", "ADC_CS", "CAN_RX",     "LAMPS_LIN", "BEARING_DQ", "D13",     "D14",      "D15"};

/// Which faults cycle number `cycle` has: one or two of the five, at moments drawn from the seed. The first is always
/// the abandoned read, so that there is something to find.
CyclePlan planOfCycle(std::uint64_t seed, std::uint64_t cycle);

/// How busy the buses are.
enum class Traffic : std::uint8_t {
  Lock,  ///< as the gate controller uses them
  Busy   ///< without a pause, for measuring: see simulateBusyBuses()
};

/// A stretch of traffic on the same wires in which I2C (400 kHz), SPI (8 MHz, a fifth of the time), CAN FD and both
/// lines of each UART hardly rest.
LockCycle simulateBusyBuses(std::uint64_t seed);

/// The lock without end: cycle after cycle, the next one made while the one before goes on. Same seed, same levels, on
/// every machine. One thread.
class Plant {
 public:
  explicit Plant(std::uint64_t seed, Traffic traffic = Traffic::Lock);
  Plant(const Plant&) = delete;  // the next cycle is being made by it
  Plant& operator=(const Plant&) = delete;

  /// Of all probes, before next().
  std::uint16_t levels() const { return m_shown; }
  /// When a probe changes next, in ps from the first cycle's begin.
  std::int64_t next() const { return std::min(ownNext(), m_drivenNext); }
  /// Goes there.
  void advance()
  {
    if (m_drivenNext <= ownNext()) {
      advanceDriven();
      return;
    }
    m_levels = m_row[m_at].levels;
    if (++m_at == m_changes->size())
      enterNext();
    m_shown = static_cast<std::uint16_t>((m_levels & ~m_drivenMask) | m_drivenLevels);
  }

  /// Somebody drives wires of it, as soon as they have rested for a while and rest for long enough, not before
  /// `earliest`; its devices answer. Of several one after the other. False: too many wait already.
  bool drive(WirePattern pattern, std::int64_t earliest);
  /// What was driven last, from when to when.
  struct Driven {
    std::int64_t begin = 0;  ///< ps
    std::int64_t end = 0;
    std::uint16_t probes = 0;
  };
  /// Those that began since the last call.
  std::vector<Driven> takeDriven() { return std::exchange(m_wasDriven, {}); }

 private:
  static constexpr std::int64_t kNothing = std::numeric_limits<std::int64_t>::max();

  std::int64_t ownNext() const { return m_begin + m_row[m_at].time; }
  void advanceDriven();
  void placeDriven();
  void enterNext();
  void prepare();

  std::uint64_t m_seed;
  Traffic m_traffic;
  std::uint64_t m_cycle = 0;                                  ///< number of the one that is prepared
  std::int64_t m_begin = 0;                                   ///< ps
  std::int64_t m_length = 0;                                  ///< ps, of the one that goes on
  std::shared_ptr<const std::vector<ProbeChange>> m_changes;  ///< never empty
  const ProbeChange* m_row = nullptr;                         ///< the first of them
  std::size_t m_at = 0;
  std::uint16_t m_levels = 0;  ///< by its own doing
  std::uint16_t m_shown = 0;   ///< with what is driven

  std::deque<std::pair<WirePattern, std::int64_t>> m_waiting;  ///< with the earliest begin of each
  std::vector<ProbeChange> m_driven;                           ///< what is being driven, its times from m_drivenBegin
  std::size_t m_drivenAt = 0;
  std::int64_t m_drivenBegin = 0;
  std::int64_t m_drivenEnd = 0;
  std::int64_t m_drivenNext = kNothing;
  std::uint16_t m_drivenMask = 0;  ///< 0 while nothing is
  std::uint16_t m_drivenLevels = 0;
  std::uint16_t m_nextMask = 0;  ///< of what is placed
  std::vector<Driven> m_wasDriven;
  Targets m_targets;
  struct Made {
    std::shared_ptr<const std::vector<ProbeChange>> changes;
    std::int64_t length = 0;
  };
  std::future<Made> m_next;
  Made make(std::uint64_t cycle) const;
};

}  // namespace bexto::rig
