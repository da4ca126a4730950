#pragma once

// The buses of the lock cycle, decoded, as a Ledger lists them.

#include "core/decode/bus_spec.h"
#include "core/view/ledger.h"
#include "support/lock_cycle.h"
#include "support/waves.h"

namespace bexto::test {

inline const std::vector<LedgerSource>& lockCycleSources()
{
  static const std::vector<LedgerSource> kSources = [] {
    const rig::LockCycle& cycle = lockCycle();
    std::vector<LedgerSource> sources;
    for (const char* spec : {"sensors=i2c,scl=SCL,sda=SDA", "console=uart,tx=CONSOLE_TX,baud=115200",
                             "sonar=uart,rx=SONAR_RX,tx=SONAR_TX,baud=57600,parity=even",
                             "log=spi,clk=SPI_CLK,mosi=SPI_MOSI,miso=SPI_MISO,cs=LOG_CS",
                             "adc=spi,clk=SPI_CLK,mosi=SPI_MOSI,miso=SPI_MISO,cs=ADC_CS,mode=1",
                             "drives=can,rx=CAN_RX,bitrate=500000,fd_bitrate=2000000"}) {
      const auto resolved = resolveBus(*parseBusSpec(spec), cycle.capture);
      for (const BusStream& stream : resolved->streams)
        sources.push_back({resolved->bus, stream.line,
                           Transactions(resolved->bus, decodeAll(resolved->bus, inputOf(cycle.capture, stream))),
                           nullptr, resolved->streams.size() > 1});
    }
    return sources;
  }();
  return kSources;
}

}  // namespace bexto::test
