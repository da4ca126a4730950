#pragma once

#include <QObject>
#include <QTcpServer>
#include <QTcpSocket>
#include <QTimer>
#include <chrono>

#include "rig/instrument/instrument.h"

namespace bexto::rig {

/// The instrument on a TCP port of this machine: raw bytes, one connection at a time; another one takes its place.
class InstrumentServer : public QObject {
 public:
  InstrumentServer(std::uint64_t seed, Traffic traffic, double speed);
  ~InstrumentServer() override;

  /// 0: any port that is free. False: it cannot; errorString() says why.
  bool listen(quint16 port);
  quint16 port() const { return m_server.serverPort(); }
  QString errorString() const { return m_server.errorString(); }

 private:
  void take();
  void leave();
  void serve();

  QTcpServer m_server;
  QTcpSocket* m_peer = nullptr;
  QTimer m_timer;
  Instrument m_instrument;
  std::chrono::steady_clock::time_point m_started = std::chrono::steady_clock::now();
};

}  // namespace bexto::rig
