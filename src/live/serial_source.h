#pragma once

#include <QSerialPort>
#include <memory>
#include <string>

#include "live/live_source.h"
#include "live/record_clock.h"

namespace bexto::live {

/// A serial port of this computer, at "serial:/dev/ttyUSB0?baud=115200&format=8N1": characters with the times of their
/// arrival, and what is sent. What a port makes of wrong parity and stop bits it does not tell.
class SerialSource final : public LiveSource {
 public:
  struct Address {
    std::string port;
    std::uint32_t baud = 115200;
    int bits = 8;       ///< 5 to 8
    char parity = 'N';  ///< N, E, O, M, S
    int stopBits = 1;   ///< 1 or 2
  };
  explicit SerialSource(Address address) : m_address(std::move(address)) {}

  Result<SourceFacts> open(const std::stop_token& stop) override;
  Result<void> begin(const CapturePlan& plan, bool streams, const std::stop_token& stop) override;
  Result<Taken> take(std::chrono::milliseconds patience, const std::stop_token& stop) override;
  Result<void> send(const Outgoing& what, const CapturePlan& plan, const std::stop_token& stop) override;
  void end() override;

 private:
  std::int64_t characterTime() const;
  void add(std::size_t input, std::int64_t at, const QByteArray& characters, bool isOurs);
  void lookForOverrun(std::int64_t now);

  Address m_address;
  std::unique_ptr<QSerialPort> m_port;
  RecordClock m_clock;
  ArrivedRecords m_arrived;
  std::int64_t m_lastRead = 0;
  int m_overruns = -1;  ///< that the driver counted; -1: it does not
};

}  // namespace bexto::live
