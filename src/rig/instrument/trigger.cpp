#include "rig/instrument/trigger.h"

namespace bexto::rig {

Trigger::Trigger(const TriggerSetting& setting, double rate) : m_setting(setting), m_rate(rate) {}

std::optional<std::uint64_t> Trigger::look(const SampleRun& run, bool armed)
{
  const auto probe = static_cast<std::uint16_t>(1U << m_setting.probe);
  const bool now = (run.levels & probe) != 0;
  const bool before = (m_before & probe) != 0;
  const bool edge = m_known && now != before;
  bool fires = false;
  switch (m_setting.source) {
    case TriggerSetting::Source::Immediate:
      fires = true;
      break;
    case TriggerSetting::Source::Bus:
      fires = m_fired;
      break;
    case TriggerSetting::Source::Edge:
      fires = edge && (m_setting.slope == TriggerSetting::Slope::Either ||
                       now == (m_setting.slope == TriggerSetting::Slope::Rising));
      break;
    case TriggerSetting::Source::Level:
      fires = now == m_setting.high;
      break;
    case TriggerSetting::Source::Pattern:
      fires = (run.levels & m_setting.mask) == m_setting.value;
      break;
    case TriggerSetting::Source::Width:
      if (edge && now != m_setting.high && m_since) {
        const double length = static_cast<double>(run.first - *m_since) / m_rate;
        fires = length >= m_setting.shortest && length <= m_setting.longest;
      }
      if (edge)
        m_since = now == m_setting.high ? std::optional(run.first) : std::nullopt;
      break;
  }
  m_known = true;
  m_before = run.levels;
  return fires && armed ? std::optional(run.first) : std::nullopt;
}

}  // namespace bexto::rig
