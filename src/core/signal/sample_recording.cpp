// Tested by tests/core/sample_recording_test.cpp.
#include "core/signal/sample_recording.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/base/say.h"

namespace bexto {

namespace {

/// How often the sample before `at` repeats.
std::int64_t repeatsAt(std::span<const std::uint8_t> bytes, std::size_t at)
{
  return bytes[at] + 256 * bytes[at + 1];
}

}  // namespace

SampleRecording::SampleRecording(std::string source, std::vector<Line> lines, std::size_t inputs, double rate)
    : m_source(std::move(source)), m_lines(std::move(lines)), m_rate(rate), m_samples(inputs, rate)
{
}

Result<void> SampleRecording::check(const SampleBlock& block) const
{
  const auto wrong = [&](std::string message) { return fail(ErrorCode::Malformed, std::move(message), m_source); };
  const std::size_t width = m_samples.bytesPerSample();
  const std::size_t unit = block.runs ? width + 2 : width;
  auto count = static_cast<std::int64_t>(block.bytes.size() / unit);
  for (std::size_t at = width; block.runs && at + 1 < block.bytes.size(); at += unit)
    count += repeatsAt(block.bytes, at);
  if (block.bytes.size() % unit != 0 || count != block.count)
    return wrong(say("the instrument sent {} samples where it announced {}", count, block.count));
  if (block.first < 0 || block.first > m_samples.clock().most() - count)
    return wrong(say("the instrument sent a sample of a number that is out of time: {}", block.first));
  return {};
}

Result<void> SampleRecording::take(const SampleBlock& block, std::int64_t until)
{
  if (auto checked = check(block); !checked)
    return checked;
  if (!isEmpty() && block.first >= until && next() < until) {
    // The last ones were lost.
    const Picoseconds lastKnown = length();
    m_samples.skip(until - next());
    m_gaps.push_back({lastKnown, length()});
    return {};
  }
  for (const SentSamples& sent : block.sent) {
    constexpr std::int64_t kMost = kNever.count() / 4;
    const bool isOurs = sent.first >= 0 && sent.first < std::min(until, kMost) && sent.count >= 0 &&
                        sent.count < kMost && (isEmpty() ? sent.first >= block.first : sent.first >= m_first);
    if (isOurs && (m_sent.empty() || m_sent.back().first < sent.first))
      m_sent.push_back(sent);
  }
  // Samples [from, to) of the block are new and wanted.
  const std::int64_t from = isEmpty() ? 0 : std::max<std::int64_t>(0, next() - block.first);
  const std::int64_t to = std::min(block.count, std::max<std::int64_t>(0, until - block.first));
  if (from >= to)
    return {};
  if (isEmpty()) {
    m_first = block.first;
  } else if (block.first > next()) {
    const Picoseconds lastKnown = length();
    m_samples.skip(block.first - next());
    m_gaps.push_back({lastKnown, timeOf(block.first)});
  }
  const std::size_t width = m_samples.bytesPerSample();
  if (!block.runs) {
    m_samples.take(
        block.bytes.subspan(static_cast<std::size_t>(from) * width, static_cast<std::size_t>(to - from) * width));
    return {};
  }
  if (from == 0 && to == block.count) {
    m_samples.takeRuns(block.bytes);
    return {};
  }
  std::vector<std::uint8_t> part;
  std::int64_t at = 0;
  for (std::size_t run = 0; run < block.bytes.size() && at < to; run += width + 2) {
    const std::int64_t end = at + 1 + repeatsAt(block.bytes, run + width);
    const std::int64_t wanted = std::min(end, to) - std::max(at, from);
    at = end;
    if (wanted <= 0)
      continue;
    const auto sample = block.bytes.subspan(run, width);
    part.insert(part.end(), sample.begin(), sample.end());
    part.push_back(static_cast<std::uint8_t>((wanted - 1) & 0xff));
    part.push_back(static_cast<std::uint8_t>((wanted - 1) >> 8));
  }
  m_samples.takeRuns(part);
  return {};
}

SampleRecording SampleRecording::part(std::int64_t begin, std::int64_t end) const
{
  SampleRecording some = *this;
  const Picoseconds from = timeOf(begin);
  const Picoseconds to = timeOf(end - 1);
  some.m_samples = m_samples.part(begin - m_first, end - m_first);
  some.m_first = begin;
  some.m_trigger.reset();
  std::erase_if(some.m_sent, [&](const SentSamples& sent) { return sent.first < begin || sent.first >= end; });
  some.m_gaps.clear();
  for (const TimeRange& gap : m_gaps) {
    if (gap.end > from && gap.begin < to)
      some.m_gaps.push_back({std::max(gap.begin, from) - from, std::min(gap.end, to) - from});
  }
  return some;
}

std::shared_ptr<const Capture> SampleRecording::capture() const
{
  auto capture = std::make_shared<Capture>();
  capture->source = m_source;
  for (const Line& line : m_lines)
    capture->channels.push_back({line.name, line.name, m_samples.track(line.input)});
  nameChannels(*capture);
  capture->end = m_samples.end();
  capture->rate = m_rate;
  capture->tick = Picoseconds{std::max<std::int64_t>(1, m_samples.clock().wholePeriod())};
  capture->trigger = m_trigger;
  capture->gaps = m_gaps;
  for (const SentSamples& sent : m_sent) {
    const TimeRange time{timeOf(std::max(sent.first, m_first)),
                         timeOf(std::min(sent.first + sent.count, m_samples.clock().most() + m_first))};
    for (std::size_t i = 0; i < m_lines.size(); ++i) {
      if (m_lines[i].input < 64 && (sent.inputs >> m_lines[i].input & 1U) != 0)
        capture->sent.push_back({time, i});
    }
  }
  return capture;
}

}  // namespace bexto
