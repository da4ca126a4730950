// Tested by tests/live/scpi_source_test.cpp.
#include "rig/instrument/server.h"

namespace bexto::rig {

namespace {

constexpr int kTick = 2;                          // ms
constexpr qint64 kMostUnsent = qint64{8} << 20U;  // bytes; more waits in the instrument's memory

}  // namespace

InstrumentServer::InstrumentServer(std::uint64_t seed, Traffic traffic, double speed)
    : m_instrument(seed, traffic, speed)
{
  connect(&m_server, &QTcpServer::newConnection, this, &InstrumentServer::take);
  m_timer.setTimerType(Qt::PreciseTimer);
  m_timer.setInterval(kTick);
  connect(&m_timer, &QTimer::timeout, this, &InstrumentServer::serve);
}

InstrumentServer::~InstrumentServer()
{
  leave();
}

/// The peer may say that it is gone when nobody is there to hear it.
void InstrumentServer::leave()
{
  if (m_peer == nullptr)
    return;
  m_peer->disconnect(this);
  m_peer->abort();
  m_peer->deleteLater();
  m_peer = nullptr;
}

bool InstrumentServer::listen(quint16 port)
{
  return m_server.listen(QHostAddress::LocalHost, port);
}

void InstrumentServer::take()
{
  while (QTcpSocket* const peer = m_server.nextPendingConnection()) {
    leave();
    m_peer = peer;
    m_peer->setSocketOption(QAbstractSocket::LowDelayOption, 1);
    m_instrument.connected();
    connect(m_peer, &QTcpSocket::readyRead, this, &InstrumentServer::serve);
    connect(m_peer, &QTcpSocket::bytesWritten, this, [this] {
      if (m_instrument.isBusy())
        serve();
    });
    connect(m_peer, &QTcpSocket::disconnected, this, [this, peer] {
      if (peer != m_peer)
        return;
      m_instrument.connected();  // nobody is there: what was under way ends
      m_peer->deleteLater();
      m_peer = nullptr;
      m_timer.stop();
    });
  }
}

void InstrumentServer::serve()
{
  if (m_peer == nullptr)
    return;
  const QByteArray more = m_peer->readAll();
  m_instrument.receive({more.constData(), static_cast<std::size_t>(more.size())});
  const double now = std::chrono::duration<double>(std::chrono::steady_clock::now() - m_started).count();
  const qint64 room = std::max<qint64>(0, kMostUnsent - m_peer->bytesToWrite());
  const std::string out = m_instrument.step(now, static_cast<std::size_t>(room));
  m_peer->write(out.data(), static_cast<qint64>(out.size()));
  if (m_instrument.hangsUp()) {
    m_peer->disconnectFromHost();
    return;
  }
  if (m_instrument.isBusy() != m_timer.isActive())
    m_instrument.isBusy() ? m_timer.start() : m_timer.stop();
}

}  // namespace bexto::rig
