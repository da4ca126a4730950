// Tested by tests/core/exchanges_test.cpp.
#include "core/device/exchanges.h"

#include <algorithm>
#include <map>

#include "core/decode/bus.h"
#include "core/device/reading.h"

namespace bexto {

/// Goes through the requests and answers of all streams in the order of time.
class Exchanges::Pass {
 public:
  Pass(Exchanges& out, const Bus& bus, std::span<const Transactions> streams, const BusDevices& devices)
      : m_out(out), m_streams(streams), m_devices(devices)
  {
    for (const Transactions& stream : streams) {
      m_readings.push_back(dynamic_cast<const Reading*>(stream.meaning().get()));
      m_tellers.push_back(m_readings.back() == nullptr
                              ? nullptr
                              : std::make_unique<UnitTeller>(*m_readings.back(), bus, stream.frames()));
      m_next.push_back(0);
    }
    m_out.m_streams.resize(streams.size());
  }

  /// What `m_out` holds may be of the begin of the same streams.
  void run()
  {
    goBack();
    for (;;) {
      std::size_t first = m_next.size();
      Picoseconds begin = kNever;
      for (std::size_t s = 0; s < m_next.size(); ++s) {
        if (m_next[s] < count(s) && beginOf(s, m_next[s]) < begin) {
          first = s;
          begin = beginOf(s, m_next[s]);
        }
      }
      if (first == m_next.size())
        break;
      take(first, m_readings[first]->talkers().at(m_next[first]++));
    }
    finish();
  }

 private:
  struct Open {
    std::size_t stream = 0;
    std::uint32_t frame = 0;
    TimeRange time;
    Picoseconds within{0};
  };
  /// The request, and whom it is for.
  using Key = std::pair<std::uint16_t, std::uint64_t>;

  std::uint64_t count(std::size_t s) const { return m_readings[s] == nullptr ? 0 : m_readings[s]->talkers().size(); }
  Picoseconds beginOf(std::size_t s, std::uint64_t talker) const
  {
    return timeOf(s, m_readings[s]->talkers().at(talker)).begin;
  }
  TimeRange timeOf(std::size_t s, std::uint64_t unit) const
  {
    const FrameRange range = m_readings[s]->framesOf(unit);
    const FrameIndex& frames = m_streams[s].frames();
    return {frames.frame(range.first).time.begin, frames.frame(range.end - 1).time.end};
  }
  Picoseconds beginOfFrame(std::size_t s, std::uint32_t frame) const
  {
    const FrameIndex& frames = m_streams[s].frames();
    return frame < frames.size() ? frames.frame(frame).time.begin : kNever;
  }

  /// Forgets what may be other by now.
  void goBack()
  {
    Picoseconds from = m_out.m_settled;
    for (std::size_t s = 0; s < m_next.size(); ++s) {
      // A line that says its first: anything may have been meant for it.
      if (m_out.m_streams[s].talked == 0 && count(s) > 0)
        from = Picoseconds{0};
    }
    for (bool lower = true; lower;) {
      lower = false;
      for (std::size_t s = 0; s < m_next.size(); ++s) {
        std::vector<Entry>& entries = m_out.m_streams[s].entries;
        while (!entries.empty() && beginOfFrame(s, entries.back().frame) >= from) {
          const Entry& last = entries.back();
          // Both go, or none.
          if (last.stream >= 0) {
            const Picoseconds other = beginOfFrame(static_cast<std::size_t>(last.stream), last.partner);
            lower = lower || other < from;
            from = std::min(from, other);
          }
          entries.pop_back();
        }
      }
    }
    for (std::size_t s = 0; s < m_next.size(); ++s) {
      Stream& stream = m_out.m_streams[s];
      while (!stream.unanswered.empty() && beginOfFrame(s, stream.unanswered.back()) >= from)
        stream.unanswered.pop_back();
      stream.talked = count(s);
      std::uint64_t low = 0;
      for (std::uint64_t high = count(s); low < high;) {
        const std::uint64_t middle = (low + high) / 2;
        beginOf(s, middle) < from ? low = middle + 1 : high = middle;
      }
      m_next[s] = low;
    }
  }

  void take(std::size_t s, std::uint64_t unit)
  {
    const std::uint16_t item = m_readings[s]->rows().at(unit).item;
    const BusDevices::Asks& asks = m_devices.asks(item);
    const std::uint64_t station = m_tellers[s]->stationOf(unit);
    const TimeRange time = timeOf(s, unit);
    const auto frame = static_cast<std::uint32_t>(m_readings[s]->framesOf(unit).first);
    m_latest = std::max(m_latest, time.end);
    if (asks.answersTo != UnitRow::kNone) {
      const auto open = m_open.find({asks.answersTo, station});
      if (open != m_open.end() && time.begin >= open->second.time.end)
        answer(open, s, frame, time.begin);
    }
    if (!asks.isAsked)
      return;
    const Key key{item, station};
    if (const auto open = m_open.find(key); open != m_open.end())
      giveUp(open->second);
    m_open[key] = {s, frame, time, asks.within};
  }

  void answer(const std::map<Key, Open>::iterator& open, std::size_t s, std::uint32_t frame, Picoseconds begin)
  {
    const Open request = open->second;
    const Picoseconds wait = begin - request.time.end;
    m_open.erase(open);
    if (request.within > Picoseconds{0} && wait > request.within) {
      giveUp(request);
      return;
    }
    m_out.m_streams[request.stream].entries.push_back(
        {request.frame, frame, static_cast<std::int32_t>(s), false, wait});
    m_out.m_streams[s].entries.push_back({frame, request.frame, static_cast<std::int32_t>(request.stream), true, wait});
  }

  void giveUp(const Open& request)
  {
    m_out.m_streams[request.stream].entries.push_back({request.frame, 0, -1, false, Picoseconds{0}});
    m_out.m_streams[request.stream].unanswered.push_back(request.frame);
  }

  void finish()
  {
    Picoseconds reached = kNever;
    for (std::size_t s = 0; s < m_streams.size(); ++s) {
      const FrameIndex& frames = m_streams[s].frames();
      if (frames.size() > 0)
        m_latest = std::max(m_latest, frames.frame(frames.size() - 1).time.end);
      if (count(s) > 0)
        reached = std::min(reached, beginOf(s, count(s) - 1));
    }
    m_out.m_settled = reached == kNever ? Picoseconds{0} : reached;
    for (const auto& [key, request] : m_open) {
      m_out.m_settled = std::min(m_out.m_settled, request.time.begin);
      if (request.within > Picoseconds{0} && m_latest - request.time.end > request.within)
        giveUp(request);
    }
    for (Stream& stream : m_out.m_streams) {
      // A request is entered when its answer comes, and others may have come before.
      std::sort(stream.entries.begin(), stream.entries.end(),
                [](const Entry& a, const Entry& b) { return a.frame < b.frame; });
      std::sort(stream.unanswered.begin(), stream.unanswered.end());
    }
  }

  Exchanges& m_out;
  std::span<const Transactions> m_streams;
  const BusDevices& m_devices;
  std::vector<const Reading*> m_readings;
  std::vector<std::unique_ptr<UnitTeller>> m_tellers;
  std::vector<std::uint64_t> m_next;  ///< of each stream: the next of its talkers
  std::map<Key, Open> m_open;
  Picoseconds m_latest{0};
};

std::shared_ptr<const Exchanges> Exchanges::make(const Bus& bus, std::span<const Transactions> streams,
                                                 const Exchanges* before)
{
  const BusDevices* devices = nullptr;
  for (const Transactions& stream : streams) {
    if (const auto* const reading = dynamic_cast<const Reading*>(stream.meaning().get()))
      devices = &reading->devices();
  }
  if (devices == nullptr || !devices->hasAnswers())
    return nullptr;
  const auto made = before != nullptr && before->m_streams.size() == streams.size()
                        ? std::make_shared<Exchanges>(*before)
                        : std::make_shared<Exchanges>();
  Pass(*made, bus, streams, *devices).run();
  return made;
}

std::optional<Meaning::Partner> Exchanges::of(std::size_t stream, FrameRange frames) const
{
  const std::vector<Entry>& entries = m_streams[stream].entries;
  const auto found = std::lower_bound(entries.begin(), entries.end(), frames.first,
                                      [](const Entry& e, std::uint64_t frame) { return e.frame < frame; });
  if (found == entries.end() || found->frame >= frames.end)
    return std::nullopt;
  return Meaning::Partner{found->isAnswer, found->stream, found->partner, found->wait};
}

bool Exchanges::isUnanswered(std::size_t stream, FrameRange frames) const
{
  const std::vector<std::uint32_t>& list = m_streams[stream].unanswered;
  const auto found = std::lower_bound(list.begin(), list.end(), frames.first);
  return found != list.end() && *found < frames.end;
}

std::span<const std::uint32_t> Exchanges::unanswered(std::size_t stream) const
{
  return m_streams[stream].unanswered;
}

}  // namespace bexto
