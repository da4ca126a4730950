#pragma once

#include <memory>
#include <vector>

#include "live/live_source.h"
#include "live/scpi_link.h"

namespace bexto::live {

/// A logic instrument that speaks SCPI as docs/rig.md has it, at "scpi://HOST:PORT".
class ScpiSource final : public LiveSource {
 public:
  /// `patience`: how long it may be silent where something is expected.
  ScpiSource(std::string host, std::uint16_t port, std::chrono::milliseconds patience = ScpiLink::kPatience)
      : m_link(std::move(host), port, patience)
  {
  }

  Result<SourceFacts> open(const std::stop_token& stop) override;
  Result<void> begin(const CapturePlan& plan, bool streams, const std::stop_token& stop) override;
  Result<Taken> take(std::chrono::milliseconds patience, const std::stop_token& stop) override;
  /// By the instrument's pattern output: docs/rig.md, OUTPut.
  Result<void> send(const Outgoing& what, const CapturePlan& plan, const std::stop_token& stop) override;
  void end() override;

 private:
  Result<std::string> triggerCommands(const CapturePlan& plan, double depth) const;
  Result<Taken> takeStreamed(std::chrono::milliseconds patience, const std::stop_token& stop);
  Result<Taken> takeAcquired(std::chrono::milliseconds patience, const std::stop_token& stop);
  Result<Taken> readBlock(const std::stop_token& stop);

  ScpiLink m_link;
  SourceFacts m_facts;
  bool m_streams = false;
  bool m_streamEnded = true;
  bool m_behindBlock = false;  ///< what stands behind the last one was not read yet
  bool m_waits = false;        ///< for what is to start it
  bool m_acquired = false;     ///< and can be fetched
  double m_fetched = 0;        ///< up to this sample
  double m_fetchEnd = 0;
  std::chrono::steady_clock::time_point m_heard;  ///< when the last block came
};

}  // namespace bexto::live
