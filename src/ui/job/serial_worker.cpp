// Tested by tests/ui/job_test.cpp.
#include "ui/job/serial_worker.h"

#include <sys/resource.h>
#include <unistd.h>

#include <exception>
#include <utility>

namespace bexto::ui {

SerialWorker::~SerialWorker()
{
  {
    const std::lock_guard lock(m_mutex);
    m_ends = true;
  }
  m_more.notify_one();
  if (m_thread.joinable())
    m_thread.join();
}

void SerialWorker::add(std::function<void()> work)
{
  {
    const std::lock_guard lock(m_mutex);
    m_waiting.push_back(std::move(work));
  }
  if (m_thread.joinable())
    m_more.notify_one();
  else
    m_thread = std::thread([this] { this->work(); });
}

bool SerialWorker::isIdle() const
{
  const std::lock_guard lock(m_mutex);
  return !m_busy && m_waiting.empty();
}

void SerialWorker::work()
{
  // Whoever works in the window, and what they look at, goes first. Helpers that a piece of work makes inherit it.
  constexpr int kModest = 5;
  ::setpriority(PRIO_PROCESS, static_cast<id_t>(::gettid()), kModest);
  for (;;) {
    std::function<void()> next;
    {
      std::unique_lock lock(m_mutex);
      m_busy = false;
      m_more.wait(lock, [this] { return m_ends || !m_waiting.empty(); });
      if (m_waiting.empty())
        return;
      next = std::move(m_waiting.front());
      m_waiting.pop_front();
      m_busy = true;
    }
    try {
      next();
    } catch (const std::exception& e) {
      m_failed(e.what());
    }
  }
}

}  // namespace bexto::ui
