// Tested by tests/core/transport_test.cpp.
#include "core/device/transport.h"

#include <algorithm>
#include <map>

#include "core/decode/protocol.h"
#include "core/device/bus_devices.h"

namespace bexto {

TransportPart transportPart(std::span<const std::uint8_t> bytes, bool extended)
{
  TransportPart part;
  const std::size_t at = extended ? 1 : 0;
  if (bytes.size() <= at)
    return part;
  const std::uint8_t control = bytes[at];
  const auto low = static_cast<std::uint8_t>(control & 0x0fU);
  const auto has = [&](std::size_t count) { return bytes.size() >= at + count; };
  switch (control >> 4U) {
    case 0: {
      // Longer frames have the length in a byte of its own.
      const bool escaped = low == 0 && bytes.size() > 8 && has(2);
      part.length = escaped ? bytes[at + 1] : low;
      part.data = at + (escaped ? 2 : 1);
      if (part.length > 0 && part.data + part.length <= bytes.size())
        part.kind = TransportPart::Kind::Single;
      break;
    }
    case 1:
      if (!has(2))
        break;
      part.length = std::uint32_t{low} << 8U | bytes[at + 1];
      part.data = at + 2;
      if (part.length == 0 && has(6)) {
        for (std::size_t i = 0; i < 4; ++i)
          part.length = part.length << 8U | bytes[at + 2 + i];
        part.data = at + 6;
      }
      if (part.length > 0)
        part.kind = TransportPart::Kind::First;
      break;
    case 2:
      part.kind = TransportPart::Kind::Next;
      part.number = low;
      part.data = at + 1;
      break;
    case 3:
      if (!has(3))
        break;
      part.kind = TransportPart::Kind::Flow;
      part.number = low;
      part.block = bytes[at + 1];
      part.apart = bytes[at + 2];
      part.data = at + 3;
      break;
    default:
      break;
  }
  return part;
}

Picoseconds apartOf(std::uint8_t apart)
{
  if (apart <= 0x7f)
    return std::chrono::milliseconds{apart};
  if (apart >= 0xf1 && apart <= 0xf9)
    return std::chrono::microseconds{100 * (apart - 0xf0)};
  return std::chrono::milliseconds{127};
}

class Wholes::Search {
 public:
  Search(Wholes& out, const BusDevices& devices, const Bus& bus)
      : m_out(out), m_devices(devices), m_talk(bus.protocol().talkReader(bus)), m_open(devices.transports().size())
  {
  }

  void run(const FrameIndex& frames, bool final)
  {
    for (const auto& chunk : frames.chunks()) {
      for (std::size_t i = 0; i < chunk->size(); ++i) {
        const Frame frame = chunk->frame(i);
        const Talk talk = m_talk->of(frame);
        if (!talk.heard || !talk.certain || !talk.answered)
          continue;
        if (const auto transport = m_devices.transportAt(talk.name))
          take(*transport, frame, talk, static_cast<std::uint32_t>(chunk->first + i));
      }
    }
    const Picoseconds end = frames.empty() ? Picoseconds{0} : frames.frame(frames.size() - 1).time.end;
    for (std::size_t t = 0; t < m_open.size(); ++t)
      giveUpLate(t, end);
    flush(final);
    m_out.m_frames = m_builder.snapshot();
    std::sort(m_out.m_wholes.begin(), m_out.m_wholes.end(),
              [](const Part& a, const Part& b) { return a.frame < b.frame; });
  }

 private:
  static constexpr Picoseconds kLongestRest = std::chrono::seconds{1};

  /// A message that is being sent, or that waits for one that began before.
  struct Pending {
    std::size_t transport = 0;
    State state = State::Whole;
    std::uint32_t length = 0;
    TimeRange time;
    Frame first;  ///< all but its payload
    std::vector<std::uint8_t> lead;
    std::vector<std::uint8_t> bytes;
    std::vector<std::uint8_t> tail;
    std::vector<std::uint32_t> parts;
    std::uint8_t next = 1;
  };

  void take(std::size_t t, const Frame& frame, const Talk& talk, std::uint32_t number)
  {
    const TransportPart part = transportPart(talk.out, m_devices.transports()[t].spec->extended);
    // What receivers say of it is a part of it as well, whoever's identifier it has.
    if (part.kind == TransportPart::Kind::Flow) {
      flow(talk.name, frame, part, number);
      return;
    }
    if (m_devices.transports()[t].spec->id != talk.name)
      return;  // only flow control has that identifier
    giveUpLate(t, frame.time.begin);
    if (part.kind == TransportPart::Kind::Single || part.kind == TransportPart::Kind::First) {
      end(t, State::Interrupted);
      Pending message;
      message.transport = t;
      message.length = part.length;
      message.time = frame.time;
      message.first = frame;
      message.first.payload = {};
      // What the protocol has around its bytes goes around those of the message.
      const auto lead = static_cast<std::size_t>(talk.out.data() - frame.payload.data());
      message.lead.assign(frame.payload.begin(), frame.payload.begin() + static_cast<std::ptrdiff_t>(lead));
      message.tail.assign(frame.payload.begin() + static_cast<std::ptrdiff_t>(lead + talk.out.size()),
                          frame.payload.end());
      m_open[t] = std::move(message);
      append(t, frame, talk.out.subspan(std::min(part.data, talk.out.size())), number);
      return;
    }
    if (!m_open[t] || part.kind != TransportPart::Kind::Next)
      return;
    if (part.number != m_open[t]->next) {
      m_open[t]->parts.push_back(number);
      m_open[t]->time.end = frame.time.end;
      end(t, State::OutOfOrder);
      return;
    }
    m_open[t]->next = static_cast<std::uint8_t>((part.number + 1U) & 0x0fU);
    append(t, frame, talk.out.subspan(part.data), number);
  }

  void append(std::size_t t, const Frame& frame, std::span<const std::uint8_t> bytes, std::uint32_t number)
  {
    Pending& message = *m_open[t];
    message.parts.push_back(number);
    message.time.end = frame.time.end;
    const std::size_t left = message.length - message.bytes.size();
    const std::size_t room = kMostBytes - message.bytes.size();
    const std::span<const std::uint8_t> own = bytes.first(std::min({bytes.size(), left, room}));
    message.bytes.insert(message.bytes.end(), own.begin(), own.end());
    if (message.bytes.size() == message.length)
      end(t, State::Whole);
    else if (own.size() == room)
      end(t, State::TooLong);
  }

  void flow(std::uint32_t name, const Frame& frame, const TransportPart& part, std::uint32_t number)
  {
    for (std::size_t t = 0; t < m_open.size(); ++t) {
      if (m_devices.transports()[t].spec->flow != name || !m_open[t])
        continue;
      m_open[t]->parts.push_back(number);
      m_open[t]->time.end = std::max(m_open[t]->time.end, frame.time.end);
      if (part.number > 1)
        end(t, State::Refused);
      return;
    }
  }

  void giveUpLate(std::size_t t, Picoseconds now)
  {
    if (m_open[t] && now - m_open[t]->time.end > kLongestRest)
      end(t, State::TimedOut);
  }

  void end(std::size_t t, State state)
  {
    if (!m_open[t])
      return;
    m_open[t]->state = state;
    const Picoseconds begin = m_open[t]->time.begin;
    m_ended.emplace(begin, std::move(*m_open[t]));
    m_open[t].reset();
    flush(false);
  }

  /// Those before which none is under way. At the end all; what is still under way then is not whole and not broken.
  void flush(bool all)
  {
    Picoseconds first = kNever;
    for (const std::optional<Pending>& open : m_open)
      first = open && !all ? std::min(first, open->time.begin) : first;
    while (!m_ended.empty() && m_ended.begin()->first < first) {
      add(m_ended.begin()->second);
      m_ended.erase(m_ended.begin());
    }
  }

  void add(const Pending& message)
  {
    const auto whole = static_cast<std::uint32_t>(m_out.m_messages.size());
    m_out.m_messages.push_back({static_cast<std::uint32_t>(message.transport), message.state, message.length,
                                m_out.m_parts.size(), static_cast<std::uint32_t>(message.parts.size())});
    m_out.m_parts.insert(m_out.m_parts.end(), message.parts.begin(), message.parts.end());
    for (const std::uint32_t part : message.parts)
      m_out.m_wholes.push_back({part, whole});
    std::vector<std::uint8_t> payload = message.lead;
    payload.insert(payload.end(), message.bytes.begin(), message.bytes.end());
    payload.insert(payload.end(), message.tail.begin(), message.tail.end());
    Frame frame = message.first;
    frame.time = message.time;
    frame.payload = payload;
    m_builder.add(frame);
  }

  Wholes& m_out;
  const BusDevices& m_devices;
  std::unique_ptr<const TalkReader> m_talk;
  std::vector<std::optional<Pending>> m_open;   ///< of each transport
  std::multimap<Picoseconds, Pending> m_ended;  ///< by their begin
  FrameIndexBuilder m_builder;
};

std::shared_ptr<const Wholes> Wholes::find(const BusDevices& devices, const Bus& bus, const FrameIndex& frames,
                                           bool final)
{
  const auto wholes = std::make_shared<Wholes>();
  Search(*wholes, devices, bus).run(frames, final);
  return wholes;
}

std::span<const std::uint32_t> Wholes::partsOf(std::uint64_t whole) const
{
  const Message& message = m_messages[static_cast<std::size_t>(whole)];
  return std::span(m_parts).subspan(static_cast<std::size_t>(message.firstPart), message.parts);
}

std::optional<std::uint32_t> Wholes::wholeOf(std::uint64_t frame) const
{
  const auto found = std::lower_bound(m_wholes.begin(), m_wholes.end(), frame,
                                      [](const Part& part, std::uint64_t f) { return part.frame < f; });
  return found != m_wholes.end() && found->frame == frame ? std::optional(found->whole) : std::nullopt;
}

}  // namespace bexto
