#include "ui/engine/live_decode.h"

#include <algorithm>
#include <iterator>

#include "core/decode/protocol.h"

namespace bexto::ui {

namespace {

/// What is open at the end may go on, unless it is `final`.
StreamInput growingInput(const Capture& capture, const BusStream& stream, bool final)
{
  StreamInput input = inputOf(capture, stream);
  input.final = final;
  return input;
}

}  // namespace

LiveDecode::LiveDecode(ResolvedBus bus, const Capture& capture) : m_bus(std::move(bus))
{
  for (const BusStream& stream : m_bus.streams)
    m_streams.emplace_back().decoder = m_bus.bus.protocol().decoder(m_bus.bus, growingInput(capture, stream, false));
}

std::vector<StreamView> LiveDecode::extend(const Capture& capture, const std::stop_token& stop, bool final)
{
  constexpr std::size_t kSlice = 32768;
  std::vector<StreamView> views;
  for (std::size_t i = 0; i < m_streams.size(); ++i) {
    Stream& s = m_streams[i];
    const StreamInput input = growingInput(capture, m_bus.streams[i], final);
    s.decoder->extend(input);
    while (s.decoder->run(s.frames, kSlice)) {
      if (stop.stop_requested())
        return {};
    }
    const FrameIndex frames = s.frames.snapshot();
    s.transactions = Transactions(m_bus.bus, frames, s.transactions);
    for (; s.looked < frames.size(); ++s.looked) {
      const Frame frame = frames.frame(s.looked);
      if (isFaulty(frame.kind, frame.errors))
        s.faulty.push_back(static_cast<std::uint32_t>(s.looked));
    }
    views.push_back(
        {m_bus.streams[i].line, m_bus.streams[i].channels, input, s.transactions, {}, s.decoder->measuredHertz()});
  }
  for (std::size_t i = 0; i < m_streams.size(); ++i)
    views[i].faulty = m_streams[i].faulty;
  putTogether(m_bus.bus, views, final, m_before);
  // What goes on from here knows what was settled.
  for (std::size_t i = 0; i < m_streams.size(); ++i) {
    m_streams[i].transactions = views[i].transactions;
    if (const auto& meaning = views[i].transactions.meaning()) {
      const std::vector<std::uint32_t> told = meaning->faulty(0);
      views[i].faulty.clear();
      std::set_union(m_streams[i].faulty.begin(), m_streams[i].faulty.end(), told.begin(), told.end(),
                     std::back_inserter(views[i].faulty));
    }
  }
  m_before = views;
  return views;
}

}  // namespace bexto::ui
