#include "rig/instrument/served_instrument.h"

namespace bexto::rig {

ServedInstrument::ServedInstrument(double speed, std::uint16_t port, Traffic traffic)
{
  constexpr std::uint64_t kSeed = 1187;
  m_thread.reset(QThread::create([this, speed, port, traffic] {
    InstrumentServer server(kSeed, traffic, speed);
    QEventLoop loop;
    m_loop = &loop;
    m_port = server.listen(port) ? server.port() : -1;
    loop.exec();
  }));
  m_thread->start();
  while (m_port == 0)
    QThread::msleep(1);
}

ServedInstrument::~ServedInstrument()
{
  QMetaObject::invokeMethod(m_loop, &QEventLoop::quit, Qt::QueuedConnection);
  m_thread->wait();
}

}  // namespace bexto::rig
