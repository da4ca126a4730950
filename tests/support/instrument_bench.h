#pragma once

// A simulated instrument that can be told to fail.

#include <gtest/gtest.h>

#include <QTcpSocket>

#include "rig/instrument/served_instrument.h"

namespace bexto::test {

class InstrumentBench : public rig::ServedInstrument {
 public:
  /// As ServedInstrument.
  explicit InstrumentBench(double speed, std::uint16_t port = 0) : ServedInstrument(speed, port)
  {
    EXPECT_GT(ServedInstrument::port(), 0);
  }
  std::uint16_t port() const { return static_cast<std::uint16_t>(ServedInstrument::port()); }
  /// How it is to fail from now on: "OVER,3". By a connection of its own.
  void misbehave(const std::string& how) const
  {
    const std::unique_ptr<QThread> thread(QThread::create([this, how] {
      QTcpSocket socket;
      socket.connectToHost(QStringLiteral("127.0.0.1"), port());
      ASSERT_TRUE(socket.waitForConnected(3000));
      socket.write(("DIAG:MISB NONE\nDIAG:MISB " + how + "\n").c_str());
      ASSERT_TRUE(socket.waitForBytesWritten(3000));
      QThread::msleep(10);
    }));
    thread->start();
    thread->wait();
  }
};

}  // namespace bexto::test
