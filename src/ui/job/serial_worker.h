#pragma once

#include <condition_variable>
#include <deque>
#include <functional>
#include <mutex>
#include <thread>

namespace bexto::ui {

/// A thread that does one piece of work after the other, in the order in which they were given, and all of them: who
/// destroys it waits for the last. For what must not be dropped when something newer comes: writing somebody's work.
/// The thread is there from the first piece on. add() is called from one thread.
class SerialWorker {
 public:
  /// `failed` is told, on the worker's thread, of a piece that ended by an exception.
  explicit SerialWorker(std::function<void(const char* what)> failed) : m_failed(std::move(failed)) {}
  ~SerialWorker();
  SerialWorker(const SerialWorker&) = delete;
  SerialWorker& operator=(const SerialWorker&) = delete;

  void add(std::function<void()> work);
  /// Nothing is under way or waits.
  bool isIdle() const;

 private:
  void work();

  std::function<void(const char*)> m_failed;
  mutable std::mutex m_mutex;
  std::condition_variable m_more;
  std::deque<std::function<void()>> m_waiting;
  bool m_busy = false;
  bool m_ends = false;
  std::thread m_thread;
};

}  // namespace bexto::ui
