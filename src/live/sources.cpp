// Tested by tests/live/sources_test.cpp.
#include <QCanBus>
#include <QSerialPortInfo>
#include <QUrl>
#include <QUrlQuery>

#include "core/base/say.h"
#include "live/can_source.h"
#include "live/scpi_source.h"
#include "live/serial_source.h"

namespace bexto::live {

namespace {

Result<std::uint32_t> numberOf(const QUrlQuery& query, const char* key, std::uint32_t usual)
{
  const QString text = query.queryItemValue(QLatin1String(key));
  bool ok = true;
  const std::uint32_t number = text.isEmpty() ? usual : text.toUInt(&ok);
  if (!ok || (number == 0 && usual != 0) || number > 20000000)
    return fail(ErrorCode::BadArgument, say("'{}' is no {}", text.toStdString(), key), say("source"),
                say("write bits a second, like {}=115200", key));
  return number;
}

Result<std::unique_ptr<LiveSource>> serialSource(const QUrl& url)
{
  const QUrlQuery query(url);
  SerialSource::Address address;
  address.port = url.path().toStdString();
  const auto baud = numberOf(query, "baud", address.baud);
  if (!baud)
    return tl::unexpected(baud.error());
  address.baud = *baud;
  const QString format = query.queryItemValue(QStringLiteral("format")).toUpper();
  if (!format.isEmpty()) {
    const bool ok = format.size() == 3 && format[0] >= u'5' && format[0] <= u'8' &&
                    QStringLiteral("NEOMS").contains(format[1]) && (format[2] == u'1' || format[2] == u'2');
    if (!ok)
      return fail(ErrorCode::BadArgument, say("'{}' is no format of characters", format.toStdString()), say("source"),
                  say("write data bits, parity and stop bits, like format=8N1"));
    address.bits = format[0].digitValue();
    address.parity = format[1].toLatin1();
    address.stopBits = format[2].digitValue();
  }
  return std::make_unique<SerialSource>(address);
}

Result<std::unique_ptr<LiveSource>> canSource(const std::string& text, const QUrl& url)
{
  const QUrlQuery query(url);
  CanSource::Address address;
  // Names of interfaces have upper and lower case, hosts of an address have not.
  constexpr std::size_t kScheme = 6;
  address.interface = text.substr(kScheme, text.find_first_of("/?", kScheme) - kScheme);
  if (query.hasQueryItem(QStringLiteral("plugin")))
    address.plugin = query.queryItemValue(QStringLiteral("plugin")).toStdString();
  // Qt's virtual bus is on a port of some computer.
  if (query.hasQueryItem(QStringLiteral("server")))
    address.at = "tcp://" + query.queryItemValue(QStringLiteral("server")).toStdString() + "/";
  const auto bitrate = numberOf(query, "bitrate", 0);
  const auto fdBitrate = numberOf(query, "fd_bitrate", 0);
  if (!bitrate || !fdBitrate)
    return tl::unexpected(bitrate ? fdBitrate.error() : bitrate.error());
  address.bitrate = *bitrate;
  address.fdBitrate = *fdBitrate;
  return std::make_unique<CanSource>(address);
}

}  // namespace

Result<void> LiveSource::send(const Outgoing& /*what*/, const CapturePlan& /*plan*/, const std::stop_token& /*stop*/)
{
  return fail(ErrorCode::BadArgument, say("this source cannot send"));
}

Result<std::unique_ptr<LiveSource>> makeSource(const std::string& url)
{
  constexpr int kScpiPort = 5025;  // registered for raw SCPI: IANA, service "scpi-raw"
  const QUrl address(QString::fromStdString(url));
  if (address.scheme() == QLatin1String("scpi") && !address.host().isEmpty())
    return std::make_unique<ScpiSource>(address.host().toStdString(),
                                        static_cast<std::uint16_t>(address.port(kScpiPort)));
  if (address.scheme() == QLatin1String("serial") && !address.path().isEmpty())
    return serialSource(address);
  if (url.starts_with("can://") && !address.host().isEmpty())
    return canSource(url, address);
  return fail(ErrorCode::BadArgument, say("'{}' is no source", url), {},
              say("write it like scpi://192.168.1.20:5025, can://can0 or serial:/dev/ttyUSB0?baud=115200"));
}

std::vector<Bus> busesOf(const SourceFacts& facts, const CapturePlan& plan, const std::vector<Bus>& others)
{
  std::vector<RecordRecording::Line> lines;
  for (std::size_t i = 0; i < facts.inputs.size() && i < facts.records.size(); ++i) {
    std::string name = plan.channels.empty() ? facts.inputs[i] : std::string();
    for (const PlannedChannel& channel : plan.channels) {
      if (channel.input == i + 1)
        name = channel.name.empty() ? facts.inputs[i] : channel.name;
    }
    if (!name.empty())
      lines.push_back({i, name, facts.records[i]});
  }
  return busesOfRecords(*RecordRecording(facts.name, std::move(lines)).capture(), others);
}

std::string sourceHelp()
{
  return say("An instrument: scpi://192.168.1.20:5025") + "\n" + say("A CAN interface: can://can0?bitrate=500000") +
         "\n" + say("A serial port: serial:/dev/ttyUSB0?baud=115200&format=8N1");
}

std::vector<std::string> sourcesHere()
{
  std::vector<std::string> found;
  for (const QSerialPortInfo& port : QSerialPortInfo::availablePorts())
    found.push_back("serial:" + port.systemLocation().toStdString() + "?baud=115200");
  for (const QCanBusDeviceInfo& interface : QCanBus::instance()->availableDevices(QStringLiteral("socketcan")))
    found.push_back("can://" + interface.name().toStdString());
  return found;
}

}  // namespace bexto::live
