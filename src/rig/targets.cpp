// Tested by tests/core/targets_test.cpp.
#include "rig/targets.h"

#include <algorithm>

namespace bexto::rig {

namespace {

constexpr std::uint16_t kScl = 1U << 0U;
constexpr std::uint16_t kSda = 1U << 1U;
constexpr std::uint16_t kClockLine = 1U << 5U;
constexpr std::uint16_t kMosi = 1U << 6U;
constexpr std::uint16_t kMiso = 1U << 7U;
constexpr std::uint16_t kLogSelect = 1U << 8U;
constexpr std::uint16_t kAdcSelect = 1U << 9U;

constexpr std::int64_t kSdaDelay = 300'000;  // ps from SCL's fall
constexpr std::int64_t kMisoDelay = 20'000;  // ps from the edge that asks for it

std::uint16_t with(std::uint16_t levels, std::uint16_t bit, bool high)
{
  return static_cast<std::uint16_t>(high ? levels | bit : levels & ~bit);
}

void put(std::vector<ProbeChange>& out, std::int64_t time, std::uint16_t levels)
{
  if (!out.empty() && out.back().levels == levels)
    return;
  if (!out.empty() && out.back().time >= time)
    out.back().levels = levels;
  else
    out.push_back({time, levels});
}

}  // namespace

Targets::Targets() : m_flash(65536)
{
  const auto registers = [this](std::uint8_t address, std::size_t count, std::size_t pointerBytes) -> auto&
  {
    Registers& made = m_registers[address];
    made.bytes.resize(count);
    made.pointerBytes = pointerBytes;
    return made.bytes;
  };
  auto& level = registers(0x2a, 256, 1);
  level[0x10] = 0x01;  // status ok, then the level in counts of 3.012 mm: 98.108 m
  level[0x11] = 0x7f;
  level[0x12] = 0x3c;
  registers(0x21, 8, 1)[1] = 0x0c;
  auto& clock = registers(0x5d, 16, 1);
  clock[0] = 0x59;
  clock[1] = 0x12;
  clock[2] = 0x06;
  auto& memory = registers(0x52, 4096, 2);
  for (std::size_t i = 0; i < memory.size(); ++i)
    memory[i] = static_cast<std::uint8_t>(i * 7 & 0xffU);
  for (std::size_t i = 0; i < m_flash.size(); ++i)
    m_flash[i] = static_cast<std::uint8_t>((i * 3 + (i >> 8U)) & 0xffU);
}

std::uint16_t Targets::answering(const WirePattern& pattern)
{
  const bool spi = (pattern.driven & kClockLine) != 0 && (pattern.driven & kMiso) == 0;
  return spi ? kMiso : 0;
}

std::vector<ProbeChange> Targets::answered(const WirePattern& pattern)
{
  if ((pattern.driven & (kScl | kSda)) == (kScl | kSda) && (pattern.open & kSda) != 0)
    return answeredI2c(pattern);
  if (answering(pattern) != 0)
    return answeredSpi(pattern);
  return pattern.steps;
}

std::vector<ProbeChange> Targets::answeredI2c(const WirePattern& pattern)
{
  enum class Phase : std::uint8_t { Idle, Address, Receive, Send, Ignore };
  std::vector<ProbeChange> out;
  Phase phase = Phase::Idle;
  Registers* device = nullptr;
  int bit = 0;  // clocks since the byte began: the ninth is the acknowledge
  unsigned byte = 0;
  std::size_t received = 0;
  bool pulls = false;  // SDA, by a device
  bool goesOn = true;  // the controller acknowledged what it read
  bool scl = true;
  bool sda = true;
  for (const ProbeChange& step : pattern.steps) {
    const bool sclNow = (step.levels & kScl) != 0;
    const bool sdaNow = (step.levels & kSda) != 0 && !pulls;
    put(out, step.time, with(step.levels, kSda, sdaNow));
    if (scl && sclNow && sda != sdaNow) {
      phase = sdaNow ? Phase::Idle : Phase::Address;
      bit = 0;
      byte = 0;
      pulls = false;
    } else if (!scl && sclNow) {
      ++bit;
      if (bit <= 8)
        byte = byte << 1U | (sdaNow ? 1U : 0U);
      else
        goesOn = !sdaNow;
    } else if (scl && !sclNow && phase != Phase::Idle) {
      if (bit == 8 && (phase == Phase::Address || phase == Phase::Receive)) {
        if (phase == Phase::Address) {
          const auto found = m_registers.find(static_cast<std::uint8_t>(byte >> 1U));
          device = found == m_registers.end() ? nullptr : &found->second;
        } else if (received < device->pointerBytes) {
          device->pointer = (received == 0 ? 0 : device->pointer << 8U) | byte;
        } else {
          device->bytes[device->pointer++ % device->bytes.size()] = static_cast<std::uint8_t>(byte);
        }
        received = phase == Phase::Address ? 0 : received + 1;
        pulls = device != nullptr;
      } else if (bit == 9) {
        pulls = false;
        if (phase == Phase::Address)
          phase = device == nullptr ? Phase::Ignore : (byte & 1U) != 0 ? Phase::Send : Phase::Receive;
        else if (phase == Phase::Send && !goesOn)
          phase = Phase::Ignore;
        bit = 0;
        byte = phase == Phase::Send ? device->bytes[device->pointer++ % device->bytes.size()] : 0U;
      } else if (bit == 8) {
        pulls = false;  // the controller's acknowledge
      }
      // `byte` holds what is sent until its bits are read back into it, one for one.
      if (phase == Phase::Send && bit < 8)
        pulls = (byte >> 7U & 1U) == 0;
      const bool sdaThen = (step.levels & kSda) != 0 && !pulls;
      put(out, step.time + kSdaDelay, with(step.levels, kSda, sdaThen));
      sda = sdaThen;
      scl = sclNow;
      continue;
    }
    sda = sdaNow;
    scl = sclNow;
  }
  return out;
}

std::vector<ProbeChange> Targets::answeredSpi(const WirePattern& pattern)
{
  std::vector<ProbeChange> out;
  const bool log = (pattern.driven & kLogSelect) != 0;
  const std::uint16_t select = log ? kLogSelect : kAdcSelect;
  const bool second = !log;  // AQ-416 is read at the clock's second edge
  std::vector<std::uint8_t> words;
  unsigned word = 0;
  int bits = 0;
  bool miso = false;
  bool selected = false;
  std::uint8_t answer = 0xff;
  const auto next = [&] {
    const std::size_t at = words.size();
    if (!log)
      return static_cast<std::uint8_t>(at == 0 ? 0xff : at == 1 ? 0x7f : 0xf0 | (words[0] >> 4U & 3U));
    if (words.empty())
      return std::uint8_t{0xff};
    constexpr std::array<std::uint8_t, 3> kId{0x6e, 0x32, 0x16};
    if (words[0] == 0x9f)
      return at - 1 < kId.size() ? kId[at - 1] : std::uint8_t{0xff};
    if (words[0] == 0x05)
      return std::uint8_t{0};
    if (words[0] == 0x03 && at >= 4)
      return m_flash[((std::size_t{words[2]} << 8U | words[3]) + at - 4) % m_flash.size()];
    return std::uint8_t{0xff};
  };
  std::uint16_t before = pattern.steps.front().levels;
  for (const ProbeChange& step : pattern.steps) {
    const bool selects = (step.levels & select) == 0;
    const bool rises = (step.levels & kClockLine) != 0 && (before & kClockLine) == 0;
    const bool falls = (step.levels & kClockLine) == 0 && (before & kClockLine) != 0;
    put(out, step.time, with(step.levels, kMiso, miso));
    bool shifts = selected && (second ? rises : falls);
    const bool samples = selected && (second ? falls : rises);
    if (selects && !selected) {
      words.clear();
      bits = 0;
      answer = next();
      shifts = !second;
    }
    selected = selects;
    if (samples) {
      word = word << 1U | ((step.levels & kMosi) != 0 ? 1U : 0U);
      if (++bits == 8) {
        words.push_back(static_cast<std::uint8_t>(word & 0xffU));
        bits = 0;
        answer = next();
      }
    }
    miso = shifts ? (answer >> static_cast<unsigned>(7 - bits) & 1U) != 0 : miso && selected;
    put(out, step.time + kMisoDelay, with(step.levels, kMiso, miso));
    before = step.levels;
  }
  return out;
}

}  // namespace bexto::rig
