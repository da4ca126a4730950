#include "rig/lamp_network.h"

#include <array>

#include "rig/chance.h"
#include "rig/lin_driver.h"

namespace bexto::rig {

namespace {

using namespace std::chrono_literals;

constexpr std::uint8_t kCommand = 0x11;
constexpr std::uint8_t kStatusOne = 0x21;
constexpr std::uint8_t kRequest = 0x3c;
constexpr std::uint8_t kAnswer = 0x3d;

/// What a lamp shows: 1 red, 2 amber, 3 green. The second is that of the gate which opens in the cycle.
std::uint8_t colour(int lamp, Picoseconds t)
{
  if (t < 400ms || lamp == 0)
    return t < 3400ms ? 1 : 2;
  return t < 4200ms ? 2 : 3;
}

class Lamps {
 public:
  Lamps(std::uint64_t seed, Picoseconds end)
      : m_chance(seed ^ 0x6c616d7073U), m_line({}), m_slow(slowPace()), m_end(end)
  {
  }

  EdgeTrack run()
  {
    m_line.waitUntil(6ms);
    // Who are you: node 2, one frame, the service that reads identification, the first of them.
    m_line.frame(kRequest, std::array<std::uint8_t, 8>{0x02, 0x06, 0xb2, 0x00, 0xff, 0x7f, 0xff, 0xff}, LinSum::Classic,
                 true);
    m_line.waitUntil(18ms);
    m_line.frame(kAnswer, std::array<std::uint8_t, 8>{0x02, 0x06, 0xf2, 0x4c, 0x4d, 0x02, 0x00, 0x01}, LinSum::Classic);
    std::uint8_t counter = 0;
    for (Picoseconds next = 30ms; next < m_end - 60ms; next += 100ms) {
      m_line.waitUntil(m_chance.around(next, 80us));
      const std::uint8_t one = colour(0, next);
      const std::uint8_t two = colour(1, next);
      m_line.frame(kCommand,
                   std::array<std::uint8_t, 4>{static_cast<std::uint8_t>(one | two << 4U), 0xc8, 0xc8, counter++},
                   LinSum::Enhanced, true);
      for (int lamp = 0; lamp < 2; ++lamp) {
        m_line.waitUntil(next + 12ms * (lamp + 1));
        status(lamp, lamp == 0 ? one : two);
      }
    }
    return m_line.track();
  }

 private:
  static LinPace slowPace()
  {
    LinPace pace;
    pace.responder = pace.commander * 0.989;
    pace.responseSpace = 5.0;
    return pace;
  }

  void status(int lamp, std::uint8_t shows)
  {
    const auto milliamperes = static_cast<unsigned>(m_chance.between(338, 352));
    const std::array<std::uint8_t, 4> data{shows, static_cast<std::uint8_t>(milliamperes >> 8U),
                                           static_cast<std::uint8_t>(milliamperes & 0xffU),
                                           static_cast<std::uint8_t>(m_chance.between(61, 64))};
    const std::uint8_t pid = linPid(static_cast<std::uint8_t>(kStatusOne + lamp));
    m_line.header(pid);
    std::vector<std::uint8_t> bytes(data.begin(), data.end());
    bytes.push_back(linSum(LinSum::Enhanced, pid, data));
    if (lamp == 1)
      m_line.rest(m_slow.responseSpace);
    for (const std::uint8_t b : bytes)
      m_line.byte(b, lamp == 1 ? m_slow.responder : m_slow.commander);
  }

  Chance m_chance;
  LinDriver m_line;
  LinPace m_slow;  ///< of lamp 2
  Picoseconds m_end;
};

}  // namespace

EdgeTrack simulateLamps(std::uint64_t seed, Picoseconds end)
{
  return Lamps(seed, end).run();
}

}  // namespace bexto::rig
