// Tested by tests/live/can_source_test.cpp.
#include "live/can_source.h"

#include <linux/can.h>

#include <QCanBus>
#include <QCanBusFrame>
#include <QEventLoop>
#include <QLoggingCategory>
#include <QTimer>
#include <QVariant>
#include <algorithm>
#include <cstdlib>

#include "core/base/say.h"
#include "core/protocol/can/can_record.h"

namespace bexto::live {

namespace {

using namespace std::chrono_literals;

constexpr std::int64_t kMillisecond = Picoseconds(1ms).count();

/// As a record of kCanLinkType.
std::vector<std::uint8_t> recordOf(const QCanBusFrame& frame)
{
  const QByteArray payload = frame.payload();
  std::uint32_t id = frame.frameId();
  if (frame.frameType() == QCanBusFrame::ErrorFrame)
    id = CAN_ERR_FLAG | (static_cast<std::uint32_t>(static_cast<int>(frame.error())) & CAN_ERR_MASK);
  else
    id |= frame.hasExtendedFrameFormat() ? CAN_EFF_FLAG : 0U;
  id |= frame.frameType() == QCanBusFrame::RemoteRequestFrame ? CAN_RTR_FLAG : 0U;
  std::vector<std::uint8_t> record;
  for (const unsigned shift : {24U, 16U, 8U, 0U})
    record.push_back(static_cast<std::uint8_t>(id >> shift));
  record.push_back(static_cast<std::uint8_t>(payload.size()));
  const bool fd = frame.hasFlexibleDataRateFormat();
  record.push_back(static_cast<std::uint8_t>((fd ? CANFD_FDF : 0) | (frame.hasBitrateSwitch() ? CANFD_BRS : 0) |
                                             (frame.hasErrorStateIndicator() ? CANFD_ESI : 0)));
  record.resize(8, 0);
  // What a remote frame asks for has a length and no bytes.
  if (frame.frameType() != QCanBusFrame::RemoteRequestFrame)
    record.insert(record.end(), payload.begin(), payload.end());
  return record;
}

QCanBusFrame frameOf(const std::vector<std::uint8_t>& record)
{
  const std::uint32_t id = static_cast<std::uint32_t>(record[0]) << 24U | static_cast<std::uint32_t>(record[1]) << 16U |
                           static_cast<std::uint32_t>(record[2]) << 8U | record[3];
  QCanBusFrame frame;
  frame.setExtendedFrameFormat((id & CAN_EFF_FLAG) != 0);
  frame.setFrameId(id & ((id & CAN_EFF_FLAG) != 0 ? CAN_EFF_MASK : CAN_SFF_MASK));
  frame.setFlexibleDataRateFormat((record[5] & CANFD_FDF) != 0);
  frame.setBitrateSwitch((record[5] & CANFD_BRS) != 0);
  if ((id & CAN_RTR_FLAG) != 0) {
    frame.setFrameType(QCanBusFrame::RemoteRequestFrame);
    frame.setPayload(QByteArray(record[4], '\0'));
  } else {
    frame.setPayload(
        QByteArray(reinterpret_cast<const char*>(record.data()) + 8, static_cast<qsizetype>(record.size()) - 8));
  }
  return frame;
}

}  // namespace

Error CanSource::lost() const
{
  const std::string why = m_device ? m_device->errorString().toStdString() : std::string();
  return {ErrorCode::Unreadable,
          why.empty() ? say("the CAN interface is gone") : say("the CAN interface is gone: {}", why),
          m_address.interface, say("look whether it is up, and connect again")};
}

Result<SourceFacts> CanSource::open(const std::stop_token& stop)
{
  // Plugins talk of what is none of a user's business; what goes wrong is said below.
  if (!qEnvironmentVariableIsSet("QT_LOGGING_RULES"))
    QLoggingCategory::setFilterRules(QStringLiteral("qt.canbus*=false"));
  QString message;
  m_device.reset(QCanBus::instance()->createDevice(
      QString::fromStdString(m_address.plugin), QString::fromStdString(m_address.at + m_address.interface), &message));
  if (!m_device)
    return fail(ErrorCode::Unreadable, say("cannot be opened: {}", message.toStdString()), m_address.interface,
                say("is the interface there, and up?"));
  m_device->setConfigurationParameter(QCanBusDevice::ReceiveOwnKey, true);
  m_device->setConfigurationParameter(QCanBusDevice::CanFdKey, true);
  m_device->setConfigurationParameter(QCanBusDevice::ErrorFilterKey,
                                      QVariant::fromValue(QCanBusFrame::FrameErrors(QCanBusFrame::AnyError)));
  if (m_address.bitrate > 0)
    m_device->setConfigurationParameter(QCanBusDevice::BitRateKey, m_address.bitrate);
  if (m_address.fdBitrate > 0)
    m_device->setConfigurationParameter(QCanBusDevice::DataBitRateKey, m_address.fdBitrate);
  const auto begun = std::chrono::steady_clock::now();
  bool opened = m_device->connectDevice();
  while (opened && m_device->state() == QCanBusDevice::ConnectingState && !stop.stop_requested() &&
         std::chrono::steady_clock::now() - begun < 3s) {
    QEventLoop loop;
    QTimer::singleShot(10, &loop, &QEventLoop::quit);
    loop.exec();
  }
  if (stop.stop_requested())
    return fail(ErrorCode::Cancelled, "cancelled");
  opened = opened && m_device->state() == QCanBusDevice::ConnectedState;
  if (!opened)
    return fail(ErrorCode::Unreadable, say("cannot be opened: {}", m_device->errorString().toStdString()),
                m_address.interface, say("is the interface there, and up?"));
  QObject::connect(
      m_device.get(), &QCanBusDevice::errorOccurred, m_device.get(),
      [this](QCanBusDevice::CanBusError error) { m_lostSome = m_lostSome || error == QCanBusDevice::ReadError; });
  SourceFacts facts;
  facts.name = m_address.interface;
  facts.inputs = {m_address.interface};
  facts.records = {kCanLinkType};
  facts.sends = true;
  return facts;
}

Result<void> CanSource::begin(const CapturePlan& /*plan*/, bool /*streams*/, const std::stop_token& /*stop*/)
{
  // What came before is not of this capture.
  m_device->readAllFrames();
  m_clock.begin();
  m_hasStamp = false;
  m_lostSome = false;
  return {};
}

Result<Taken> CanSource::take(std::chrono::milliseconds patience, const std::stop_token& /*stop*/)
{
  if (!m_device || m_device->state() != QCanBusDevice::ConnectedState)
    return tl::unexpected(lost());
  if (m_device->framesAvailable() == 0) {
    QEventLoop loop;
    QObject::connect(m_device.get(), &QCanBusDevice::framesReceived, &loop, &QEventLoop::quit);
    QObject::connect(m_device.get(), &QCanBusDevice::stateChanged, &loop, &QEventLoop::quit);
    QTimer::singleShot(patience, &loop, &QEventLoop::quit);
    loop.exec();
  }
  Taken taken;
  taken.what = Taken::What::Records;
  const std::int64_t now = m_clock.now();
  std::int64_t latest = m_clock.told();
  for (const QCanBusFrame& frame : m_device->readAllFrames()) {
    if (!frame.isValid() && frame.frameType() != QCanBusFrame::ErrorFrame)
      continue;
    // The system's own times of the frames, as far as they go with ours: their clock may be another one, or be set.
    // (In ps, times since 1970 would be out of range.)
    const std::int64_t stamp = frame.timeStamp().seconds() * 1000000 + frame.timeStamp().microSeconds();
    const std::int64_t since = stamp - m_stamp;  // us
    constexpr std::int64_t kFarthest = 100'000'000'000;
    std::int64_t at = m_hasStamp && std::abs(since) < kFarthest ? m_stampedAt + since * (kMillisecond / 1000) : -1;
    if (at < 0 || std::abs(at - now) > 1000 * kMillisecond) {
      m_stamp = stamp;
      m_stampedAt = now;
      m_hasStamp = true;
      at = now;
    }
    at = std::max(std::min(at, now), latest);
    latest = at;
    taken.records.records.push_back({0, at, recordOf(frame), frame.hasLocalEcho(), 0});
  }
  if (std::exchange(m_lostSome, false))
    taken.records.lost.push_back({Picoseconds{std::max<std::int64_t>(0, now - 100 * kMillisecond)}, Picoseconds{now}});
  taken.records.until = m_clock.tell(std::max(latest, now - 5 * kMillisecond));
  return taken;
}

Result<void> CanSource::send(const Outgoing& what, const CapturePlan& /*plan*/, const std::stop_token& /*stop*/)
{
  if (what.telegram.record.size() < 8)
    return fail(ErrorCode::BadArgument, say("a CAN interface sends frames of CAN only"), m_address.interface,
                say("choose a CAN bus to send on"));
  if (!m_device || !m_device->writeFrame(frameOf(what.telegram.record)))
    return fail(ErrorCode::Unwritable,
                say("the frame was not sent: {}", m_device ? m_device->errorString().toStdString() : std::string()),
                m_address.interface);
  return {};
}

void CanSource::end()
{
  if (m_device && m_device->state() == QCanBusDevice::ConnectedState)
    m_device->disconnectDevice();
}

}  // namespace bexto::live
