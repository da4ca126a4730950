#include "cli/command_line.h"

#include <fmt/core.h>
#include <sys/stat.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <map>
#include <tuple>
#include <utility>

#include "core/base/number_text.h"
#include "core/base/time_text.h"
#include "core/decode/bus_spec.h"
#include "core/decode/protocol.h"
#include "core/format/capture_format.h"
#include "core/format/packed_reader.h"
#include "core/signal/sample_clock.h"

namespace bexto::cli {

namespace {

struct Texts {
  std::string capture;
  std::string segment;
  std::string rawRate;
  std::int64_t rawChannels = 0;
  std::vector<std::string> buses;
  std::vector<std::string> devices;
  std::vector<std::string> inverted;
  std::vector<std::string> ignored;
  std::string format;
  std::string out;
  std::string from;
  std::string to;
  std::string filter;
  bool quiet = false;
  std::string topic;
  std::string source;
  std::string channels;
  std::string rate;
  std::string start;
  std::vector<std::string> sends;
  std::string sendEvery;
  std::string trigger;
  std::string before;
  std::string after;
  std::string longest;
  bool collect = false;
  std::vector<std::string> rules;
  std::string samplePeriod;
  bool checks = false;  ///< the command is one that has formats of its own
};

void addCommon(CLI::App& command, Texts& texts)
{
  command.add_option("CAPTURE", texts.capture, "A capture (" + suffixList() + ") or a session (.bexto)")->required();
  command.add_option("--segment", texts.segment, "Of a session with several: its name or number, from 1");
  command.add_option("--raw-rate", texts.rawRate, "Samples a second, of packed samples and of rows without a time");
  command.add_option("--raw-channels", texts.rawChannels, "How many channels packed samples have");
  command.add_flag("--quiet", texts.quiet, "No progress and no notes");
}

void addOutput(CLI::App& command, Texts& texts)
{
  command.add_option("--format", texts.format, "jsonl, csv or text; text on a terminal, jsonl otherwise");
  command.add_option("--out", texts.out, "A file, written whole or not at all; else standard output");
}

void addDevices(CLI::App& command, Texts& texts)
{
  command
      .add_option("--device", texts.devices,
                  "FILE@BUS: a device sheet, and the bus that the device is on; may be repeated")
      ->expected(1)
      ->take_all();
}

std::string settingHelp(const SettingSpec& setting)
{
  return fmt::format("    {:<15} {} {}: {}{}\n", setting.key, setting.help,
                     setting.kind == SettingKind::Choice ? "One of" : "For example", setting.choicesText(),
                     setting.fallback.empty() ? " (required)" : fmt::format(" ({})", setting.fallback));
}

std::string busHelp()
{
  std::string help = "\nA bus spec is NAME=PROTOCOL,key=value,...\n";
  std::string examples;
  for (const Protocol* protocol : protocols()) {
    help += fmt::format("\n  {}\n", protocol->name());
    for (const RoleSpec& role : protocol->facts().roles)
      help +=
          fmt::format("    {:<15} the channel of {}{}\n", role.name, role.label, role.required ? "" : " (optional)");
    for (const SettingSpec& setting : protocol->settings().specs())
      help += settingHelp(setting);
    if (protocol == protocols()[0] || protocol == protocols()[1])
      examples += " --bus " + protocol->facts().example;
  }
  return help + "\nExample: bexto-cli decode cycle.vcd" + examples + "\n";
}

/// What all protocols are called: "A, B and C".
std::string protocolLabels()
{
  std::string labels;
  const auto& all = protocols();
  for (std::size_t i = 0; i < all.size(); ++i)
    labels += (i == 0 ? "" : i + 1 == all.size() ? " and " : ", ") + all[i]->label();
  return labels;
}

std::string filterHelp()
{
  std::string help =
      "\nA filter is made of terms; next to each other all hold. There are or, not, brackets, and from TERM:\n"
      "everything from the first frame on for which the term holds. Words that stand alone:\n\n ";
  for (const TermHelp& word : queryWords())
    help += " " + word.key;
  help += "\n  and the names of the buses. Keys take a value, a list or a range, or < <= > >= !=:\n\n";
  for (const TermHelp& key : queryKeys())
    help += fmt::format("  {:<18} {}\n", key.example, key.help);
  return help + "\nExample: --filter 'from error byte0>=80 not incomplete'\n";
}

Result<void> readTime(const char* option, const std::string& text, Picoseconds& into)
{
  if (text.empty())
    return {};
  auto time = parseTime(text);
  if (!time) {
    Error e = time.error();
    e.where = option;
    return tl::unexpected(e);
  }
  into = *time;
  return {};
}

Result<void> readTimes(const Texts& texts, Request& request)
{
  if (auto from = readTime("--from", texts.from, request.span.begin); !from)
    return from;
  if (auto to = readTime("--to", texts.to, request.span.end); !to)
    return to;
  if (request.span.empty())
    return fail(ErrorCode::BadArgument, "--to is not after --from");
  return {};
}

Result<void> readBuses(const Texts& texts, Request& request)
{
  for (const std::string& text : texts.buses) {
    auto bus = parseBusSpec(text);
    if (!bus)
      return tl::unexpected(bus.error());
    for (const Bus& other : request.buses) {
      if (other.name == bus->name)
        return fail(ErrorCode::BadArgument, fmt::format("two buses are called '{}'", bus->name), "--bus",
                    "give each a name of its own");
    }
    request.buses.push_back(std::move(*bus));
  }
  for (const std::string& text : texts.devices) {
    auto device = parseSheetOnBus(text);
    if (!device)
      return tl::unexpected(device.error());
    request.devices.push_back(std::move(*device));
  }
  // Those of a session are not known yet.
  return request.buses.empty() ? Result<void>() : attachSheets(request.devices, request.buses);
}

Result<void> readFilter(const Texts& texts, Request& request)
{
  request.filter = texts.filter;
  // Those of a session are not known yet.
  if (request.buses.empty())
    return {};
  auto query = parseFilter(texts.filter, request.buses);
  return query ? Result<void>() : tl::unexpected(query.error());
}

Result<void> readReadings(const Texts& texts, Request& request)
{
  constexpr std::chrono::milliseconds kLongest{1};
  for (const std::string& channel : texts.inverted)
    request.readings.push_back({channel, {Picoseconds{0}, true}});
  for (const std::string& text : texts.ignored) {
    const std::size_t equals = text.rfind('=');
    const auto width = equals == std::string::npos ? Result<Picoseconds>(kNever) : parseTime(text.substr(equals + 1));
    if (equals == 0 || !width || *width < Picoseconds{0} || *width > kLongest)
      return fail(ErrorCode::BadArgument, fmt::format("'{}' is not CHANNEL=TIME", text), "--ignore",
                  "write a time from 0s to 1ms, like CLOCK=50ns");
    request.readings.push_back({text.substr(0, equals), {*width, false}});
  }
  return {};
}

Result<void> readHints(const Texts& texts, Request& request)
{
  const double rate = parseFrequency(texts.rawRate).value_or(0);
  if (!texts.rawRate.empty() && !(rate >= SampleClock::lowestRate() && rate <= SampleClock::highestRate()))
    return fail(ErrorCode::BadArgument, fmt::format("'{}' is no rate", texts.rawRate), "--raw-rate",
                "write samples a second, from 0.001 to 1e12, like 24e6 or 24MHz");
  constexpr auto kMost = static_cast<std::int64_t>(kMostPackedChannels);
  if (texts.rawChannels < 0 || texts.rawChannels > kMost)
    return fail(ErrorCode::BadArgument, fmt::format("there cannot be {} channels", texts.rawChannels), "--raw-channels",
                fmt::format("there can be 1 to {}", kMost));
  request.hints.rate = rate;
  request.hints.channels = static_cast<std::size_t>(texts.rawChannels);
  return {};
}

Result<void> readOutput(const Texts& texts, Request& request)
{
  static const std::map<std::string, FrameFormat> kFormats{
      {"jsonl", FrameFormat::Jsonl}, {"csv", FrameFormat::Csv}, {"text", FrameFormat::Text}};
  if (!texts.format.empty()) {
    const auto found = kFormats.find(texts.format);
    request.junit = texts.checks && texts.format == "junit";
    if (found == kFormats.end() && !request.junit)
      return fail(ErrorCode::BadArgument, fmt::format("there is no format '{}'", texts.format), "--format",
                  texts.checks ? "choose jsonl, csv, text or junit" : "choose jsonl, csv or text");
    if (!request.junit)
      request.format = found->second;
  }
  struct stat in = {};
  struct stat out = {};
  if (!texts.out.empty() && ::stat(texts.capture.c_str(), &in) == 0 && ::stat(texts.out.c_str(), &out) == 0 &&
      in.st_dev == out.st_dev && in.st_ino == out.st_ino)
    return fail(ErrorCode::BadArgument, "the output would replace the capture", "--out", "choose another name");
  return {};
}

Result<void> readRules(const Texts& texts, Request& request)
{
  for (const std::string& text : texts.rules)
    request.books.push_back(parseBookOnBus(text));
  if (texts.samplePeriod.empty())
    return {};
  // Fractions of a picosecond count: 24 MHz has a period of 41 666.67 ps.
  const auto time = parseTime(texts.samplePeriod);
  if (!time || *time <= Picoseconds{0})
    return fail(ErrorCode::BadArgument, fmt::format("'{}' is no length of time", texts.samplePeriod), "--sample-period",
                "write it like 10ns");
  request.samplePeriod = static_cast<double>(time->count());
  return {};
}

/// "SCL,SDA", "1=SCL,2=SDA", or "1,2".
Result<void> readChannels(const std::string& text, std::vector<PlannedChannel>& channels)
{
  for (std::string_view rest = text; !rest.empty();) {
    const std::size_t comma = std::min(rest.find(','), rest.size());
    const std::string_view part = rest.substr(0, comma);
    rest.remove_prefix(std::min(comma + 1, rest.size()));
    const std::size_t equal = part.find('=');
    const auto number = parseInteger(part.substr(0, equal));
    PlannedChannel channel{0, std::string(equal == std::string_view::npos ? part : part.substr(equal + 1))};
    if (number) {
      channel.input = static_cast<std::uint32_t>(std::clamp<std::int64_t>(*number, 0, 1 << 20));
      channel.name = equal == std::string_view::npos ? std::string() : channel.name;
    }
    if ((number && channel.input == 0) || (!number && (part.empty() || equal != std::string_view::npos)))
      return fail(ErrorCode::BadArgument, fmt::format("'{}' is no channel", part), "--channels",
                  "write names that the source knows, or inputs from 1 with a name: 1=SCL,2=SDA");
    channels.push_back(std::move(channel));
  }
  return {};
}

Result<void> readSends(const Texts& texts, Request& request)
{
  if (auto read = readTime("--send-every", texts.sendEvery, request.sendEvery); !read)
    return read;
  if (!texts.sendEvery.empty() && request.sendEvery < std::chrono::milliseconds{1})
    return fail(ErrorCode::BadArgument, fmt::format("{} is too often", texts.sendEvery), "--send-every",
                "write a time from 1ms on");
  for (const std::string& text : texts.sends) {
    const std::size_t equal = text.find('=');
    const auto bus = std::find_if(request.buses.begin(), request.buses.end(),
                                  [&](const Bus& b) { return b.name == text.substr(0, equal); });
    if (equal == std::string::npos || bus == request.buses.end())
      return fail(ErrorCode::BadArgument, fmt::format("'{}' names no bus", text), "--send",
                  "write it like sensors=2A write 10 read 3, with the name of a --bus");
    auto what = live::outgoing(*bus, text.substr(equal + 1));
    if (!what) {
      Error e = what.error();
      e.where = "--send";
      return tl::unexpected(e);
    }
    request.sends.push_back(std::move(*what));
  }
  return {};
}

Result<void> readPlan(const Texts& texts, Request& request)
{
  constexpr std::string_view kSession = ".bexto";
  CapturePlan& plan = request.plan;
  plan.source = texts.source;
  if (!texts.out.ends_with(kSession))
    return fail(ErrorCode::BadArgument, fmt::format("'{}' is no name for a session", texts.out), "--out",
                "let it end with .bexto; `bexto-cli convert` makes other files of it");
  if (auto read = readChannels(texts.channels, plan.channels); !read)
    return read;
  plan.rate = parseFrequency(texts.rate).value_or(0);
  if (!texts.rate.empty() && plan.rate == 0)
    return fail(ErrorCode::BadArgument, fmt::format("'{}' is no rate", texts.rate), "--rate",
                "write samples a second, like 20MHz");
  for (const auto& [option, text, into] :
       {std::tuple("--before", &texts.before, &plan.before), std::tuple("--after", &texts.after, &plan.after),
        std::tuple("--for", &texts.longest, &request.longest)}) {
    if (auto read = readTime(option, *text, *into); !read)
      return read;
    if (*into < Picoseconds{0} || (!text->empty() && *into == Picoseconds{0} && into != &plan.before))
      return fail(ErrorCode::BadArgument, fmt::format("{} is no length of time", *text), option, "write it like 50ms");
  }
  if (!texts.start.empty() && !texts.trigger.empty())
    return fail(ErrorCode::BadArgument, "there can be one start", "--trigger", "leave out --start, or this");
  if (!texts.start.empty()) {
    plan.start.kind = StartCondition::Kind::Event;
    plan.start.query = texts.start;
    // Sources of frames have buses by themselves.
    if (request.buses.empty() && texts.source.starts_with("scpi:"))
      return fail(ErrorCode::BadArgument, "a start by what a bus says needs a bus", "--start",
                  "describe one with --bus");
    if (auto query = parseFilter(texts.start, request.buses); !query) {
      Error e = query.error();
      e.where = "--start";
      return tl::unexpected(e);
    }
  } else if (!texts.trigger.empty()) {
    auto start = parseWireCondition(texts.trigger);
    if (!start) {
      Error e = start.error();
      e.where = "--trigger";
      return tl::unexpected(e);
    }
    plan.start = std::move(*start);
  }
  if (auto read = readSends(texts, request); !read)
    return read;
  plan.repeat = texts.collect ? CapturePlan::Repeat::Collect : CapturePlan::Repeat::Once;
  if (texts.collect && plan.start.kind == StartCondition::Kind::Now)
    return fail(ErrorCode::BadArgument, "there is nothing to collect by", "--collect", "give a --start or a --trigger");
  // What begins at once is as long as it is to go on; else that is how long it waits.
  if (plan.start.kind == StartCondition::Kind::Now)
    plan.length = std::exchange(request.longest, Picoseconds{0});
  return {};
}

}  // namespace

Result<Query> parseFilter(const std::string& text, const std::vector<Bus>& buses)
{
  auto query = Query::parse(text, namesOf(buses));
  if (!query)
    return fail(ErrorCode::BadArgument, query.error().text(), "--filter");
  return std::move(*query);
}

Result<Request> parseCommandLine(int argc, char** argv)
{
  CLI::App app("Bexto reads serial bus traffic out of captures: " + protocolLabels() + ".", "bexto-cli");
  app.require_subcommand(0, 1);
  bool version = false;
  app.add_flag("--version", version, "Print the version");
  Texts texts;
  CLI::App* info = app.add_subcommand("info", "Print what is in a capture");
  addCommon(*info, texts);
  addOutput(*info, texts);
  CLI::App* decode = app.add_subcommand("decode", "Decode buses and write their frames");
  addCommon(*decode, texts);
  addOutput(*decode, texts);
  decode
      ->add_option(
          "--bus", texts.buses,
          "A bus spec; once for each bus. Of a session, or a file of frames: its own buses, when none is given")
      ->expected(1)
      ->take_all();
  addDevices(*decode, texts);
  decode->add_option("--invert", texts.inverted, "A channel whose high and low change places; may be repeated")
      ->expected(1)
      ->take_all();
  decode->add_option("--ignore", texts.ignored, "CHANNEL=TIME: shorter pulses on it do not count; may be repeated")
      ->expected(1)
      ->take_all();
  decode->add_option("--from", texts.from, "Only frames that begin at this time or later, like 12.5ms");
  decode->add_option("--to", texts.to, "Only frames that begin before this time");
  decode->add_option("--filter", texts.filter,
                     "Only frames for which this holds, like 'byte0>=80 not error'; see below");
  decode->footer(busHelp() + filterHelp());
  CLI::App* check =
      app.add_subcommand("check", "Measure buses and judge them by rulebooks; exit status 1 when a rule fails");
  addCommon(*check, texts);
  check->add_option("--format", texts.format,
                    "jsonl, csv, text, or junit for a test report; text on a terminal, jsonl otherwise");
  check->add_option("--out", texts.out, "A file, written whole or not at all; else standard output");
  check
      ->add_option(
          "--bus", texts.buses,
          "A bus spec; once for each bus. Of a session, or a file of frames: its own buses, when none is given")
      ->expected(1)
      ->take_all();
  addDevices(*check, texts);
  check
      ->add_option(
          "--rules", texts.rules,
          "NAME_OR_FILE or NAME_OR_FILE@BUS: a rulebook that comes with the program, or a file; may be repeated. "
          "A bus that none is for is judged by the usual one")
      ->expected(1)
      ->take_all();
  check->add_option("--sample-period", texts.samplePeriod,
                    "The time between samples, like 10ns; else as the capture tells");
  check->add_option("--invert", texts.inverted, "A channel whose high and low change places; may be repeated")
      ->expected(1)
      ->take_all();
  check->add_option("--ignore", texts.ignored, "CHANNEL=TIME: shorter pulses on it do not count; may be repeated")
      ->expected(1)
      ->take_all();
  check->add_option("--from", texts.from, "Only frames that begin at this time or later, like 12.5ms");
  check->add_option("--to", texts.to, "Only frames that begin before this time");
  std::string books = "\nRulebooks that come with the program:";
  for (const std::string& book : shippedBooks())
    books += " " + book;
  check->footer(books + "\n" + busHelp());
  CLI::App* convert = app.add_subcommand("convert", "Write a capture in another format");
  addCommon(*convert, texts);
  convert
      ->add_option("OUT", texts.out, "The file; its suffix says the format: .bexto for a session, else " + suffixList())
      ->required();
  convert
      ->add_option("--bus", texts.buses,
                   "A bus spec; once for each bus: whose frames a file of frames gets, or that a "
                   "session has")
      ->expected(1)
      ->take_all();
  addDevices(*convert, texts);
  CLI::App* capture = app.add_subcommand("capture", "Take a capture from what is connected");
  capture
      ->add_option("--source", texts.source,
                   "Where from: scpi://HOST:PORT, can://can0, serial:/dev/ttyUSB0?baud=115200")
      ->required();
  capture->add_option("--out", texts.out, "The session to write, .bexto")->required();
  capture->add_option("--channels", texts.channels,
                      "Names that the source knows, or its inputs from 1 with names: 1=SCL,2=SDA; else all");
  capture->add_option("--rate", texts.rate, "Samples a second, like 20MHz; else what the source does by itself");
  capture->add_option("--for", texts.longest, "How long, like 10s; with a start: how long to wait. Else until Ctrl+C");
  capture->add_option("--bus", texts.buses, "A bus spec; once for each bus: for --start, and for the session")
      ->expected(1)
      ->take_all();
  addDevices(*capture, texts);
  capture->add_option("--start", texts.start, "Begin with what a bus says, like 'address:2A nack'; see below");
  capture->add_option("--trigger", texts.trigger,
                      "Begin with what wires do: SCL=falling, CS=low, CS=low,CLK=high, TX=low:100us..2ms");
  capture->add_option("--before", texts.before, "What is kept of the time before the start (10ms)");
  capture->add_option("--after", texts.after, "And behind it (50ms)");
  capture
      ->add_option("--send", texts.sends, "Say something on a bus, like 'sensors=2A write 10 read 3'; may be repeated")
      ->expected(1)
      ->take_all();
  capture->add_option("--send-every", texts.sendEvery, "The same again and again, like 100ms");
  capture->add_flag("--collect", texts.collect, "Go on after the first start: each is a segment");
  capture->add_flag("--quiet", texts.quiet, "No progress and no notes");
  capture->footer(busHelp() + filterHelp());
  CLI::App* help = app.add_subcommand("help", "Explain a command");
  help->add_option("COMMAND", texts.topic, "The command");

  // Asked before parsing: afterwards the library speaks of the parsed command only.
  const std::string overview = app.help();
  Request request;
  try {
    app.parse(argc, argv);
  } catch (const CLI::CallForHelp&) {
    for (CLI::App* sub : {info, decode, check, convert, capture, help})
      request.helpText = sub->parsed() ? sub->help() : request.helpText;
    if (request.helpText.empty())
      request.helpText = overview;
    return request;
  } catch (const CLI::ParseError& e) {
    return fail(ErrorCode::BadArgument, e.what(), {}, "see `bexto-cli help`");
  }
  if (version) {
    request.command = Command::Version;
    return request;
  }
  if (help->parsed() || app.get_subcommands().empty()) {
    request.helpText = overview;
    if (!texts.topic.empty()) {
      CLI::App* topic = nullptr;
      for (CLI::App* sub : {info, decode, check, convert, capture, help})
        topic = sub->get_name() == texts.topic ? sub : topic;
      if (topic == nullptr)
        return fail(ErrorCode::BadArgument, fmt::format("there is no command '{}'", texts.topic), {},
                    "there are info, decode, check, convert, capture and help");
      request.helpText = topic->help();
    } else if (!help->parsed()) {
      return fail(ErrorCode::BadArgument, "no command is given", {}, "see `bexto-cli help`");
    }
    return request;
  }
  request.command = info->parsed()      ? Command::Info
                    : decode->parsed()  ? Command::Decode
                    : check->parsed()   ? Command::Check
                    : convert->parsed() ? Command::Convert
                                        : Command::Capture;
  request.capture = texts.capture;
  request.segment = texts.segment;
  request.out = texts.out;
  request.quiet = texts.quiet;
  if (capture->parsed()) {
    for (const auto& read : {readBuses, readPlan}) {
      if (auto good = read(texts, request); !good)
        return tl::unexpected(good.error());
    }
    return request;
  }
  texts.checks = check->parsed();
  for (const auto& read : {readHints, readOutput, readBuses, readRules, readFilter, readReadings, readTimes}) {
    if (auto good = read(texts, request); !good)
      return tl::unexpected(good.error());
  }
  return request;
}

}  // namespace bexto::cli
