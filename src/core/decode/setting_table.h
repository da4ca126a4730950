#pragma once

#include <functional>

#include "core/base/time.h"
#include "core/decode/bit_order.h"
#include "core/decode/settings.h"

namespace bexto {

// The rows of a room's setting table: each names a setting for people and binds it to a member of the room's struct. A
// room writes its table once; specs, texts, checks and the typed struct all follow from it.

/// One row for settings of type T. `read` is given a value that stands among `spec.choices` when the kind is Choice.
template <typename T>
struct SettingRow {
  SettingSpec spec;
  std::function<std::string(const T&)> write;
  std::function<Result<void>(T&, const std::string&)> read;
};

/// The parts that need no template.
namespace setting {
/// "'x' is no value for baud; mend", an error of BadArgument.
Result<void> badValue(const SettingSpec& spec, const std::string& value, const std::string& mend);
std::size_t indexOf(const std::vector<std::string>& choices, const std::string& value);
/// `zero` stands for 0. Errors: BadArgument.
Result<double> readRate(const SettingSpec& spec, const std::string& zero, const std::string& value);
std::string rateText(double rate, const std::string& zero);
Result<Picoseconds> readDuration(const SettingSpec& spec, Picoseconds longest, const std::string& mend,
                                 const std::string& value);
/// "50ns": the largest unit that needs no decimals; "0s".
std::string durationText(Picoseconds t);
Result<double> readShare(const SettingSpec& spec, const std::string& value);
std::string shareText(double share);
/// Of a Choice, whether the value is one. Errors: BadArgument, naming the choices.
Result<void> checkChoice(const SettingSpec& spec, const std::string& value);
}  // namespace setting

/// Bits a second, 1 to 10^9. The first of the choices is a word that stands for 0 ("auto", "none").
template <typename T>
SettingRow<T> rateRow(SettingSpec spec, double T::*member)
{
  spec.kind = SettingKind::Number;
  const std::string zero = spec.choices.front();
  const SettingSpec kept = spec;
  return {std::move(spec), [member, zero](const T& s) { return setting::rateText(s.*member, zero); },
          [member, zero, kept](T& s, const std::string& value) -> Result<void> {
            const auto rate = setting::readRate(kept, zero, value);
            if (!rate)
              return tl::unexpected(rate.error());
            s.*member = *rate;
            return {};
          }};
}

/// A place among the choices: `member` is an integer or an enumeration, and the first choice stands for `first`.
template <typename T, typename M>
SettingRow<T> choiceRow(SettingSpec spec, M T::*member, int first = 0)
{
  spec.kind = SettingKind::Choice;
  const std::vector<std::string> choices = spec.choices;
  return {std::move(spec),
          [member, choices, first](const T& s) {
            return choices.at(static_cast<std::size_t>(static_cast<int>(s.*member) - first));
          },
          [member, choices, first](T& s, const std::string& value) -> Result<void> {
            s.*member = static_cast<M>(static_cast<int>(setting::indexOf(choices, value)) + first);
            return {};
          }};
}

/// Two choices, of which `yes` stands for true.
template <typename T>
SettingRow<T> flagRow(SettingSpec spec, bool T::*member, const std::string& yes)
{
  spec.kind = SettingKind::Choice;
  const std::string no = spec.choices.front() == yes ? spec.choices.back() : spec.choices.front();
  return {std::move(spec), [member, yes, no](const T& s) { return s.*member ? yes : no; },
          [member, yes](T& s, const std::string& value) -> Result<void> {
            s.*member = value == yes;
            return {};
          }};
}

/// Choices "lsb" and "msb", the usual one first.
template <typename T>
SettingRow<T> orderRow(SettingSpec spec, BitOrder T::*member)
{
  spec.kind = SettingKind::Choice;
  return {std::move(spec), [member](const T& s) { return std::string(s.*member == BitOrder::Lsb ? "lsb" : "msb"); },
          [member](T& s, const std::string& value) -> Result<void> {
            s.*member = value == "lsb" ? BitOrder::Lsb : BitOrder::Msb;
            return {};
          }};
}

/// A time from 0 s to `longest`; `mend` says so to people.
template <typename T>
SettingRow<T> durationRow(SettingSpec spec, Picoseconds T::*member, Picoseconds longest, std::string mend)
{
  spec.kind = SettingKind::Duration;
  const SettingSpec kept = spec;
  return {std::move(spec), [member](const T& s) { return setting::durationText(s.*member); },
          [member, longest, kept, mend = std::move(mend)](T& s, const std::string& value) -> Result<void> {
            const auto time = setting::readDuration(kept, longest, mend, value);
            if (!time)
              return tl::unexpected(time.error());
            s.*member = *time;
            return {};
          }};
}

/// A share between 0 and 1, both excluded.
template <typename T>
SettingRow<T> shareRow(SettingSpec spec, double T::*member)
{
  spec.kind = SettingKind::Number;
  const SettingSpec kept = spec;
  return {std::move(spec), [member](const T& s) { return setting::shareText(s.*member); },
          [member, kept](T& s, const std::string& value) -> Result<void> {
            const auto share = setting::readShare(kept, value);
            if (!share)
              return tl::unexpected(share.error());
            s.*member = *share;
            return {};
          }};
}

/// All settings of a protocol. A constant of the room: it outlives every Settings made from it.
template <typename T>
class SettingTable {
 public:
  explicit SettingTable(std::vector<SettingRow<T>> rows) : m_rows(std::move(rows))
  {
    for (const SettingRow<T>& row : m_rows)
      m_specs.push_back(row.spec);
  }
  SettingTable(const SettingTable&) = delete;  // settings point at it
  SettingTable& operator=(const SettingTable&) = delete;

  /// New settings, each as T has it when nobody says otherwise.
  Settings make() const { return Settings(std::make_unique<Model>(*this)); }

 private:
  class Model final : public TypedSettings<T> {
   public:
    explicit Model(const SettingTable& table) : m_table(&table) {}
    std::unique_ptr<Settings::Model> clone() const override { return std::make_unique<Model>(*this); }
    const std::vector<SettingSpec>& specs() const override { return m_table->m_specs; }
    std::string text(std::size_t row) const override { return m_table->m_rows.at(row).write(this->value); }
    Result<void> set(std::size_t row, const std::string& value) override
    {
      if (auto good = setting::checkChoice(m_table->m_specs.at(row), value); !good)
        return good;
      return m_table->m_rows.at(row).read(this->value, value);
    }

   private:
    const SettingTable* m_table;
  };

  std::vector<SettingRow<T>> m_rows;
  std::vector<SettingSpec> m_specs;
};

}  // namespace bexto
