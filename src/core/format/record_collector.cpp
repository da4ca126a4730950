// Tested by tests/core/pcapng_test.cpp.
#include "core/format/record_collector.h"

#include <fmt/core.h>

#include <algorithm>
#include <filesystem>

#include "core/base/say.h"
#include "core/decode/protocol.h"

namespace bexto {

namespace {

constexpr WidePicoseconds kDay = 86400 * kPicosecondsPerSecond;
/// Nobody records for that long, nor did anybody in 1970.
constexpr WidePicoseconds kFar = 50 * kDay;
constexpr WidePicoseconds kYear9999 = 365 * kDay * (9999 - 1970);
constexpr WidePicoseconds kMostBack = kPicosecondsPerSecond;
/// As far as all that reckons with the times of a capture has room (base/time.h).
constexpr WidePicoseconds kLongest = 100 * kDay;

std::string knownLinkTypes()
{
  std::string known;
  for (const Protocol* const protocol : protocols()) {
    if (const auto type = protocol->facts().linkType; type && *type < kFirstOwnLinkType)
      known += fmt::format("{}{} ({})", known.empty() ? "" : ", ", *type, protocol->label());
  }
  return known;
}

}  // namespace

RecordCollector::RecordCollector(std::string path) : m_path(std::move(path)) {}

std::string RecordCollector::freeName(LinkType linkType) const
{
  const Protocol* const protocol = protocolOf(linkType);
  const std::string stem = protocol == nullptr ? std::string("if") : protocol->name();
  for (int n = 0;; ++n) {
    std::string name = fmt::format("{}{}", stem, n);
    if (std::none_of(m_interfaces.begin(), m_interfaces.end(), [&](const Interface& i) { return i.name == name; }))
      return name;
  }
}

std::size_t RecordCollector::addInterface(LinkType linkType, const std::string& name,
                                          const std::vector<std::size_t>& beside)
{
  std::string called = name;
  for (int n = 2; !name.empty(); ++n) {
    const auto same = std::find_if(m_interfaces.begin(), m_interfaces.end(),
                                   [&](const Interface& known) { return known.name == called; });
    if (same == m_interfaces.end())
      break;
    const auto number = static_cast<std::size_t>(same - m_interfaces.begin());
    if (same->linkType == linkType && std::find(beside.begin(), beside.end(), number) == beside.end())
      return number;
    called = fmt::format("{} {}", name, n);
  }
  Interface made;
  made.linkType = linkType;
  made.name = name.empty() ? freeName(linkType) : called;
  made.isRead = linkType < kFirstOwnLinkType && protocolOf(linkType) != nullptr;
  m_interfaces.push_back(std::move(made));
  return m_interfaces.size() - 1;
}

Result<void> RecordCollector::add(std::size_t interface, WidePicoseconds time, std::span<const std::uint8_t> bytes)
{
  Interface& to = m_interfaces[interface];
  ++to.packets;
  if (!to.isRead)
    return {};
  const bool isFirst = !m_reference;
  if (isFirst)
    m_reference = time;
  WidePicoseconds at = time - m_shift - *m_reference;
  const WidePicoseconds before = to.latest.value_or(m_last);
  if (at > before + kFar || at < before - (to.latest ? kMostBack : kFar)) {
    ++m_clockSets;
    m_shift += at - m_last;
    at = m_last;
  }
  if (at - m_first > kLongest || m_last - at > kLongest)
    return fail(ErrorCode::Malformed, say("its frames are more than 100 days apart"), m_path,
                say("save it in several files"));
  const auto ps = static_cast<std::int64_t>(at);
  to.latest = std::max(to.latest.value_or(ps), ps);
  m_first = isFirst ? ps : std::min(m_first, ps);
  m_last = isFirst ? ps : std::max(m_last, ps);
  to.records.add(Picoseconds{ps}, bytes.first(std::min(bytes.size(), RecordLogBuilder::kMostBytes)));
  return {};
}

void RecordCollector::begin(WidePicoseconds time)
{
  m_begin = m_begin ? std::min(*m_begin, time) : time;
}

void RecordCollector::end(WidePicoseconds time)
{
  m_end = m_end ? std::max(*m_end, time) : time;
}

void RecordCollector::lost(std::size_t interface, std::uint64_t packets)
{
  m_interfaces[interface].lost += packets;
}

void RecordCollector::tick(Picoseconds tick)
{
  m_tick = std::min(m_tick, std::max(Picoseconds{1}, tick));
}

void RecordCollector::noteWhatWasOdd(Capture& capture) const
{
  for (const std::string& note : m_notes)
    capture.notes.push_back(note);
  for (const Interface& interface : m_interfaces) {
    if (interface.lost > 0)
      capture.notes.push_back(say("frames of {} that the recorder lost: {}", interface.name, interface.lost));
    if (interface.records.unordered() > 0)
      capture.notes.push_back(say("frames of {} that stood behind later ones and are in order here: {}", interface.name,
                                  interface.records.unordered()));
    if (!interface.isRead && interface.packets > 0)
      capture.notes.push_back(say("packets of {} that are passed over, because no protocol reads link type {}: {}",
                                  interface.name, interface.linkType, interface.packets));
  }
  if (m_clockSets > 0)
    capture.notes.push_back(counted(m_clockSets, {"the recorder's clock was set {} time meanwhile; times go on "
                                                  "without the step",
                                                  "the recorder's clock was set {} times meanwhile; times go on "
                                                  "without the steps"}));
  if (m_timeless > 0)
    capture.notes.push_back(counted(m_timeless, {"{} packet has no time, and so no place; it is passed over",
                                                 "{} packets have no time, and so no place; they are passed over"}));
}

Result<Capture> RecordCollector::take()
{
  if (std::none_of(m_interfaces.begin(), m_interfaces.end(), [](const Interface& i) { return i.isRead; })) {
    const std::string mend = say("record an interface of link type {}", knownLinkTypes());
    if (m_interfaces.empty())
      return fail(ErrorCode::Malformed, say("there is no interface in it"), m_path, mend);
    return fail(ErrorCode::Malformed,
                say("its packets are of link type {}, which no protocol reads", m_interfaces[0].linkType), m_path,
                mend);
  }
  Capture capture;
  capture.source = std::filesystem::path(m_path).filename().string();
  capture.tick = m_tick == kNever ? Picoseconds{1} : m_tick;
  noteWhatWasOdd(capture);
  const WidePicoseconds reference = m_reference.value_or(m_begin.value_or(0));
  // The recording's own begin where it is known; times near 1970 count from one that nobody knows.
  WidePicoseconds zero = reference + m_first;
  if (m_begin && *m_begin <= zero && zero - *m_begin < kFar)
    zero = *m_begin;
  else if (zero >= 0 && zero < kFar)
    zero = 0;
  if (zero >= kFar && zero < kYear9999)
    capture.startedAt = utcText(zero);
  // The last frame takes its time too.
  constexpr WidePicoseconds kRoom = kPicosecondsPerSecond / 1000;
  WidePicoseconds end = reference + m_last + kRoom;
  if (m_end && *m_end >= reference + m_last && *m_end - zero < kLongest)
    end = *m_end;
  capture.end = Picoseconds{static_cast<std::int64_t>(end - zero)};
  for (Interface& interface : m_interfaces) {
    if (!interface.isRead)
      continue;
    Channel channel;
    channel.path = interface.name;
    channel.records =
        interface.records.take(interface.linkType, Picoseconds{static_cast<std::int64_t>(zero - reference)});
    capture.channels.push_back(std::move(channel));
  }
  nameChannels(capture);
  return capture;
}

}  // namespace bexto
