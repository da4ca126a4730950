#include "rig/bearing_probes.h"

#include <array>

#include "rig/chance.h"
#include "rig/onewire_driver.h"

namespace bexto::rig {

namespace {

using namespace std::chrono_literals;

constexpr std::uint8_t kFamily = 0x4e;
constexpr std::uint8_t kSearch = 0xf0;
constexpr std::uint8_t kMatch = 0x55;
constexpr std::uint8_t kSkip = 0xcc;
constexpr std::uint8_t kMeasure = 0x31;
constexpr std::uint8_t kReadBearing = 0xb7;

class Bearings {
 public:
  Bearings(std::uint64_t seed, Picoseconds end)
      : m_chance(seed ^ 0x62656172U),
        m_line(standardOneWire()),
        m_probes{oneWireRom(kFamily, 0x00012f58c1U), oneWireRom(kFamily, 0x00012f5a07U),
                 oneWireRom(kFamily, 0x0001305590U)},
        m_end(end)
  {
  }

  EdgeTrack run()
  {
    m_line.waitUntil(9ms);
    for (const OneWireRom& probe : m_probes) {
      m_line.reset();
      m_line.byte(kSearch);
      m_line.search(m_probes, probe);
      m_line.waitUntil(m_line.now() + 150us);
    }
    for (Picoseconds next = 220ms; next < m_end - 300ms; next += 1000ms) {
      m_line.waitUntil(m_chance.around(next, 300us));
      m_line.reset();
      m_line.byte(kSkip);
      m_line.byte(kMeasure);
      // Who is busy answers with a 0.
      for (int asked = 0; asked < 12; ++asked) {
        m_line.waitUntil(m_line.now() + 10ms);
        m_line.bit(asked == 11);
      }
      m_line.waitUntil(m_line.now() + 3ms);
      for (std::size_t probe = 0; probe < m_probes.size(); ++probe)
        read(probe);
    }
    return m_line.track();
  }

 private:
  void read(std::size_t probe)
  {
    constexpr std::array<std::int64_t, 3> kAbout{1480, 1520, 2210};  // the third is in the gate that moves
    m_line.waitUntil(m_line.now() + 200us);
    m_line.reset();
    m_line.byte(kMatch);
    m_line.bytes(m_probes.at(probe));
    m_line.byte(kReadBearing);
    const auto hundredths = static_cast<unsigned>(kAbout.at(probe) + m_chance.between(-6, 6));
    std::array<std::uint8_t, 4> answer{static_cast<std::uint8_t>(hundredths & 0xffU),
                                       static_cast<std::uint8_t>(hundredths >> 8U), 0x01, 0};
    answer[3] = oneWireCrc({answer.data(), 3});
    // Devices let go of a 0 sooner than the controller does.
    OneWirePace answering = standardOneWire();
    answering.lowOfZero = m_chance.around(31us, 3us);
    m_line.setPace(answering);
    m_line.bytes(answer);
    m_line.setPace(standardOneWire());
  }

  Chance m_chance;
  OneWireDriver m_line;
  std::array<OneWireRom, 3> m_probes;
  Picoseconds m_end;
};

}  // namespace

EdgeTrack simulateBearings(std::uint64_t seed, Picoseconds end)
{
  return Bearings(seed, end).run();
}

}  // namespace bexto::rig
