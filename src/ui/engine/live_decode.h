#pragma once

#include <memory>
#include <stop_token>
#include <vector>

#include "core/decode/decoder.h"
#include "ui/engine/engine.h"

namespace bexto::ui {

/// The decode of a bus whose capture still grows: goes on where it stood, and looks at what is new only. One thread at
/// a time.
class LiveDecode {
 public:
  LiveDecode(ResolvedBus bus, const Capture& capture);
  LiveDecode(const LiveDecode&) = delete;
  LiveDecode& operator=(const LiveDecode&) = delete;

  const Bus& bus() const { return m_bus.bus; }
  /// Whether that bus, whatever it is called, would be decoded the same way, and nothing of it was to be found out.
  bool isOf(const Bus& bus) const
  {
    return bus.settings == m_bus.bus.settings && bus.wires == m_bus.bus.wires && bus.format == m_bus.bus.format &&
           bus.sheets == m_bus.bus.sheets;
  }
  /// Requires: `capture` continues the one before. `final`: it will not go on; what is open at its end is cut there,
  /// and this is of no more use. Nothing when stopped: the same.
  std::vector<StreamView> extend(const Capture& capture, const std::stop_token& stop, bool final = false);

 private:
  struct Stream {
    std::unique_ptr<Decoder> decoder;
    FrameIndexBuilder frames;
    Transactions transactions;
    std::vector<std::uint32_t> faulty;
    std::uint64_t looked = 0;  ///< frames that are in `faulty` or sound
  };
  ResolvedBus m_bus;
  std::vector<Stream> m_streams;
  std::vector<StreamView> m_before;  ///< what the last run gave
};

}  // namespace bexto::ui
