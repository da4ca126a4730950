// Tested by tests/live/peers_test.cpp.
#include "rig/peers/serial_peer.h"

#include <fcntl.h>
#include <pty.h>
#include <termios.h>
#include <unistd.h>

#include <array>
#include <chrono>

namespace bexto::rig {

using namespace std::chrono_literals;

SerialPeer::SerialPeer(QObject* parent) : QObject(parent)
{
  connect(&m_timer, &QTimer::timeout, this, [this] {
    ++m_seconds;
    const double level = 95.9 + 2.208 * (m_seconds % 60) / 59.0;
    say(QStringLiteral("[%1] level %2 m, gates closed").arg(m_seconds, 4).arg(level, 0, 'f', 3).toLatin1());
    if (m_seconds % 7 == 0)
      say("W sensor 2A timeout, retry");
  });
}

SerialPeer::~SerialPeer()
{
  m_notifier.reset();
  if (m_end >= 0)
    ::close(m_end);
  if (m_other >= 0)
    ::close(m_other);
}

bool SerialPeer::open()
{
  std::array<char, 128> name{};
  termios raw{};
  ::cfmakeraw(&raw);
  if (::openpty(&m_end, &m_other, name.data(), &raw, nullptr) != 0)
    return false;
  ::fcntl(m_end, F_SETFL, O_NONBLOCK);  // what nobody reads is lost, as on a wire
  m_port = QString::fromLatin1(name.data());
  m_notifier = std::make_unique<QSocketNotifier>(m_end, QSocketNotifier::Read);
  connect(m_notifier.get(), &QSocketNotifier::activated, this, &SerialPeer::take);
  m_timer.start(1s);
  return true;
}

void SerialPeer::say(const QByteArray& line)
{
  const QByteArray bytes = line + "\r\n";
  [[maybe_unused]] const auto written = ::write(m_end, bytes.constData(), static_cast<std::size_t>(bytes.size()));
}

void SerialPeer::take()
{
  std::array<char, 256> bytes{};
  const auto count = ::read(m_end, bytes.data(), bytes.size());
  for (ssize_t i = 0; i < count; ++i) {
    const char c = bytes[static_cast<std::size_t>(i)];
    if (c != '\r' && c != '\n') {
      m_line += c;
      continue;
    }
    QByteArray answer;
    if (m_line == "level?")
      answer = "level 98.108 m (status ok)";
    else if (m_line == "gates?")
      answer = "gate 1 closed, gate 2 closed";
    else if (m_line == "help")
      answer = "level? gates? help";
    else if (!m_line.isEmpty())
      answer = "? " + m_line.left(40);
    // What was asked takes its time on a wire, and so does thinking.
    if (!answer.isEmpty())
      QTimer::singleShot(12ms, this, [this, answer] { say(answer); });
    m_line.clear();
  }
  if (m_line.size() > 1000)
    m_line.clear();
}

}  // namespace bexto::rig
