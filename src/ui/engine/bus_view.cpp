#include "ui/engine/bus_view.h"

#include <algorithm>
#include <iterator>
#include <utility>

#include "core/view/overview.h"

namespace bexto::ui {

std::uint64_t BusView::frameCount() const
{
  std::uint64_t n = 0;
  for (const StreamView& s : streams)
    n += s.isOfWholes() ? 0 : s.transactions.frames().size();
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

void putTogether(const Bus& bus, std::vector<StreamView>& streams, bool final, const std::vector<StreamView>& before)
{
  const std::size_t wires = streams.size();
  for (std::size_t i = 0; i < wires; ++i) {
    const bool known = before.size() > wires + i;
    auto wholes = Transactions::wholesIn(bus, streams[i].transactions,
                                         known ? before[wires + i].transactions : Transactions(), final);
    if (!wholes)
      break;  // of one bus all have some, or none
    StreamView view;
    view.line = "whole";
    view.input.until = streams[i].input.until;
    view.input.isOfWholes = true;
    view.transactions = std::move(*wholes);
    streams.push_back(std::move(view));
  }
  std::vector<Transactions> all;
  all.reserve(streams.size());
  for (const StreamView& stream : streams)
    all.push_back(stream.transactions);
  Transactions::putTogether(bus, all);
  for (std::size_t i = 0; i < streams.size(); ++i) {
    const bool isOther = all[i].meaning() != streams[i].transactions.meaning();
    if (!isOther && !streams[i].isOfWholes())
      continue;
    streams[i].transactions = all[i];
    const std::vector<std::uint32_t> told = all[i].meaning()->faulty(0);
    std::vector<std::uint32_t> faulty;
    std::set_union(streams[i].faulty.begin(), streams[i].faulty.end(), told.begin(), told.end(),
                   std::back_inserter(faulty));
    streams[i].faulty = std::move(faulty);
  }
}

std::vector<StreamView> ofWires(const std::vector<StreamView>& streams)
{
  std::vector<StreamView> wires;
  std::copy_if(streams.begin(), streams.end(), std::back_inserter(wires),
               [](const StreamView& s) { return !s.isOfWholes(); });
  return wires;
}

}  // namespace bexto::ui
