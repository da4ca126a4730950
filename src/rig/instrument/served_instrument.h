#pragma once

#include <QEventLoop>
#include <QThread>
#include <atomic>
#include <memory>
#include <string>

#include "rig/instrument/server.h"

namespace bexto::rig {

/// An instrument on a port of this machine, in a thread of its own: as another program would be.
class ServedInstrument {
 public:
  /// `speed`: of the plant's time; 0: as fast as it is asked. `port` 0: any that is free.
  explicit ServedInstrument(double speed, std::uint16_t port = 0, Traffic traffic = Traffic::Lock);
  ~ServedInstrument();
  ServedInstrument(const ServedInstrument&) = delete;
  ServedInstrument& operator=(const ServedInstrument&) = delete;

  /// −1: it could not have the port.
  int port() const { return m_port; }
  std::string url() const { return "scpi://127.0.0.1:" + std::to_string(m_port); }

 private:
  std::unique_ptr<QThread> m_thread;
  std::atomic<int> m_port = 0;
  std::atomic<QEventLoop*> m_loop = nullptr;
};

}  // namespace bexto::rig
