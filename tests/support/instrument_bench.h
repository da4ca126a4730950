#pragma once

// A simulated instrument on a port of this machine, in a thread of its own.

#include <gtest/gtest.h>

#include <QEventLoop>
#include <QTcpSocket>
#include <QThread>
#include <atomic>
#include <memory>
#include <string>

#include "rig/instrument/server.h"

namespace bexto::test {

class InstrumentBench {
 public:
  /// `speed`: of the plant's time; 0: as fast as it is asked. `port` 0: any.
  explicit InstrumentBench(double speed, std::uint16_t port = 0)
  {
    m_thread.reset(QThread::create([this, speed, port] {
      rig::InstrumentServer server(1187, rig::Traffic::Lock, speed);
      EXPECT_TRUE(server.listen(port));
      QEventLoop loop;
      m_loop = &loop;
      m_port = server.port();
      loop.exec();
    }));
    m_thread->start();
    while (m_port == 0)
      QThread::msleep(1);
  }
  ~InstrumentBench()
  {
    QMetaObject::invokeMethod(m_loop, &QEventLoop::quit, Qt::QueuedConnection);
    m_thread->wait();
  }
  InstrumentBench(const InstrumentBench&) = delete;
  InstrumentBench& operator=(const InstrumentBench&) = delete;

  std::uint16_t port() const { return m_port; }
  std::string url() const { return "scpi://127.0.0.1:" + std::to_string(m_port); }
  /// How it is to fail from now on: "OVER,3". By a connection of its own.
  void misbehave(const std::string& how) const
  {
    const std::unique_ptr<QThread> thread(QThread::create([this, how] {
      QTcpSocket socket;
      socket.connectToHost(QStringLiteral("127.0.0.1"), m_port);
      ASSERT_TRUE(socket.waitForConnected(3000));
      socket.write(("DIAG:MISB NONE\nDIAG:MISB " + how + "\n").c_str());
      ASSERT_TRUE(socket.waitForBytesWritten(3000));
      QThread::msleep(10);
    }));
    thread->start();
    thread->wait();
  }

 private:
  std::unique_ptr<QThread> m_thread;
  std::atomic<std::uint16_t> m_port = 0;
  std::atomic<QEventLoop*> m_loop = nullptr;
};

}  // namespace bexto::test
