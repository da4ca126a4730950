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
constexpr double kHighestRate = 1e9;
constexpr int kLongestWord = 32;

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
                     "Spikes under",
                     SettingKind::Duration,
                     {"0s", "10ns", "50ns"},
                     "0s",
                     "Shorter pulses on either wire do not count; 50ns for fast mode."}}});
  std::vector<std::string> wordLengths;
  for (int bits = 1; bits <= kLongestWord; ++bits)
    wordLengths.push_back(std::to_string(bits));
  specs.push_back(
      {Protocol::Spi,
       "spi",
       "SPI",
       {{"clk", "CLK", true, {"sck", "sclk"}},
        {"mosi", "MOSI", false, {"sdo"}},
        {"miso", "MISO", false, {"sdi"}},
        {"cs", "CS", false, {"ncs", "ss", "sel"}}},
       {{"mode",
         "Mode",
         SettingKind::Choice,
         {"0", "1", "2", "3"},
         "0",
         "Clock polarity times two plus phase: 0 and 3 sample at rising edges."},
        {"bits", "Word bits", SettingKind::Choice, wordLengths, "8", "Bits of a word."},
        {"order", "Bit order", SettingKind::Choice, {"msb", "lsb"}, "msb", "Which bit of a word is sent first."},
        {"cs_active",
         "CS active",
         SettingKind::Choice,
         {"low", "high"},
         "low",
         "Level of an active chip select.",
         "cs"},
        {"gap",
         "Gap",
         SettingKind::Duration,
         {"1us", "8us", "100us"},
         "0s",
         "A clock that rests this long ends a transfer.",
         {},
         "cs"},
        {"frames",
         "One line a",
         SettingKind::Choice,
         {"transfer", "word"},
         "transfer",
         "Whether a frame is a whole transfer or each word of it."}}});
  specs.push_back({Protocol::Can,
                   "can",
                   "CAN",
                   {{"rx", "RX", true, {"can"}}},
                   {{"bitrate",
                     "Bit rate",
                     SettingKind::Number,
                     {"auto", "50000", "100000", "125000", "250000", "500000", "800000", "1000000"},
                     "",
                     "Bits a second; of CAN FD, outside the data phase. Auto finds the rate from the wire."},
                    {"sample_point",
                     "Sample at",
                     SettingKind::Number,
                     {"0.75", "0.8", "0.875"},
                     "0.8",
                     "Where in a bit the level counts, as a share of the bit."},
                    {"fd_bitrate",
                     "FD rate",
                     SettingKind::Number,
                     {"none", "1000000", "2000000", "4000000", "5000000", "8000000"},
                     "none",
                     "Bits a second in the data phase of CAN FD frames that switch; none when none do."},
                    {"fd_sample_point",
                     "FD sample",
                     SettingKind::Number,
                     {"0.7", "0.75", "0.8"},
                     "0.75",
                     "The same share in the data phase.",
                     "fd_bitrate"},
                    {"iso",
                     "ISO CRC",
                     SettingKind::Choice,
                     {"yes", "no"},
                     "yes",
                     "CAN FD frames with stuff count as in ISO 11898-1:2015, or the older form without."},
                    {"invert", "Inverted", SettingKind::Choice, {"no", "yes"}, "no", "Yes when dominant is high."}}});
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
    if (!number || *number < 1.0 || *number > kHighestRate)
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

Result<void> setSpi(SpiSettings& spi, const SettingSpec& spec, const std::string& value)
{
  if (spec.key == "gap") {
    const auto time = parseTime(value);
    if (!time || *time < Picoseconds{0} || *time > std::chrono::seconds{1})
      return badValue(spec, value, "write a time from 0s to 1s, like 8us");
    spi.gap = *time;
    return {};
  }
  const std::size_t choice = choiceIndex(spec, value);
  if (spec.key == "mode")
    spi.mode = static_cast<int>(choice);
  else if (spec.key == "bits")
    spi.bits = 1 + static_cast<int>(choice);
  else if (spec.key == "order")
    spi.order = choice == 0 ? BitOrder::Msb : BitOrder::Lsb;
  else if (spec.key == "cs_active")
    spi.selectHigh = choice == 1;
  else
    spi.frames = static_cast<SpiFrames>(choice);
  return {};
}

Result<void> setCan(CanSettings& can, const SettingSpec& spec, const std::string& value)
{
  if (spec.key == "bitrate" || spec.key == "fd_bitrate") {
    const bool nominal = spec.key == "bitrate";
    double& rate = nominal ? can.bitrate : can.fdBitrate;
    const char* const zero = nominal ? "auto" : "none";
    const auto number = parseNumber(value);
    if (value != zero && (!number || *number < 1.0 || *number > kHighestRate))
      return badValue(spec, value, fmt::format("write the bits a second from 1 to 1000000000, or {}", zero));
    rate = value == zero ? 0.0 : *number;
    return {};
  }
  if (spec.kind == SettingKind::Number) {
    const auto number = parseNumber(value);
    if (!number || !(*number > 0.0) || !(*number < 1.0))
      return badValue(spec, value, "write a share between 0 and 1, like 0.8");
    (spec.key == "sample_point" ? can.samplePoint : can.fdSamplePoint) = *number;
    return {};
  }
  if (spec.key == "iso")
    can.iso = value == "yes";
  else
    can.invert = value == "yes";
  return {};
}

std::string rateText(double rate, const char* zero)
{
  return rate == 0.0 ? zero : fmt::format("{}", rate);
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
    return rateText(uart.baud, "auto");
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

std::string spiText(const SpiSettings& spi, const std::string& key)
{
  if (key == "mode")
    return std::to_string(spi.mode);
  if (key == "bits")
    return std::to_string(spi.bits);
  if (key == "order")
    return spi.order == BitOrder::Lsb ? "lsb" : "msb";
  if (key == "cs_active")
    return spi.selectHigh ? "high" : "low";
  if (key == "gap")
    return durationText(spi.gap);
  return spi.frames == SpiFrames::Word ? "word" : "transfer";
}

std::string canText(const CanSettings& can, const std::string& key)
{
  if (key == "bitrate")
    return rateText(can.bitrate, "auto");
  if (key == "sample_point")
    return fmt::format("{}", can.samplePoint);
  if (key == "fd_bitrate")
    return rateText(can.fdBitrate, "none");
  if (key == "fd_sample_point")
    return fmt::format("{}", can.fdSamplePoint);
  return (key == "iso" ? can.iso : can.invert) ? "yes" : "no";
}

/// "500 kbit/s"
std::string bitRateText(double rate)
{
  if (rate == 0.0)
    return "auto";
  if (rate >= 1e6)
    return fmt::format("{:.4g} Mbit/s", rate / 1e6);
  return rate >= 1e3 ? fmt::format("{:.5g} kbit/s", rate / 1e3) : fmt::format("{:.4g} bit/s", rate);
}

std::string spiSummary(const Bus& bus, const SpiSettings& spi)
{
  std::string text = fmt::format("mode {}", spi.mode);
  if (spi.bits != 8)
    text += fmt::format(" · {} bits", spi.bits);
  if (spi.order == BitOrder::Lsb)
    text += " · lsb first";
  if (bus.channelOf("cs").empty())
    text += fmt::format(" · gap {}", lengthText(spi.gap, 2));
  else if (spi.selectHigh)
    text += " · CS high";
  return spi.frames == SpiFrames::Word ? text + " · by word" : text;
}

std::string canSummary(const CanSettings& can)
{
  std::string text = bitRateText(can.bitrate);
  if (can.fdBitrate > 0.0)
    text += fmt::format(" · FD {}", bitRateText(can.fdBitrate));
  if (!can.iso)
    text += " · non-ISO";
  return can.invert ? text + " · inverted" : text;
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
  switch (protocol) {
    case Protocol::Uart:
      break;
    case Protocol::I2c:
      bus.settings = I2cSettings{};
      break;
    case Protocol::Spi:
      bus.settings = SpiSettings{};
      break;
    case Protocol::Can:
      bus.settings = CanSettings{};
      break;
  }
  return bus;
}

bool applies(const SettingSpec& setting, const Bus& bus)
{
  if (!setting.without.empty() && !bus.channelOf(setting.without).empty())
    return false;
  if (setting.with.empty())
    return true;
  const SettingSpec* const other = findSetting(specOf(bus.protocol()), setting.with);
  return other == nullptr ? !bus.channelOf(setting.with).empty() : settingText(bus, other->key) != other->fallback;
}

std::string rateKey(Protocol protocol)
{
  return protocol == Protocol::Uart ? "baud" : protocol == Protocol::Can ? "bitrate" : "";
}

std::string settingText(const Bus& bus, const std::string& key)
{
  if (const auto* uart = std::get_if<UartSettings>(&bus.settings))
    return uartText(*uart, key);
  if (const auto* spi = std::get_if<SpiSettings>(&bus.settings))
    return spiText(*spi, key);
  if (const auto* can = std::get_if<CanSettings>(&bus.settings))
    return canText(*can, key);
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
  if (auto* spi = std::get_if<SpiSettings>(&bus.settings))
    return setSpi(*spi, *spec, value);
  if (auto* can = std::get_if<CanSettings>(&bus.settings))
    return setCan(*can, *spec, value);
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
  if (const auto* spi = std::get_if<SpiSettings>(&bus.settings)) {
    if (bus.channelOf("mosi").empty() && bus.channelOf("miso").empty())
      return fail(ErrorCode::BadArgument, "no data line is given", where, "add mosi=CHANNEL, miso=CHANNEL or both");
    if (bus.channelOf("cs").empty() && spi->gap <= Picoseconds{0})
      return fail(ErrorCode::BadArgument, "nothing says where a transfer ends", where, "add cs=CHANNEL or gap=8us");
  }
  return {};
}

std::string settingsSummary(const Bus& bus)
{
  if (const auto* uart = std::get_if<UartSettings>(&bus.settings)) {
    static constexpr std::array<char, 5> kLetters{'N', 'E', 'O', 'M', 'S'};
    return fmt::format("{} {}{}{}{}{}", rateText(uart->baud, "auto"), uart->bits,
                       kLetters.at(static_cast<std::size_t>(uart->parity)), settingText(bus, "stop"),
                       uart->order == BitOrder::Msb ? " · msb first" : "", uart->invert ? " · inverted" : "");
  }
  if (const auto* spi = std::get_if<SpiSettings>(&bus.settings))
    return spiSummary(bus, *spi);
  if (const auto* can = std::get_if<CanSettings>(&bus.settings))
    return canSummary(*can);
  const Picoseconds spike = std::get<I2cSettings>(bus.settings).spike;
  return spike == Picoseconds{0} ? "" : fmt::format("ignores < {}", lengthText(spike, 2));
}

const char* formatName(ValueFormat format)
{
  static constexpr std::array<const char*, 5> kNames{"hex", "decimal", "octal", "binary", "text"};
  return kNames.at(static_cast<std::size_t>(format));
}

}  // namespace bexto
