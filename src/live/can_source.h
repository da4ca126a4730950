#pragma once

#include <QCanBusDevice>
#include <memory>
#include <string>

#include "live/live_source.h"
#include "live/record_clock.h"

namespace bexto::live {

/// A CAN interface of this computer, at "can://INTERFACE?bitrate=500000": frames with the times that the system gives
/// them, and a controller's reports of errors. `plugin` is the Qt SerialBus plugin that has it: socketcan unless the
/// address says `plugin=`; the virtual one may be on another port, `server=HOST:PORT`.
class CanSource final : public LiveSource {
 public:
  struct Address {
    std::string plugin = "socketcan";
    std::string interface;
    std::string at;               ///< stands before its name for the plugin: "tcp://127.0.0.1:35468/"
    std::uint32_t bitrate = 0;    ///< 0: as it is set up
    std::uint32_t fdBitrate = 0;  ///< the same
  };
  explicit CanSource(Address address) : m_address(std::move(address)) {}

  Result<SourceFacts> open(const std::stop_token& stop) override;
  Result<void> begin(const CapturePlan& plan, bool streams, const std::stop_token& stop) override;
  Result<Taken> take(std::chrono::milliseconds patience, const std::stop_token& stop) override;
  Result<void> send(const Outgoing& what, const CapturePlan& plan, const std::stop_token& stop) override;
  void end() override;

 private:
  Error lost() const;

  Address m_address;
  std::unique_ptr<QCanBusDevice> m_device;
  RecordClock m_clock;
  std::int64_t m_stamp = 0;      ///< us: the system's time of a frame that came
  std::int64_t m_stampedAt = 0;  ///< ps: at that moment of ours
  bool m_hasStamp = false;
  bool m_lostSome = false;
};

}  // namespace bexto::live
