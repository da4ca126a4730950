// Tested by tests/core/instrument_test.cpp.
#include "rig/instrument/acquisition.h"

#include <algorithm>

namespace bexto::rig {

namespace {

constexpr std::uint64_t kMostRepeats = 65536;
constexpr std::size_t kSample = 2;  // bytes
constexpr std::size_t kRun = 4;

template <typename T>
void appendLittle(std::string& out, T value)
{
  for (std::size_t i = 0; i < sizeof(T); ++i)
    out += static_cast<char>(static_cast<std::uint64_t>(value) >> (8 * i) & 0xffU);
}

}  // namespace

Acquisition::Acquisition(Plant& plant, const AcquisitionSetting& setting)
    : m_plant(plant),
      m_setting(setting),
      m_sampler(plant, setting.rate, setting.probes),
      m_unit(setting.trigger, setting.rate),
      m_before(setting.trigger.source == TriggerSetting::Source::Immediate
                   ? 0
                   : static_cast<std::uint64_t>(static_cast<double>(setting.depth) * setting.before)),
      m_most(setting.memory / (setting.format == SampleFormat::Packed ? kSample : kRun))
{
  m_plant.takeDriven();  // is of the one before
}

std::uint64_t Acquisition::entries(const SampleRun& run) const
{
  return m_setting.format == SampleFormat::Packed ? run.count : (run.count + kMostRepeats - 1) / kMostRepeats;
}

std::uint64_t Acquisition::used() const
{
  return m_entries * (m_setting.format == SampleFormat::Packed ? kSample : kRun);
}

void Acquisition::dropFirst()
{
  m_entries -= entries(m_runs.front());
  m_runs.pop_front();
}

void Acquisition::forgetBefore(std::uint64_t sample)
{
  while (!m_runs.empty() && m_runs.front().end() <= sample)
    dropFirst();
  if (m_runs.empty() || m_runs.front().first >= sample)
    return;
  SampleRun& first = m_runs.front();
  m_entries -= entries(first);
  first.count = first.end() - sample;
  first.first = sample;
  m_entries += entries(first);
}

void Acquisition::keep(const SampleRun& run)
{
  if (!m_runs.empty() && m_runs.back().levels == run.levels && m_runs.back().end() == run.first) {
    m_entries -= entries(m_runs.back());
    m_runs.back().count += run.count;
    m_entries += entries(m_runs.back());
  } else {
    m_runs.push_back(run);
    m_entries += entries(run);
  }
}

void Acquisition::lose()
{
  m_lost = true;
  m_runs.clear();
  m_entries = 0;
}

void Acquisition::noteDriven()
{
  constexpr std::size_t kMost = 4096;
  for (const Plant::Driven& driven : m_plant.takeDriven())
    m_sent.push_back({m_sampler.sampleAt(driven.begin), m_sampler.sampleAt(driven.end), driven.probes});
  while (m_sent.size() > kMost)
    m_sent.pop_front();
}

void Acquisition::run(std::uint64_t limit, std::size_t mostRuns)
{
  for (std::size_t n = 0; n < mostRuns && !m_done && at() < limit; ++n) {
    std::uint64_t end = limit;
    const bool armed = at() >= m_before;
    if (!armed)
      end = std::min(end, m_before);  // what is armed in the middle of a run begins one of its own
    if (m_trigger && !m_setting.stream)
      end = std::min(end, *m_trigger + (m_setting.depth - m_before));
    SampleRun run = m_sampler.next(end);
    if (!m_trigger)
      m_trigger = m_unit.look(run, armed);
    // Memory is full: one sample, or one run, more than fits is not taken.
    if (m_trigger && !m_setting.stream && m_entries + entries(run) > m_most) {
      if (m_setting.format == SampleFormat::Packed)
        run.count = m_most - std::min(m_most, m_entries);
      else
        run.count = 0;
      m_done = true;
      if (run.count == 0)
        break;
    }
    keep(run);
    if (!m_trigger)
      forgetBefore(at() > m_before ? at() - m_before : 0);
    else if (!m_setting.stream && at() >= *m_trigger + (m_setting.depth - m_before))
      m_done = true;
    if (m_trigger && m_setting.stream && m_entries > m_most)
      lose();  // nobody took it
    while (!m_trigger && m_entries > m_most && m_runs.size() > 1)
      dropFirst();
  }
  noteDriven();
}

void Acquisition::appendHead(std::string& out, std::uint64_t first, std::uint64_t count) const
{
  constexpr std::uint32_t kLost = 1;
  constexpr std::uint32_t kRuns = 2;
  constexpr std::int64_t kNone = -1;
  appendLittle(out, first);
  appendLittle(out, count);
  appendLittle(out, m_trigger ? static_cast<std::int64_t>(*m_trigger) : kNone);
  appendLittle(out, (m_lost ? kLost : 0U) | (m_setting.format == SampleFormat::RunLength ? kRuns : 0U));
  // What was driven, and begins in it.
  const auto begins = [&](const Sent& sent) { return sent.first >= first && sent.first < first + count; };
  appendLittle(out, static_cast<std::uint32_t>(std::count_if(m_sent.begin(), m_sent.end(), begins)));
  for (const Sent& sent : m_sent) {
    if (!begins(sent))
      continue;
    appendLittle(out, sent.first);
    appendLittle(out, sent.end - sent.first);
    appendLittle(out, std::uint64_t{sent.probes});
  }
}

std::string Acquisition::block(std::uint64_t first, std::uint64_t most) const
{
  std::string body;
  std::size_t size = 0;  // of it, where runs are written
  std::uint64_t count = 0;
  auto run = std::upper_bound(m_runs.begin(), m_runs.end(), first,
                              [](std::uint64_t sample, const SampleRun& r) { return sample < r.end(); });
  const bool packed = m_setting.format == SampleFormat::Packed;
  for (; run != m_runs.end() && count < most && std::max(size, packed ? body.size() : 0) < kMostBody; ++run) {
    std::uint64_t left = std::min(run->end() - std::max(first, run->first), most - count);
    if (packed) {
      left = std::min<std::uint64_t>(left, (kMostBody - body.size()) / kSample);
      const std::size_t from = body.size();
      body.resize(from + left * kSample);
      const std::array<char, kSample> sample{static_cast<char>(run->levels & 0xffU),
                                             static_cast<char>(run->levels >> 8U)};
      for (std::size_t at = from; at < body.size(); at += kSample) {
        body[at] = sample[0];
        body[at + 1] = sample[1];
      }
      count += left;
      continue;
    }
    while (left > 0 && size < kMostBody) {
      const std::uint64_t repeats = std::min(left, kMostRepeats);
      const auto more = static_cast<unsigned>(repeats - 1);
      if (size == body.size())
        body.resize(std::max<std::size_t>(4096, 2 * size));
      body[size] = static_cast<char>(run->levels & 0xffU);
      body[size + 1] = static_cast<char>(run->levels >> 8U);
      body[size + 2] = static_cast<char>(more & 0xffU);
      body[size + 3] = static_cast<char>(more >> 8U);
      size += kRun;
      count += repeats;
      left -= repeats;
    }
  }
  if (!packed)
    body.resize(size);
  std::string out;
  out.reserve(kHead + body.size());
  appendHead(out, first, count);
  return out + body;
}

std::string Acquisition::takeBlock()
{
  if (!m_trigger || m_runs.empty())
    return {};
  const std::uint64_t first = begin();
  std::string out = block(first, end() - first);
  m_lost = false;
  std::uint64_t count = 0;
  for (std::size_t i = 0; i < 8; ++i)
    count |= std::uint64_t{static_cast<std::uint8_t>(out[8 + i])} << (8 * i);
  forgetBefore(first + count);
  while (!m_sent.empty() && m_sent.front().first < first + count)
    m_sent.pop_front();
  return out;
}

}  // namespace bexto::rig
