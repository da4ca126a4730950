// Tested by tests/live/sources_test.cpp.
#include "live/outbox.h"

#include <algorithm>
#include <utility>

#include "core/base/say.h"
#include "core/decode/protocol.h"

namespace bexto::live {

Result<Outgoing> outgoing(const Bus& bus, const std::string& line)
{
  auto telegram = bus.protocol().telegram(bus, line);
  if (!telegram)
    return tl::unexpected(telegram.error());
  Outgoing out{std::move(*telegram), {}};
  for (const std::string& role : out.telegram.roles)
    out.channels.push_back(bus.channelOf(role));
  if (out.channels.empty() && !bus.wires.empty())
    out.channels.push_back(bus.wires.front().channel);
  return out;
}

void Outbox::send(Outgoing what)
{
  const std::lock_guard lock(m_mutex);
  m_once.push_back(std::move(what));
}

int Outbox::repeat(Outgoing what, std::chrono::nanoseconds every)
{
  const std::lock_guard lock(m_mutex);
  m_repeated.push_back({++m_last, std::move(what), every, Clock::now()});
  return m_last;
}

void Outbox::cancel(int number)
{
  const std::lock_guard lock(m_mutex);
  std::erase_if(m_repeated, [number](const Repeated& r) { return r.number == number; });
}

void Outbox::clear()
{
  const std::lock_guard lock(m_mutex);
  m_once.clear();
  m_repeated.clear();
}

std::vector<Outgoing> Outbox::due(Clock::time_point now)
{
  const std::lock_guard lock(m_mutex);
  std::vector<Outgoing> due = std::exchange(m_once, {});
  for (Repeated& repeated : m_repeated) {
    if (repeated.next > now)
      continue;
    due.push_back(repeated.what);
    repeated.next = std::max(repeated.next + repeated.every, now);
  }
  return due;
}

std::chrono::milliseconds Outbox::rest(Clock::time_point now, std::chrono::milliseconds most) const
{
  const std::lock_guard lock(m_mutex);
  auto rest = most;
  for (const Repeated& repeated : m_repeated)
    rest = std::clamp(std::chrono::duration_cast<std::chrono::milliseconds>(repeated.next - now),
                      std::chrono::milliseconds{1}, rest);
  return rest;
}

}  // namespace bexto::live
