// Tested by tests/live/peers_test.cpp.
#include "rig/peers/can_peer.h"

#include <QCanBus>
#include <QCanBusFrame>
#include <QLoggingCategory>
#include <QVariant>
#include <array>
#include <chrono>

namespace bexto::rig {

namespace {

using namespace std::chrono_literals;

struct Drive {
  quint32 command;
  quint32 position;
};
constexpr std::array<Drive, 2> kDrives{{{0x122, 0x121}, {0x124, 0x123}}};

QByteArray positionOf(unsigned round, std::size_t drive)
{
  const auto counts = static_cast<quint16>(0x0800U + (round * (drive == 0 ? 37U : 11U)) % 0xe800U);
  QByteArray data;
  data.append(static_cast<char>(drive == 0 ? 0x0b : 0x0a));
  data.append('\0');
  data.append(static_cast<char>(counts >> 8U));
  data.append(static_cast<char>(counts & 0xffU));
  return data;
}

}  // namespace

CanPeer::CanPeer(const QString& plugin, const QString& interface, QObject* parent)
    : QObject(parent), m_plugin(plugin), m_interface(interface)
{
  connect(&m_timer, &QTimer::timeout, this, &CanPeer::sayPositions);
}

bool CanPeer::connectDevice()
{
  // Plugins talk of what is none of a user's business.
  if (!qEnvironmentVariableIsSet("QT_LOGGING_RULES"))
    QLoggingCategory::setFilterRules(QStringLiteral("qt.canbus*=false"));
  m_device.reset(QCanBus::instance()->createDevice(m_plugin, m_interface, &m_error));
  if (!m_device)
    return false;
  m_device->setConfigurationParameter(QCanBusDevice::CanFdKey, true);
  connect(m_device.get(), &QCanBusDevice::framesReceived, this, &CanPeer::answer);
  if (!m_device->connectDevice()) {
    m_error = m_device->errorString();
    return false;
  }
  m_timer.start(20ms);
  return true;
}

void CanPeer::sayPositions()
{
  ++m_round;
  for (std::size_t drive = 0; drive < kDrives.size(); ++drive)
    m_device->writeFrame(QCanBusFrame(kDrives[drive].position, positionOf(m_round, drive)));
}

/// Of a command the drive says that it has it, with its first byte; a remote frame asks for the position at once.
void CanPeer::answer()
{
  for (const QCanBusFrame& frame : m_device->readAllFrames()) {
    for (std::size_t drive = 0; drive < kDrives.size(); ++drive) {
      if (frame.frameType() == QCanBusFrame::RemoteRequestFrame && frame.frameId() == kDrives[drive].position)
        m_device->writeFrame(QCanBusFrame(kDrives[drive].position, positionOf(m_round, drive)));
      else if (frame.frameType() == QCanBusFrame::DataFrame && frame.frameId() == kDrives[drive].command)
        m_device->writeFrame(QCanBusFrame(kDrives[drive].command + 0x100, frame.payload().left(1) + char(0)));
    }
  }
}

}  // namespace bexto::rig
