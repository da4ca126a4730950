// Tested by tests/live/serial_source_test.cpp.
#include "live/serial_source.h"

#include <linux/serial.h>
#include <sys/ioctl.h>

#include <fmt/core.h>

#include <algorithm>
#include <utility>

#include "core/base/say.h"
#include "core/protocol/uart/uart_record.h"

namespace bexto::live {

namespace {

constexpr std::size_t kHeadBytes = 4;  // of a record
constexpr std::size_t kInputRx = 0;
constexpr std::size_t kInputTx = 1;

std::string nameOf(const std::string& port)
{
  // "ttyUSB0", and of a folder of them "pts3".
  std::string name = port.starts_with("/dev/") ? port.substr(5) : port.substr(port.rfind('/') + 1);
  std::erase(name, '/');
  return name;
}

/// What the driver had no room for, since it was opened; -1: it does not count.
int overrunsOf(const QSerialPort& port)
{
  serial_icounter_struct counts{};
  if (::ioctl(static_cast<int>(port.handle()), TIOCGICOUNT, &counts) != 0)
    return -1;
  return counts.overrun + counts.buf_overrun;
}

}  // namespace

/// On the wire, in ps.
std::int64_t SerialSource::characterTime() const
{
  const int bits = 1 + m_address.bits + (m_address.parity == 'N' ? 0 : 1) + m_address.stopBits;
  return bits * Picoseconds(std::chrono::seconds{1}).count() / std::max<std::int64_t>(1, m_address.baud);
}

Result<SourceFacts> SerialSource::open(const std::stop_token& /*stop*/)
{
  m_port = std::make_unique<QSerialPort>(QString::fromStdString(m_address.port));
  const auto cannot = [this] {
    return fail(ErrorCode::Unreadable, say("cannot be opened: {}", m_port->errorString().toStdString()), m_address.port,
                m_port->error() == QSerialPort::PermissionError
                    ? say("close whoever has it, or have yourself added to the group that may use serial ports")
                    : say("is it plugged in?"));
  };
  if (!m_port->open(QIODevice::ReadWrite))
    return cannot();
  const auto parity = m_address.parity == 'E'   ? QSerialPort::EvenParity
                      : m_address.parity == 'O' ? QSerialPort::OddParity
                      : m_address.parity == 'M' ? QSerialPort::MarkParity
                      : m_address.parity == 'S' ? QSerialPort::SpaceParity
                                                : QSerialPort::NoParity;
  if (!m_port->setBaudRate(static_cast<qint32>(m_address.baud)) ||
      !m_port->setDataBits(static_cast<QSerialPort::DataBits>(m_address.bits)) || !m_port->setParity(parity) ||
      !m_port->setStopBits(static_cast<QSerialPort::StopBits>(m_address.stopBits)) ||
      !m_port->setFlowControl(QSerialPort::NoFlowControl))
    return cannot();
  SourceFacts facts;
  facts.name = fmt::format("{} {} {}{}{}", nameOf(m_address.port), m_address.baud, m_address.bits, m_address.parity,
                           m_address.stopBits);
  facts.inputs = {nameOf(m_address.port) + ".rx", nameOf(m_address.port) + ".tx"};
  facts.records = {kUartLinkType, kUartLinkType};
  facts.sends = true;
  return facts;
}

Result<void> SerialSource::begin(const CapturePlan& /*plan*/, bool /*streams*/, const std::stop_token& /*stop*/)
{
  m_port->clear(QSerialPort::Input);
  m_port->readAll();
  m_arrived = {};
  m_clock.begin();
  m_lastRead = 0;
  m_overruns = overrunsOf(*m_port);
  return {};
}

void SerialSource::add(std::size_t input, std::int64_t at, const QByteArray& characters, bool isOurs)
{
  constexpr qsizetype kMost = 4096;
  const std::int64_t each = characterTime();
  const auto ns = static_cast<std::uint32_t>(std::min<std::int64_t>(each / 1000, 0xffffffff));
  // What came in one go ends where it ends; its parts one after the other before.
  for (qsizetype from = 0; from < characters.size(); from += kMost) {
    const QByteArray part = characters.mid(from, kMost);
    const std::int64_t end = std::max<std::int64_t>(m_lastRead, at - each * (characters.size() - from - part.size()));
    ArrivedRecords::One record{input, end, {}, isOurs, each * part.size()};
    for (const unsigned shift : {0U, 8U, 16U, 24U})
      record.bytes.push_back(static_cast<std::uint8_t>(ns >> shift));
    record.bytes.insert(record.bytes.end(), part.begin(), part.end());
    m_arrived.records.push_back(std::move(record));
  }
}

void SerialSource::lookForOverrun(std::int64_t now)
{
  if (m_overruns < 0)
    return;
  const int overruns = overrunsOf(*m_port);
  if (overruns > m_overruns)
    m_arrived.lost.push_back({Picoseconds{m_lastRead}, Picoseconds{now}});
  m_overruns = overruns;
}

Result<Taken> SerialSource::take(std::chrono::milliseconds patience, const std::stop_token& /*stop*/)
{
  const auto gone = [this] {
    return fail(ErrorCode::Unreadable, say("the serial port is gone"), m_address.port,
                say("plug it in again, and connect again"));
  };
  if (!m_port || !m_port->isOpen())
    return fail(ErrorCode::Unreadable, say("the serial port is not open"), m_address.port, say("connect again"));
  if (m_port->bytesAvailable() == 0 && !m_port->waitForReadyRead(static_cast<int>(patience.count())) &&
      m_port->error() != QSerialPort::TimeoutError && m_port->error() != QSerialPort::NoError)
    return gone();
  const QByteArray characters = m_port->readAll();
  if (characters.isEmpty() && m_port->error() == QSerialPort::ResourceError)
    return gone();
  const std::int64_t now = m_clock.now();
  lookForOverrun(now);
  if (!characters.isEmpty())
    add(kInputRx, now, characters, false);
  m_lastRead = now;
  Taken taken;
  taken.what = Taken::What::Records;
  taken.records = std::exchange(m_arrived, {});
  std::stable_sort(taken.records.records.begin(), taken.records.records.end(),
                   [](const auto& a, const auto& b) { return a.time < b.time; });
  taken.records.until = now;
  return taken;
}

Result<void> SerialSource::send(const Outgoing& what, const CapturePlan& /*plan*/, const std::stop_token& /*stop*/)
{
  const std::vector<std::uint8_t>& record = what.telegram.record;
  if (!what.telegram.steps.empty() || record.size() <= kHeadBytes)
    return fail(ErrorCode::BadArgument, say("a serial port sends characters only"), m_address.port,
                say("choose a UART bus to send on"));
  const QByteArray characters(reinterpret_cast<const char*>(record.data()) + kHeadBytes,
                              static_cast<qsizetype>(record.size() - kHeadBytes));
  const std::int64_t begun = m_clock.now();
  if (!m_port || m_port->write(characters) != characters.size() || !m_port->waitForBytesWritten(1000))
    return fail(ErrorCode::Unwritable,
                say("not all was sent: {}", m_port ? m_port->errorString().toStdString() : std::string()),
                m_address.port);
  // As it goes out on the wire.
  add(kInputTx, begun + characterTime() * characters.size(), characters, true);
  return {};
}

void SerialSource::end()
{
  if (m_port)
    m_port->close();
}

}  // namespace bexto::live
