// Tested by tests/core/record_recording_test.cpp.
#include "core/signal/record_recording.h"

#include <algorithm>

#include "core/base/say.h"

namespace bexto {

RecordRecording::RecordRecording(std::string source, std::vector<Line> lines, std::int64_t first)
    : m_source(std::move(source)), m_first(first), m_next(first)
{
  for (Line& line : lines)
    m_lines.push_back({std::move(line), {}, {}, 0, 0});
}

void RecordRecording::Growing::add(std::int64_t time, std::span<const std::uint8_t> bytes)
{
  // It is copied and written anew each time that somebody looks, so it is not as large as that of a file.
  constexpr std::size_t kMostOpen = std::size_t{1} << 20U;
  if (open.size() == RecordLogBuilder::kChunkRecords ||
      (open.size() > 0 && open.bytes.size() + bytes.size() > kMostOpen)) {
    full.push_back(std::make_shared<const RecordChunk>(before, std::exchange(open, {})));
    before += full.back()->facts().count;
  }
  latest = std::max(latest, time);
  open.times.push_back(latest);
  open.bytes.insert(open.bytes.end(), bytes.begin(), bytes.end());
  open.ends.push_back(static_cast<std::uint32_t>(open.bytes.size()));
}

std::shared_ptr<const RecordLog> RecordRecording::Growing::log() const
{
  auto chunks = full;
  if (open.size() > 0)
    chunks.push_back(std::make_shared<const RecordChunk>(before, open));
  return std::make_shared<const RecordLog>(line.linkType, std::move(chunks));
}

Result<void> RecordRecording::take(const ArrivedRecords& arrived, std::int64_t until)
{
  constexpr std::int64_t kLatest = kNever.count() / 2;
  std::int64_t latest = arrived.end();
  for (const ArrivedRecords::One& one : arrived.records) {
    latest = std::max(latest, one.time);
    if (one.time < 0 || one.bytes.size() > RecordLogBuilder::kMostBytes)
      return fail(ErrorCode::Malformed, say("the source handed over a frame that cannot be"), m_source);
  }
  if (latest < 0 || latest > kLatest)
    return fail(ErrorCode::Malformed, say("the source says a time that is out of range"), m_source);
  for (const ArrivedRecords::One& one : arrived.records) {
    if (one.time < m_first || one.time >= until)
      continue;
    for (std::size_t i = 0; i < m_lines.size(); ++i) {
      if (m_lines[i].line.input != one.input)
        continue;
      m_lines[i].add(one.time - m_first, one.bytes);
      const Picoseconds at{m_lines[i].latest};
      if (one.isOurs)
        m_sent.push_back({{std::max(Picoseconds{0}, at - Picoseconds{one.length}), at}, i});
    }
  }
  for (const TimeRange& gap : arrived.lost) {
    const Picoseconds begin = std::max(gap.begin, Picoseconds{m_first});
    const Picoseconds end = std::min(gap.end, Picoseconds{until});
    if (begin < end)
      m_gaps.push_back({timeOf(begin.count()), timeOf(end.count())});
  }
  m_next = std::max(m_next, std::min(latest, until));
  return {};
}

RecordRecording RecordRecording::part(std::int64_t begin, std::int64_t end) const
{
  std::vector<Line> lines;
  for (const Growing& growing : m_lines)
    lines.push_back(growing.line);
  RecordRecording some(m_source, std::move(lines), begin);
  some.m_next = end;
  const std::int64_t from = begin - m_first;
  const std::int64_t to = end - m_first;
  for (std::size_t i = 0; i < m_lines.size(); ++i) {
    const auto log = m_lines[i].log();
    for (const auto& chunk : log->chunks()) {
      if (chunk->facts().last < from || chunk->facts().first >= to)
        continue;
      const auto block = chunk->block();
      for (std::size_t r = 0; r < block->size(); ++r) {
        const Record record = block->record(r);
        if (record.time.count() >= from && record.time.count() < to)
          some.m_lines[i].add(record.time.count() - from, record.bytes);
      }
    }
  }
  for (const TimeRange& gap : m_gaps) {
    if (gap.end.count() > from && gap.begin.count() < to)
      some.m_gaps.push_back(
          {Picoseconds{std::max(gap.begin.count(), from) - from}, Picoseconds{std::min(gap.end.count(), to) - from}});
  }
  for (const SentSpan& sent : m_sent) {
    if (sent.time.begin.count() >= from && sent.time.begin.count() < to)
      some.m_sent.push_back({{sent.time.begin - Picoseconds{from}, sent.time.end - Picoseconds{from}}, sent.channel});
  }
  return some;
}

void RecordRecording::replaceChunk(std::size_t channel, std::size_t number, std::shared_ptr<const RecordChunk> chunk)
{
  if (channel < m_lines.size() && number < m_lines[channel].full.size())
    m_lines[channel].full[number] = std::move(chunk);
}

std::shared_ptr<const Capture> RecordRecording::capture() const
{
  auto capture = std::make_shared<Capture>();
  capture->source = m_source;
  for (const Growing& growing : m_lines) {
    Channel channel;
    channel.path = growing.line.name;
    channel.records = growing.log();
    capture->channels.push_back(std::move(channel));
  }
  nameChannels(*capture);
  capture->end = length();
  // A moment is known to about what a system's clock and scheduling give.
  capture->tick = std::chrono::microseconds{1};
  capture->trigger = m_trigger;
  capture->gaps = m_gaps;
  capture->sent = m_sent;
  return capture;
}

}  // namespace bexto
