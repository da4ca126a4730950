// Tested by tests/live/scpi_source_test.cpp.
#include "live/scpi_link.h"

#include <QElapsedTimer>
#include <QHostAddress>
#include <algorithm>
#include <cmath>

#include "core/base/number_text.h"
#include "core/base/say.h"

namespace bexto::live {

namespace {

constexpr int kSlice = 20;                          // ms, between two looks at the stop token
constexpr qint64 kSocketBuffer = qint64{4} << 20U;  // bytes

tl::unexpected<Error> cancelled()
{
  return fail(ErrorCode::Cancelled, "cancelled");
}

}  // namespace

ScpiLink::ScpiLink(std::string host, std::uint16_t port, std::chrono::milliseconds patience)
    : m_host(std::move(host)), m_port(port), m_patience(patience)
{
}

std::string ScpiLink::where() const
{
  return fmt::format("scpi://{}:{}", m_host, m_port);
}

tl::unexpected<Error> ScpiLink::nonsense(const std::string& what) const
{
  return fail(ErrorCode::Malformed, what, where(), say("check that the address is that of the instrument"));
}

Result<void> ScpiLink::connect(const std::stop_token& stop)
{
  close();
  m_socket = std::make_unique<QTcpSocket>();
  m_socket->setReadBufferSize(kSocketBuffer);
  m_socket->connectToHost(QString::fromStdString(m_host), m_port);
  QElapsedTimer clock;
  clock.start();
  while (!m_socket->waitForConnected(kSlice)) {
    if (stop.stop_requested())
      return cancelled();
    const bool over = m_socket->state() == QAbstractSocket::UnconnectedState;
    if (over || clock.elapsed() > m_patience.count())
      return fail(ErrorCode::Unreadable, say("nobody answers there"), where(),
                  say("switch the instrument on, and check its address and port"));
  }
  m_socket->setSocketOption(QAbstractSocket::LowDelayOption, 1);
  return {};
}

void ScpiLink::close()
{
  m_socket.reset();
  m_bytes.clear();
  m_used = 0;
}

Result<void> ScpiLink::send(const std::string& line)
{
  const std::string bytes = line + '\n';
  if (!isConnected() || m_socket->write(bytes.data(), static_cast<qint64>(bytes.size())) < 0)
    return fail(ErrorCode::Unreadable, say("the connection is lost"), where(), say("connect again"));
  m_socket->flush();
  return {};
}

void ScpiLink::drain()
{
  if (m_used > 0) {
    m_bytes.erase(m_bytes.begin(), m_bytes.begin() + static_cast<std::ptrdiff_t>(m_used));
    m_used = 0;
  }
  const qint64 there = m_socket->bytesAvailable();
  if (there <= 0)
    return;
  const std::size_t before = m_bytes.size();
  m_bytes.resize(before + static_cast<std::size_t>(there));
  const qint64 got = m_socket->read(reinterpret_cast<char*>(m_bytes.data() + before), there);
  m_bytes.resize(before + static_cast<std::size_t>(std::max<qint64>(0, got)));
}

Result<bool> ScpiLink::wait(std::chrono::milliseconds patience, const std::stop_token& stop)
{
  if (left() > 0 || m_socket->bytesAvailable() > 0)
    return true;
  QElapsedTimer clock;
  clock.start();
  do {
    if (m_socket->waitForReadyRead(std::min(kSlice, static_cast<int>(patience.count()))))
      return true;
    if (!isConnected())
      return fail(ErrorCode::Unreadable, say("the connection is lost"), where(), say("connect again"));
    if (stop.stop_requested())
      return cancelled();
  } while (clock.elapsed() < patience.count());
  return false;
}

Result<void> ScpiLink::need(std::size_t bytes, const std::stop_token& stop)
{
  QElapsedTimer clock;
  clock.start();
  while (left() < bytes) {
    const std::size_t before = left();
    drain();
    if (left() > before) {
      clock.restart();
      continue;
    }
    if (stop.stop_requested())
      return cancelled();
    if (m_socket->waitForReadyRead(kSlice))
      continue;
    if (!isConnected())
      return fail(ErrorCode::Unreadable, say("the connection is lost"), where(), say("connect again"));
    if (clock.elapsed() > m_patience.count())
      return fail(ErrorCode::Unreadable, say("the instrument does not answer"), where(),
                  say("look whether it still runs, and connect again"));
  }
  return {};
}

Result<char> ScpiLink::byte(const std::stop_token& stop)
{
  if (auto there = need(1, stop); !there)
    return tl::unexpected(there.error());
  const auto c = static_cast<char>(m_bytes[m_used]);
  use(1);
  return c;
}

Result<std::string> ScpiLink::ask(const std::string& line, const std::stop_token& stop)
{
  if (auto sent = send(line); !sent)
    return tl::unexpected(sent.error());
  for (std::size_t looked = 0;;) {
    const auto begin = m_bytes.begin() + static_cast<std::ptrdiff_t>(m_used);
    const auto end = std::find(begin + static_cast<std::ptrdiff_t>(looked), m_bytes.end(), std::uint8_t{'\n'});
    if (end != m_bytes.end()) {
      std::string answer(begin, end);
      use(answer.size() + 1);
      if (answer.ends_with('\r'))
        answer.pop_back();
      return answer;
    }
    looked = left();
    if (looked > kMostLine)
      return nonsense(say("the instrument sends a line without an end"));
    if (auto there = need(looked + 1, stop); !there)
      return tl::unexpected(there.error());
  }
}

Result<double> ScpiLink::askNumber(const std::string& line, const std::stop_token& stop)
{
  const auto answer = ask(line, stop);
  if (!answer)
    return tl::unexpected(answer.error());
  const auto number = parseNumber(*answer);
  if (!number || !std::isfinite(*number))
    return nonsense(say("the instrument's answer to {} is no number", line));
  return *number;
}

Result<void> ScpiLink::set(const std::string& commands, const std::stop_token& stop)
{
  const auto error = ask(commands + ";:SYST:ERR?", stop);
  if (!error)
    return tl::unexpected(error.error());
  if (error->starts_with("0,") || error->starts_with("+0,"))
    return {};
  const auto comma = error->find(',');
  if (comma == std::string::npos || !parseInteger(error->substr(0, comma)))
    return nonsense(say("the instrument's answer makes no sense"));
  return fail(ErrorCode::BadArgument, say("the instrument refuses: {}", error->substr(comma + 1)), where());
}

Result<std::optional<std::span<const std::uint8_t>>> ScpiLink::block(const std::stop_token& stop)
{
  using Bytes = std::optional<std::span<const std::uint8_t>>;
  const auto first = byte(stop);
  if (!first)
    return tl::unexpected(first.error());
  if (*first == '\n')
    return Bytes();
  const auto digits = *first == '#' ? byte(stop) : first;
  if (!digits)
    return tl::unexpected(digits.error());
  if (*first != '#' || *digits < '1' || *digits > '9')
    return nonsense(say("the instrument sends no block where one is expected"));
  // Nine digits at the most: nothing here overflows.
  std::size_t length = 0;
  for (char n = '0'; n < *digits; ++n) {
    const auto digit = byte(stop);
    if (!digit)
      return tl::unexpected(digit.error());
    if (*digit < '0' || *digit > '9')
      return nonsense(say("the length of a block is no number"));
    length = length * 10 + static_cast<std::size_t>(*digit - '0');
  }
  if (length > kMostBlock)
    return nonsense(say("the instrument announces a block of {}", counted(length, kBytes)));
  if (auto there = need(length, stop); !there)
    return tl::unexpected(there.error());
  const std::span<const std::uint8_t> bytes(m_bytes.data() + m_used, length);
  use(length);
  return Bytes(bytes);
}

}  // namespace bexto::live
