#pragma once

#include <QTcpSocket>
#include <chrono>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <stop_token>
#include <string>

#include "core/base/result.h"

namespace bexto::live {

/// A connection to an instrument that is talked to by SCPI over a raw socket. Calls wait, in the thread that connected,
/// and end soon when `stop` is set. Nothing that the other end sends makes them wait longer than `patience` between two
/// bytes, or keep more than kMostLine or kMostBlock of it.
///
/// Errors of all: Unreadable (gone, silent), Malformed (not what was asked for), Cancelled; `where` is the address.
class ScpiLink {
 public:
  ScpiLink(std::string host, std::uint16_t port, std::chrono::milliseconds patience = kPatience);

  Result<void> connect(const std::stop_token& stop);
  bool isConnected() const { return m_socket && m_socket->state() == QAbstractSocket::ConnectedState; }
  void close();

  /// A command without an answer.
  Result<void> send(const std::string& line);
  /// The answer to a query, without its end of line.
  Result<std::string> ask(const std::string& line, const std::stop_token& stop);
  /// The answer's number `field`, from 0, of those between commas. Errors also: it is no finite number.
  Result<double> askNumber(const std::string& line, const std::stop_token& stop);
  /// Settings, and whether the instrument took all of them.
  Result<void> set(const std::string& commands, const std::stop_token& stop);

  /// A definite-length block (IEEE 488.2-1992, 8.7.9), until the next call. nullopt: what comes is the end of a line.
  Result<std::optional<std::span<const std::uint8_t>>> block(const std::stop_token& stop);
  /// A single byte.
  Result<char> byte(const std::stop_token& stop);
  /// Whether something is there to be read, after so long at most. Errors: it is gone.
  Result<bool> wait(std::chrono::milliseconds patience, const std::stop_token& stop);

  std::chrono::milliseconds patience() const { return m_patience; }
  std::string where() const;
  tl::unexpected<Error> nonsense(const std::string& what) const;

  static constexpr std::chrono::milliseconds kPatience{3000};
  static constexpr std::size_t kMostLine = 65536;
  static constexpr std::size_t kMostBlock = std::size_t{64} << 20U;

 private:
  Result<void> need(std::size_t bytes, const std::stop_token& stop);
  void use(std::size_t bytes) { m_used += bytes; }
  std::size_t left() const { return m_bytes.size() - m_used; }
  void drain();

  std::string m_host;
  std::uint16_t m_port;
  std::chrono::milliseconds m_patience;
  std::unique_ptr<QTcpSocket> m_socket;  ///< of the thread that connected
  std::vector<std::uint8_t> m_bytes;     ///< received
  std::size_t m_used = 0;                ///< of them
};

}  // namespace bexto::live
