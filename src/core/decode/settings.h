#pragma once

#include <string>
#include <vector>

#include "core/decode/bus.h"

namespace bexto {

enum class SettingKind : std::uint8_t {
  Choice,    ///< one of `choices`
  Number,    ///< a positive number, or one of `choices`
  Duration,  ///< a time with its unit
};

/// One setting of a protocol. The command line, the editor in a bus card and the help are all made from these rows, so
/// they cannot offer different things.
struct SettingSpec {
  std::string key;    ///< as in a bus spec: "parity"
  std::string label;  ///< as in the window
  SettingKind kind = SettingKind::Choice;
  std::vector<std::string> choices;  ///< of a Number: the usual values
  std::string fallback;              ///< value when it is not given; empty when it must be
  std::string help;                  ///< one sentence
  std::string with = {};             ///< means something only when this role or setting is given
  std::string without = {};          ///< means something only when this role is not given
};

struct RoleSpec {
  std::string name;   ///< "scl"
  std::string label;  ///< "SCL"
  bool required = false;
  std::vector<std::string> hints = {};  ///< parts of channel names that speak for it, besides its own, best first
};

struct ProtocolSpec {
  Protocol protocol;
  std::string name;   ///< "i2c", as in a bus spec
  std::string label;  ///< "I2C"
  std::vector<RoleSpec> roles;
  std::vector<SettingSpec> settings;
};

const std::vector<ProtocolSpec>& protocolSpecs();
const ProtocolSpec& specOf(Protocol protocol);

/// A bus of that protocol with every setting at its fallback and no wires.
Bus makeBus(const std::string& name, Protocol protocol);

/// Whether the setting means anything for the bus as it is: an SPI gap does not beside a chip select.
bool applies(const SettingSpec& setting, const Bus& bus);

/// The setting's value as it would be written in a bus spec. Requires: the bus's protocol has `key`.
std::string settingText(const Bus& bus, const std::string& key);

/// Errors: BadArgument for an unknown key or a value that makes no sense, naming what would.
Result<void> setSetting(Bus& bus, const std::string& key, const std::string& value);

/// Whether the bus is complete: a name, required roles, required settings.
Result<void> checkBus(const Bus& bus);

/// The setting that holds the rate of the wires; empty when the protocol needs none.
std::string rateKey(Protocol protocol);

/// "57600 8E1", "ignores < 50 ns": the settings in one line for people; empty when there is nothing to say.
std::string settingsSummary(const Bus& bus);

const char* formatName(ValueFormat format);

}  // namespace bexto
