#include "core/decode/settings.h"

#include <fmt/core.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>

#include "core/base/number_text.h"
#include "core/base/time_text.h"

namespace bexto {

namespace {

constexpr std::array<const char*, 5> kParityNames{"none", "even", "odd", "mark", "space"};
constexpr double kHighestBaud = 1e9;

std::vector<ProtocolSpec> makeSpecs()
{
  std::vector<ProtocolSpec> specs;
  specs.push_back(
      {Protocol::Uart,
       "uart",
       "UART",
       {{"rx", "RX", false}, {"tx", "TX", false}},
       {{"baud",
         "Baud",
         SettingKind::Number,
         {"auto", "9600", "19200", "38400", "57600", "115200", "230400", "460800", "921600", "1000000"},
         "",
         "Bits a second; auto finds the rate from the wires."},
        {"bits", "Data bits", SettingKind::Choice, {"5", "6", "7", "8", "9"}, "8", "Data bits of a character."},
        {"parity",
         "Parity",
         SettingKind::Choice,
         {kParityNames.begin(), kParityNames.end()},
         "none",
         "What the bit after the data says."},
        {"stop", "Stop bits", SettingKind::Choice, {"1", "1.5", "2"}, "1", "How long the line rests at least."},
        {"order", "Bit order", SettingKind::Choice, {"lsb", "msb"}, "lsb", "Which data bit is sent first."},
        {"invert", "Inverted", SettingKind::Choice, {"no", "yes"}, "no", "Yes when the idle line is low."}}});
  specs.push_back({Protocol::I2c,
                   "i2c",
                   "I2C",
                   {{"scl", "SCL", true}, {"sda", "SDA", true}},
                   {{"spike",
                     "Ignore spikes under",
                     SettingKind::Duration,
                     {"0s", "10ns", "50ns"},
                     "0s",
                     "Shorter pulses on either wire do not count; 50ns for fast mode."}}});
  return specs;
}

const SettingSpec* findSetting(const ProtocolSpec& protocol, const std::string& key)
{
  for (const SettingSpec& s : protocol.settings) {
    if (s.key == key)
      return &s;
  }
  return nullptr;
}

std::size_t choiceIndex(const SettingSpec& spec, const std::string& value)
{
  return static_cast<std::size_t>(std::find(spec.choices.begin(), spec.choices.end(), value) - spec.choices.begin());
}

Result<void> badValue(const SettingSpec& spec, const std::string& value, const std::string& mend)
{
  return fail(ErrorCode::BadArgument, fmt::format("'{}' is no value for {}", value, spec.key), {}, mend);
}

Result<void> setUart(UartSettings& uart, const SettingSpec& spec, const std::string& value)
{
  if (spec.key == "baud") {
    if (value == "auto") {
      uart.baud = 0.0;
      return {};
    }
    const auto number = parseNumber(value);
    if (!number || *number < 1.0 || *number > kHighestBaud)
      return badValue(spec, value, "write the bits a second from 1 to 1000000000, or auto");
    uart.baud = *number;
    return {};
  }
  const std::size_t choice = choiceIndex(spec, value);
  if (spec.key == "bits")
    uart.bits = 5 + static_cast<int>(choice);
  else if (spec.key == "parity")
    uart.parity = static_cast<Parity>(choice);
  else if (spec.key == "stop")
    uart.halfStopBits = 2 + static_cast<int>(choice);
  else if (spec.key == "order")
    uart.order = static_cast<BitOrder>(choice);
  else
    uart.invert = choice == 1;
  return {};
}

Result<void> setI2c(I2cSettings& i2c, const SettingSpec& spec, const std::string& value)
{
  const auto time = parseTime(value);
  if (!time || *time < Picoseconds{0} || *time > std::chrono::milliseconds{1})
    return badValue(spec, value, "write a time from 0s to 1ms, like 50ns");
  i2c.spike = *time;
  return {};
}

std::string baudText(double baud)
{
  return baud == 0.0 ? "auto" : fmt::format("{}", baud);
}

std::string durationText(Picoseconds t)
{
  static constexpr std::array<std::pair<std::int64_t, const char*>, 4> kSteps{
      {{1000000000, "ms"}, {1000000, "us"}, {1000, "ns"}, {1, "ps"}}};
  if (t == Picoseconds{0})
    return "0s";
  for (const auto& [step, unit] : kSteps) {
    if (t.count() % step == 0)
      return fmt::format("{}{}", t.count() / step, unit);
  }
  return "0s";
}

std::string uartText(const UartSettings& uart, const std::string& key)
{
  if (key == "baud")
    return baudText(uart.baud);
  if (key == "bits")
    return std::to_string(uart.bits);
  if (key == "parity")
    return kParityNames.at(static_cast<std::size_t>(uart.parity));
  if (key == "stop")
    return std::array<const char*, 3>{"1", "1.5", "2"}.at(static_cast<std::size_t>(uart.halfStopBits) - 2);
  if (key == "order")
    return uart.order == BitOrder::Lsb ? "lsb" : "msb";
  return uart.invert ? "yes" : "no";
}

}  // namespace

const std::vector<ProtocolSpec>& protocolSpecs()
{
  static const std::vector<ProtocolSpec> kSpecs = makeSpecs();
  return kSpecs;
}

const ProtocolSpec& specOf(Protocol protocol)
{
  return protocolSpecs().at(static_cast<std::size_t>(protocol));
}

Bus makeBus(const std::string& name, Protocol protocol)
{
  Bus bus;
  bus.name = name;
  if (protocol == Protocol::I2c)
    bus.settings = I2cSettings{};
  return bus;
}

std::string settingText(const Bus& bus, const std::string& key)
{
  if (const auto* uart = std::get_if<UartSettings>(&bus.settings))
    return uartText(*uart, key);
  return durationText(std::get<I2cSettings>(bus.settings).spike);
}

Result<void> setSetting(Bus& bus, const std::string& key, const std::string& value)
{
  const ProtocolSpec& protocol = specOf(bus.protocol());
  const SettingSpec* spec = findSetting(protocol, key);
  if (spec == nullptr) {
    std::vector<std::string> keys;
    for (const RoleSpec& r : protocol.roles)
      keys.push_back(r.name);
    for (const SettingSpec& s : protocol.settings)
      keys.push_back(s.key);
    return fail(ErrorCode::BadArgument, fmt::format("{} has no setting '{}'", protocol.name, key), {},
                fmt::format("it has {}", fmt::join(keys, ", ")));
  }
  if (spec->kind == SettingKind::Choice && choiceIndex(*spec, value) == spec->choices.size())
    return badValue(*spec, value, fmt::format("choose {}", fmt::join(spec->choices, ", ")));
  if (auto* uart = std::get_if<UartSettings>(&bus.settings))
    return setUart(*uart, *spec, value);
  return setI2c(std::get<I2cSettings>(bus.settings), *spec, value);
}

Result<void> checkBus(const Bus& bus)
{
  const std::string where = fmt::format("bus {}", bus.name);
  if (bus.name.empty())
    return fail(ErrorCode::BadArgument, "a bus has no name", {}, "give it one");
  const ProtocolSpec& protocol = specOf(bus.protocol());
  bool any = false;
  for (const RoleSpec& role : protocol.roles) {
    const bool given = !bus.channelOf(role.name).empty();
    any = any || given;
    if (role.required && !given)
      return fail(ErrorCode::BadArgument, fmt::format("no channel is given for {}", role.name), where,
                  fmt::format("add {}=CHANNEL", role.name));
  }
  if (!any)
    return fail(ErrorCode::BadArgument, "no channel is given", where, "add rx=CHANNEL, tx=CHANNEL or both");
  return {};
}

std::string settingsSummary(const Bus& bus)
{
  if (const auto* uart = std::get_if<UartSettings>(&bus.settings)) {
    static constexpr std::array<char, 5> kLetters{'N', 'E', 'O', 'M', 'S'};
    return fmt::format("{} {}{}{}{}{}", baudText(uart->baud), uart->bits,
                       kLetters.at(static_cast<std::size_t>(uart->parity)), settingText(bus, "stop"),
                       uart->order == BitOrder::Msb ? " · msb first" : "", uart->invert ? " · inverted" : "");
  }
  const Picoseconds spike = std::get<I2cSettings>(bus.settings).spike;
  return spike == Picoseconds{0} ? "" : fmt::format("ignores < {}", lengthText(spike, 2));
}

const char* formatName(ValueFormat format)
{
  static constexpr std::array<const char*, 5> kNames{"hex", "decimal", "octal", "binary", "text"};
  return kNames.at(static_cast<std::size_t>(format));
}

}  // namespace bexto
