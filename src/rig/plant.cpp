// Tested by tests/core/plant_test.cpp.
#include "rig/plant.h"

#include <algorithm>
#include <deque>
#include <mutex>
#include <tuple>
#include <utility>

#include "core/signal/edge_stream.h"
#include "rig/can_driver.h"
#include "rig/chance.h"
#include "rig/i2c_driver.h"
#include "rig/lin_driver.h"
#include "rig/onewire_driver.h"
#include "rig/spi_driver.h"
#include "rig/uart_driver.h"

namespace bexto::rig {

namespace {

using namespace std::chrono_literals;

/// All wires of a cycle in one row. Those whose levels change at one moment are one change.
std::vector<ProbeChange> changesOf(const Capture& capture)
{
  std::vector<ProbeChange> changes{{0, 0}};
  struct Edge {
    std::int64_t time;
    std::uint16_t probe;
  };
  std::vector<Edge> edges;
  for (std::size_t probe = 0; probe < capture.channels.size(); ++probe) {
    const EdgeTrack& track = capture.channels[probe].track;
    const auto bit = static_cast<std::uint16_t>(1U << probe);
    changes.front().levels = static_cast<std::uint16_t>(changes.front().levels | (track.startLevel() ? bit : 0U));
    for (EdgeStream stream({track, {}}, Picoseconds{0}, capture.end, true); stream.next() != kNever.count();
         stream.advance())
      edges.push_back({stream.next(), bit});
  }
  std::sort(edges.begin(), edges.end(), [](const Edge& a, const Edge& b) { return a.time < b.time; });
  for (const Edge& edge : edges) {
    const auto levels = static_cast<std::uint16_t>(changes.back().levels ^ edge.probe);
    if (changes.back().time == edge.time)
      changes.back().levels = levels;
    else
      changes.push_back({edge.time, levels});
  }
  return changes;
}

Picoseconds drawn(Chance& chance, Picoseconds from, Picoseconds to)
{
  return Picoseconds{chance.between(from / 1ms, to / 1ms) * Picoseconds(1ms).count()};
}

}  // namespace

CyclePlan planOfCycle(std::uint64_t seed, std::uint64_t cycle)
{
  constexpr std::int64_t kFaults = 5;
  Chance chance(seed * 1000003U + cycle);
  CyclePlan plan{kNever, kNever, kNever, kNever, kNever, kNever};
  const std::int64_t first = cycle == 0 ? 1 : chance.between(1, kFaults);
  const std::int64_t second = chance.oneIn(2) ? chance.between(1, kFaults) : first;
  for (const std::int64_t fault : {first, second}) {
    switch (fault) {
      case 1:
        plan.stretch = drawn(chance, 500ms, 7000ms);
        break;
      case 2:
        plan.sonarHot = drawn(chance, 500ms, 7200ms);
        break;
      case 3:
        plan.flip = drawn(chance, 4400ms, 6200ms);  // while a gate moves
        break;
      case 4:
        plan.glitch = drawn(chance, 500ms, 4000ms);
        plan.lateCommand = drawn(chance, 4100ms, 7500ms);
        break;
      default:
        plan.rollover = drawn(chance, 500ms, 7500ms);
        break;
    }
  }
  return plan;
}

LockCycle simulateBusyBuses(std::uint64_t seed)
{
  constexpr Picoseconds kLength = 1000ms;
  constexpr Picoseconds kRoom = 2ms;  // nothing is under way at the end
  Chance chance(seed);
  LockCycle busy;
  busy.capture.source = "busy-buses";
  busy.capture.end = kLength;
  busy.capture.tick = 1ns;
  const auto add = [&busy](std::size_t probe, EdgeTrack track) {
    const std::string name(kProbeNames[probe]);
    busy.capture.channels.push_back({name, name, std::move(track)});
  };
  I2cDriver sensors(I2cPace{}, chance);
  for (std::uint8_t round = 0; sensors.now() < kLength - kRoom; ++round) {
    sensors.write(0x2a, std::vector<std::uint8_t>{0x10});
    sensors.read(0x2a, std::vector<std::uint8_t>{0x01, 0x7f, round});
    sensors.stop();
    sensors.waitUntil(sensors.now() + 5us);
  }
  add(0, sensors.scl());
  add(1, sensors.sda());
  for (const double baud : {115200.0, 57600.0, 57600.0}) {
    UartDriver line(baud, chance, baud < 100000.0);
    while (line.now() < kLength - kRoom)
      line.send("level 98.108 m\r\n");
    add(busy.capture.channels.size(), line.track());
  }
  SpiDriver devices(2);
  const SpiPace pace{0, 8, false, Picoseconds{62500}, Picoseconds{210000}, Picoseconds{0}, Picoseconds{9000}};
  for (std::uint32_t round = 0; devices.now() < kLength - kRoom; ++round) {
    devices.select(0, pace);
    for (std::uint32_t word = 0; word < 16; ++word)
      devices.word(word == 0 ? 0x03 : round + word, round * 5 + word * 3, pace);
    devices.release(0, pace);
    devices.waitUntil(devices.now() + 64us);
  }
  add(5, devices.clock());
  add(6, devices.mosi());
  add(7, devices.miso());
  add(8, devices.selectOf(0));
  add(9, devices.selectOf(1));
  CanDriver drives(CanPace{});
  for (std::uint8_t round = 0; drives.now() < kLength - kRoom; ++round) {
    CanMessage message;
    message.id = 0x121;
    message.fd = message.brs = true;
    message.dlc = 8;
    message.data = {0x0b, 0x00, 0xe8, 0xa5, 0x52, 0x33, 0x21, round};
    drives.send(message);
  }
  add(10, drives.track());
  LinDriver lamps({});
  while (lamps.now() < kLength - 20ms) {
    lamps.frame(0x11, std::vector<std::uint8_t>{0x12, 0xc8, 0xc8, 0x00});
    lamps.waitUntil(lamps.now() + 1ms);
  }
  add(11, lamps.track());
  OneWireDriver bearing(standardOneWire());
  while (bearing.now() < kLength - 20ms) {
    bearing.reset();
    bearing.bytes(std::vector<std::uint8_t>{0xcc, 0x31});
    bearing.waitUntil(bearing.now() + 1ms);
  }
  add(12, bearing.track());
  return busy;
}

Plant::Plant(std::uint64_t seed, Traffic traffic) : m_seed(seed), m_traffic(traffic)
{
  const Made first = make(0);
  m_changes = first.changes;
  m_row = m_changes->data();
  m_length = first.length;
  m_levels = m_shown = m_row[0].levels;
  m_cycle = 1;
  prepare();
  advance();
}

Plant::Made Plant::make(std::uint64_t cycle) const
{
  // Several plants of one seed do the same, and to make it takes longer than to walk over it.
  constexpr std::size_t kMost = 4;
  using Key = std::tuple<std::uint64_t, std::uint64_t, Traffic>;
  static std::mutex mutex;
  static std::deque<std::pair<Key, Made>> last;
  const Key key{m_seed, cycle, m_traffic};
  {
    const std::lock_guard lock(mutex);
    for (const auto& [known, made] : last) {
      if (known == key)
        return made;
    }
  }
  const LockCycle simulated = m_traffic == Traffic::Busy
                                  ? simulateBusyBuses(m_seed)
                                  : simulateLockCycle(m_seed + cycle, planOfCycle(m_seed, cycle));
  Made made{std::make_shared<const std::vector<ProbeChange>>(changesOf(simulated.capture)),
            simulated.capture.end.count()};
  const std::lock_guard lock(mutex);
  last.emplace_back(key, made);
  if (last.size() > kMost)
    last.pop_front();
  return made;
}

void Plant::prepare()
{
  if (m_traffic != Traffic::Busy)
    m_next = std::async(std::launch::async, [this, cycle = m_cycle] { return make(cycle); });
}

bool Plant::drive(WirePattern pattern, std::int64_t earliest)
{
  constexpr std::size_t kMost = 64;
  if (m_waiting.size() >= kMost)
    return false;
  m_waiting.emplace_back(std::move(pattern), earliest);
  placeDriven();
  return true;
}

/// Finds a place for what waits in what is left of this cycle; else it is tried again in the next.
void Plant::placeDriven()
{
  constexpr std::int64_t kQuiet = 50'000'000;  // ps before and behind
  if (m_waiting.empty() || m_drivenNext != kNothing)
    return;
  const WirePattern& pattern = m_waiting.front().first;
  const auto mask = static_cast<std::uint16_t>(pattern.driven | Targets::answering(pattern));
  const auto rest = static_cast<std::uint16_t>(pattern.steps.front().levels & pattern.driven);
  std::int64_t from = std::max(m_waiting.front().second, m_drivenEnd + kQuiet);
  // Since when they rest: the last change of one of them.
  std::size_t last = m_at;
  while (last > 1 && ((m_row[last - 1].levels ^ m_row[last - 2].levels) & mask) == 0)
    --last;
  from = std::max(from, m_begin + (last > 0 ? m_row[last - 1].time : 0) + kQuiet);
  std::uint16_t levels = m_levels;
  for (std::size_t at = m_at; at <= m_changes->size(); ++at) {
    const bool ends = at == m_changes->size();
    const std::uint16_t then = ends ? levels : m_row[at].levels;
    if (!ends && ((then ^ levels) & mask) == 0) {
      levels = then;
      continue;
    }
    const std::int64_t change = m_begin + (ends ? m_length : m_row[at].time);
    if ((levels & pattern.driven) == rest && from + pattern.length + kQuiet <= change) {
      m_driven = m_targets.answered(pattern);
      m_drivenMask = 0;
      m_drivenAt = 0;
      m_drivenBegin = m_drivenNext = from;
      m_drivenEnd = from + pattern.length;
      m_wasDriven.push_back({m_drivenBegin, m_drivenEnd, pattern.driven});
      // As far as it goes; its mask holds from its begin on.
      m_nextMask = mask;
      m_waiting.pop_front();
      return;
    }
    from = std::max(from, change + kQuiet);
    levels = then;
  }
}

void Plant::advanceDriven()
{
  if (m_drivenAt == m_driven.size()) {
    m_drivenMask = m_drivenLevels = 0;
    m_drivenNext = kNothing;
    m_shown = m_levels;
    placeDriven();
    return;
  }
  m_drivenMask = m_nextMask;
  m_drivenLevels = static_cast<std::uint16_t>(m_driven[m_drivenAt++].levels & m_drivenMask);
  m_shown = static_cast<std::uint16_t>((m_levels & ~m_drivenMask) | m_drivenLevels);
  m_drivenNext = m_drivenAt == m_driven.size() ? m_drivenEnd : m_drivenBegin + m_driven[m_drivenAt].time;
}

void Plant::enterNext()
{
  m_begin += m_length;
  m_at = 0;
  if (m_traffic == Traffic::Busy) {
    placeDriven();
    return;  // the same again: to make it takes longer than it lasts
  }
  const Made next = m_next.get();
  m_changes = next.changes;
  m_row = m_changes->data();
  m_length = next.length;
  ++m_cycle;
  prepare();
  placeDriven();
}

}  // namespace bexto::rig
