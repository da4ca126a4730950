#include "rig/sonar_line.h"

#include <algorithm>
#include <cmath>

#include "rig/chance.h"
#include "rig/uart_driver.h"

namespace bexto::rig {

namespace {

using namespace std::chrono_literals;

constexpr double kBaud = 57600.0;
constexpr char kUpper = 0x01;
constexpr char kLower = 0x02;
constexpr char kReadLevel = 0x10;

/// How much too fast the upper head is, as a share.
double warmth(Picoseconds t)
{
  return 0.003 + 0.023 * std::min(1.0, toSeconds(t) / 5.0);
}

/// At the end its oscillator has moments of more: first in the last byte of an answer, whose parity bit is then read
/// in the stop bit; once for a whole answer.
constexpr double kHot = 0.053;
constexpr double kHottest = 0.066;
constexpr Picoseconds kHotUntilHottest = 400ms;

std::string message(char head, char command, const std::string& payload)
{
  std::string text{0x7e, static_cast<char>(payload.size() + 2), head, command};
  text += payload;
  unsigned crc = 0xffff;
  for (std::size_t i = 1; i < text.size(); ++i) {
    crc ^= unsigned{static_cast<std::uint8_t>(text[i])} << 8U;
    for (int bit = 0; bit < 8; ++bit)
      crc = ((crc & 0x8000U) != 0 ? crc << 1U ^ 0x1021U : crc << 1U) & 0xffffU;
  }
  text += static_cast<char>(crc >> 8U);
  text += static_cast<char>(crc & 0xffU);
  return text;
}

/// Millimetres of echo: the upper pound hardly moves, the lower one rises as the chamber empties into it.
std::string level(char head, Picoseconds t, Chance& chance)
{
  const double rest = head == kUpper ? 2140.0 : 4870.0 - 60.0 * toSeconds(t);
  const auto millimetres = static_cast<unsigned>(rest + static_cast<double>(chance.between(-3, 3)));
  const auto quality = static_cast<char>(chance.between(0x58, 0x63));
  return {static_cast<char>(millimetres >> 8U), static_cast<char>(millimetres & 0xffU), quality};
}

}  // namespace

SonarLine simulateSonar(std::uint64_t seed, Picoseconds end, Picoseconds hot)
{
  const bool warms = hot != kNever;
  const Picoseconds hottest = warms ? hot + kHotUntilHottest : kNever;
  Chance chance(seed ^ 0x736f6e6172U);
  UartDriver tx(kBaud, chance, true);
  UartDriver rx(kBaud, chance, true);
  SonarLine line;
  char head = kUpper;
  for (Picoseconds next = 11ms; next < end - 30ms; next += 41ms) {
    tx.waitUntil(chance.around(next, 300us));
    tx.send(message(head, kReadLevel, {}));
    rx.waitUntil(tx.now() + Picoseconds{chance.between(1800, 2600) * 1000000});
    const std::string answer = message(head, static_cast<char>(kReadLevel | 0x80), level(head, rx.now(), chance));
    const Picoseconds begin = std::chrono::floor<std::chrono::nanoseconds>(rx.now());
    rx.setBaud(kBaud * (head == kUpper ? 1.0 + warmth(warms ? begin : Picoseconds{0}) : 0.998));
    if (head == kUpper && begin >= hottest && line.brokenMessage == Picoseconds{0}) {
      line.brokenMessage = begin;
      rx.setBaud(kBaud * (1.0 + kHottest));
    }
    rx.send(std::string_view(answer).substr(0, answer.size() - 1));
    if (head == kUpper && begin >= hot && begin < hottest) {
      line.firstErrors = line.firstErrors == Picoseconds{0} ? begin : line.firstErrors;
      rx.setBaud(kBaud * (1.0 + kHot));
    }
    rx.send(std::string_view(answer).substr(answer.size() - 1));
    head = head == kUpper ? kLower : kUpper;
  }
  line.tx = tx.track();
  line.rx = rx.track();
  return line;
}

}  // namespace bexto::rig
