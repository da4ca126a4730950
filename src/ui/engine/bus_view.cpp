#include "ui/engine/bus_view.h"

#include <utility>

#include "core/view/overview.h"

namespace bexto::ui {

std::uint64_t BusView::frameCount() const
{
  std::uint64_t n = 0;
  for (const StreamView& s : streams)
    n += s.transactions.frames().size();
  return n;
}

std::uint64_t BusView::transactionCount() const
{
  std::uint64_t n = 0;
  for (const StreamView& s : streams)
    n += s.transactions.size();
  return n;
}

std::uint64_t BusView::faultCount() const
{
  std::uint64_t n = 0;
  for (const StreamView& s : streams)
    n += s.faulty.size();
  return n;
}

StreamView streamView(const Bus& bus, const BusStream& stream, StreamInput input, FrameIndex frames, double hertz)
{
  StreamView view{stream.line, stream.channels, std::move(input), Transactions(bus, std::move(frames)), {}, hertz};
  view.faulty = faultyFrames(view.transactions);
  return view;
}

}  // namespace bexto::ui
