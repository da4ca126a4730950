#pragma once

#include <cassert>
#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "core/base/result.h"

namespace bexto {

/// How the values of a setting are written and edited.
enum class SettingKind : std::uint8_t {
  Choice,    ///< one of `choices`
  Number,    ///< a positive number, or one of `choices`
  Duration,  ///< a time with its unit
};

/// One setting of a protocol, as data. The command line, the editor in a bus card and the help are all made from these
/// rows, so they cannot offer different things.
struct SettingSpec {
  std::string key;                         ///< as in a bus spec: "parity"
  std::string label;                       ///< as in the window
  SettingKind kind = SettingKind::Choice;  ///< what an editor has to offer
  std::vector<std::string> choices;        ///< of a Number: the usual values
  std::string fallback;                    ///< value when it is not given; empty when it must be
  std::string help;                        ///< one sentence
  std::string with = {};                   ///< means something only with this role, or this setting not "none"
  std::string without = {};                ///< means something only when this role is not given

  /// The choices as people read them: "even, odd"; where they are many, which only numbers in a row are, "1 to 32".
  std::string choicesText() const;
};

/// A setting and its value as text: what files and scripts keep of a bus, whatever its protocol.
struct KeyValue {
  std::string key;
  std::string value;
  bool operator==(const KeyValue&) const = default;
};

/// The settings of one bus: a value that writes and reads itself as a list of keys and values.
///
/// Behind the keys stands a struct that only the protocol's room knows; as() and edit() are for that room (and its
/// tests). Copies share the struct until one of them is changed, so a Settings is cheap to hand around; several threads
/// may read one, and each may change a copy of its own.
class Settings {
 public:
  /// The room's struct, and how its members are written: made by SettingTable (decode/setting_table.h). Immutable once
  /// it is shared.
  class Model {
   public:
    Model() = default;
    Model& operator=(const Model&) = delete;
    virtual ~Model() = default;
    virtual std::unique_ptr<Model> clone() const = 0;
    virtual bool equals(const Model& other) const = 0;
    virtual const std::vector<SettingSpec>& specs() const = 0;
    /// Row number `row` of specs() as text.
    virtual std::string text(std::size_t row) const = 0;
    /// Errors: BadArgument for a value that makes no sense, naming what would.
    virtual Result<void> set(std::size_t row, const std::string& value) = 0;

   protected:
    Model(const Model&) = default;
  };

  /// No settings at all: those of a bus without a protocol.
  Settings() = default;
  explicit Settings(std::unique_ptr<Model> model) : m_model(std::move(model)) {}

  /// The rows, in the order in which they are offered. They live as long as the program.
  const std::vector<SettingSpec>& specs() const;
  /// nullptr when there is no such key.
  const SettingSpec* find(const std::string& key) const;
  /// The value as it would be written in a bus spec. Requires: `key` is one of specs().
  std::string text(const std::string& key) const;
  /// Errors: BadArgument for an unknown key or a value that makes no sense, naming what would. Then nothing changed.
  Result<void> set(const std::string& key, const std::string& value);
  /// Those that are not as they are when nobody gives them, in the order of specs(): set() on new settings brings them
  /// all back.
  std::vector<KeyValue> values() const;

  /// The room's struct. Requires: it is of that type.
  template <typename T>
  const T& as() const;
  /// The same to be changed: this copy gets a struct of its own first. Use the reference at once: what is copied from
  /// here on shares the struct.
  template <typename T>
  T& edit();

  bool operator==(const Settings& other) const;

 private:
  Model& own();

  std::shared_ptr<const Model> m_model;
};

/// A Model that holds a T; SettingTable derives the one that can write it.
template <typename T>
class TypedSettings : public Settings::Model {
 public:
  T value;

  bool equals(const Settings::Model& other) const override
  {
    const auto* const same = dynamic_cast<const TypedSettings*>(&other);
    return same != nullptr && same->value == value;
  }
};

template <typename T>
const T& Settings::as() const
{
  assert(dynamic_cast<const TypedSettings<T>*>(m_model.get()) != nullptr);
  return static_cast<const TypedSettings<T>&>(*m_model).value;
}

template <typename T>
T& Settings::edit()
{
  assert(dynamic_cast<const TypedSettings<T>*>(m_model.get()) != nullptr);
  return static_cast<TypedSettings<T>&>(own()).value;
}

}  // namespace bexto
