#include "core/decode/settings.h"

#include <fmt/core.h>
#include <fmt/ranges.h>

#include "core/base/say.h"

namespace bexto {

std::string SettingSpec::choicesText() const
{
  constexpr std::size_t kMany = 12;
  return choices.size() > kMany ? say("{} to {}", choices.front(), choices.back())
                                : fmt::format("{}", fmt::join(choices, ", "));
}

const std::vector<SettingSpec>& Settings::specs() const
{
  static const std::vector<SettingSpec> kNone;
  return m_model ? m_model->specs() : kNone;
}

const SettingSpec* Settings::find(const std::string& key) const
{
  for (const SettingSpec& spec : specs()) {
    if (spec.key == key)
      return &spec;
  }
  return nullptr;
}

std::string Settings::text(const std::string& key) const
{
  const SettingSpec* const spec = find(key);
  assert(spec != nullptr);
  return m_model->text(static_cast<std::size_t>(spec - specs().data()));
}

Result<void> Settings::set(const std::string& key, const std::string& value)
{
  const SettingSpec* const spec = find(key);
  if (spec == nullptr)
    return fail(ErrorCode::BadArgument, say("there is no setting '{}'", key));
  return own().set(static_cast<std::size_t>(spec - specs().data()), value);
}

std::vector<KeyValue> Settings::values() const
{
  std::vector<KeyValue> values;
  for (std::size_t row = 0; row < specs().size(); ++row) {
    if (std::string value = m_model->text(row); value != specs()[row].fallback)
      values.push_back({specs()[row].key, std::move(value)});
  }
  return values;
}

bool Settings::operator==(const Settings& other) const
{
  if (m_model == other.m_model)
    return true;
  return m_model && other.m_model && m_model->equals(*other.m_model);
}

/// Always a new one: whether others hold the old one cannot be asked without a race, and changes are rare.
Settings::Model& Settings::own()
{
  std::unique_ptr<Model> copy = m_model->clone();
  Model& changed = *copy;
  m_model = std::move(copy);
  return changed;
}

}  // namespace bexto
