#pragma once

#include <chrono>
#include <mutex>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/decode/bus.h"
#include "core/decode/telegram.h"

namespace bexto::live {

/// Something that a source is to say.
struct Outgoing {
  Telegram telegram;
  std::vector<std::string> channels;  ///< those of Telegram::roles, "" where the bus has none; of a record the bus's
};

/// A line as a person writes it, on that bus. Errors: BadArgument.
Result<Outgoing> outgoing(const Bus& bus, const std::string& line);

/// What is to be sent while something is captured: put in by anybody, taken out by the capture. Any thread.
class Outbox {
 public:
  using Clock = std::chrono::steady_clock;

  void send(Outgoing what);
  /// Again and again, the first time at once, until cancel(). The number is for that.
  int repeat(Outgoing what, std::chrono::nanoseconds every);
  void cancel(int number);
  /// Nothing is left to be sent.
  void clear();

  /// What is due. Of one that is late by several times once is enough.
  std::vector<Outgoing> due(Clock::time_point now);
  /// How long nothing is due, at most `most`.
  std::chrono::milliseconds rest(Clock::time_point now, std::chrono::milliseconds most) const;

 private:
  struct Repeated {
    int number = 0;
    Outgoing what;
    std::chrono::nanoseconds every{0};
    Clock::time_point next;
  };
  mutable std::mutex m_mutex;  ///< of what follows
  std::vector<Outgoing> m_once;
  std::vector<Repeated> m_repeated;
  int m_last = 0;
};

}  // namespace bexto::live
