// The instrument's command tree: what each header does (docs/rig.md).
//
// Tested by tests/core/instrument_test.cpp.
#include <fmt/core.h>

#include <algorithm>
#include <charconv>

#include "rig/instrument/instrument.h"
#include "rig/instrument/limits.h"

namespace bexto::rig {

namespace {

const std::vector<std::string>& sourceWords()
{
  static const std::vector<std::string> kWords{"IMMediate", "EDGE", "LEVel", "PATTern", "WIDTh", "BUS"};
  return kWords;
}
const std::vector<std::string>& slopeWords()
{
  static const std::vector<std::string> kWords{"RISing", "FALLing", "EITHer"};
  return kWords;
}
const std::vector<std::string>& levelWords()
{
  static const std::vector<std::string> kWords{"LOW", "HIGH"};
  return kWords;
}
const std::vector<std::string>& formatWords()
{
  static const std::vector<std::string> kWords{"PACKed", "RLENgth"};
  return kWords;
}
const std::vector<std::string>& modeWords()
{
  static const std::vector<std::string> kWords{"SINGle", "STReam"};
  return kWords;
}
const std::vector<std::string>& misbehaviourWords()
{
  static const std::vector<std::string> kWords{"NONE",    "DELay", "CUT",  "DROP",    "GARBage", "OVERrun",
                                               "SILence", "LIE",   "HUGE", "ENDLess", "ANY"};
  return kWords;
}

void need(const ScpiTree::Call& call, std::size_t least, std::size_t most)
{
  if (call.parameters.size() < least)
    throw ScpiTree::Failure{{scpi::kMissingParameter, {}}};
  if (call.parameters.size() > most)
    throw ScpiTree::Failure{{scpi::kParameterNotAllowed, {}}};
}

std::string shortOf(const std::vector<std::string>& words, std::size_t place)
{
  return scpiShort(words.at(place));
}

/// "0:3 5000:1": ns since the step before, and the levels from then on.
std::vector<ProbeChange> stepsOf(const std::string& text)
{
  std::vector<ProbeChange> steps;
  std::int64_t time = 0;
  const char* at = text.data();
  const char* const end = at + text.size();
  const auto number = [&](auto& value) {
    const auto [next, code] = std::from_chars(at, end, value);
    if (code != std::errc())
      throw ScpiTree::Failure{
          {scpi::kInvalidStringData, std::string(at, std::min<std::size_t>(20, std::size_t(end - at)))}};
    at = next;
  };
  const auto skip = [&](char c) {
    if (at == end || *at != c)
      throw ScpiTree::Failure{
          {scpi::kInvalidStringData, std::string(at, std::min<std::size_t>(20, std::size_t(end - at)))}};
    ++at;
  };
  while (at < end) {
    std::uint32_t since = 0;
    std::uint16_t levels = 0;
    if (!steps.empty())
      skip(' ');
    number(since);
    skip(':');
    number(levels);
    time += std::int64_t{since} * 1000;
    steps.push_back({time, levels});
  }
  if (steps.empty() || steps.front().time != 0)
    throw ScpiTree::Failure{{scpi::kInvalidStringData, "a pattern begins with the levels at rest, at 0"}};
  return steps;
}

}  // namespace

void Instrument::makeTree()
{
  addCommon();
  addSettings();
  addTrigger();
  addAcquisition();
  addOutput();
}

void Instrument::addCommon()
{
  using Form = ScpiTree::Form;
  using Call = const ScpiTree::Call&;
  m_tree.add("*IDN", Form::Query, [](Call) { return fmt::format("Aldermere Works,RIG-16,1187,{}", BEXTO_VERSION); });
  m_tree.add("*RST", Form::Command, [this](Call) { return reset(), std::string(); });
  m_tree.add("*CLS", Form::Command, [this](Call) {
    m_errors.clear();
    m_events = 0;
    return std::string();
  });
  m_tree.add("*ESE", Form::Both, [this](Call call) {
    if (call.query)
      return std::to_string(m_eventMask);
    need(call, 1, 1);
    m_eventMask = static_cast<unsigned>(scpiNumber(call.parameters[0], {}, 0, 255, 0));
    return std::string();
  });
  m_tree.add("*SRE", Form::Both, [this](Call call) {
    if (call.query)
      return std::to_string(m_serviceMask);
    need(call, 1, 1);
    m_serviceMask = static_cast<unsigned>(scpiNumber(call.parameters[0], {}, 0, 255, 0));
    return std::string();
  });
  m_tree.add("*ESR", Form::Query, [this](Call) { return std::to_string(std::exchange(m_events, 0U)); });
  m_tree.add("*STB", Form::Query, [this](Call) {
    unsigned status = m_errors.empty() ? 0 : kErrorQueue;
    status |= (m_events & m_eventMask) != 0 ? kEventSummary : 0U;
    status |= (condition() & m_enables["OPER"]) != 0 ? kOperationSummary : 0U;
    return std::to_string(status);
  });
  m_tree.add("*OPC", Form::Both, [this](Call call) {
    if (!isAcquiring()) {
      m_events |= call.query ? 0U : kOperationComplete;
      return std::string("1");
    }
    if (call.query)
      m_waitsForEnd = m_answersEnd = true;
    else
      m_opc = true;
    return std::string();
  });
  m_tree.add("*WAI", Form::Command, [this](Call) {
    m_waitsForEnd = isAcquiring();
    return std::string();
  });
  m_tree.add("*TRG", Form::Command, [this](Call) {
    if (!isAcquiring() || m_acquisition->isTriggered() || m_setting.trigger.source != TriggerSetting::Source::Bus)
      throw ScpiTree::Failure{{scpi::kTriggerIgnored, {}}};
    m_acquisition->fire();
    return std::string();
  });
  m_tree.add("*TST", Form::Query, [](Call) { return std::string("0"); });
  m_tree.add("SYSTem:ERRor:[NEXT]", Form::Query, [this](Call) {
    if (m_errors.empty())
      return ScpiError{}.text();
    std::string text = m_errors.front().text();
    m_errors.pop_front();
    return text;
  });
  m_tree.add("SYSTem:ERRor:COUNt", Form::Query, [this](Call) { return std::to_string(m_errors.size()); });
  m_tree.add("SYSTem:VERSion", Form::Query, [](Call) { return std::string("1999.0"); });
  m_tree.add("STATus:OPERation:CONDition", Form::Query, [this](Call) { return std::to_string(condition()); });
  m_tree.add("STATus:OPERation:[EVENt]", Form::Query, [this](Call) { return std::to_string(condition()); });
  m_tree.add("STATus:QUEStionable:CONDition", Form::Query, [](Call) { return std::string("0"); });
  m_tree.add("STATus:QUEStionable:[EVENt]", Form::Query, [](Call) { return std::string("0"); });
  for (const char* const name : {"OPER", "QUES"}) {
    const std::string pattern =
        fmt::format("STATus:{}:ENABle", std::string_view(name) == "OPER" ? "OPERation" : "QUEStionable");
    m_tree.add(pattern, Form::Both, [this, name](Call call) {
      if (call.query)
        return std::to_string(m_enables[name]);
      need(call, 1, 1);
      m_enables[name] = static_cast<unsigned>(scpiNumber(call.parameters[0], {}, 0, 32767, 0));
      return std::string();
    });
  }
  m_tree.add("STATus:PRESet", Form::Command, [this](Call) {
    m_enables.clear();
    return std::string();
  });
  m_tree.add("DIAGnostic:MISBehave", Form::Both, [this](Call call) {
    if (call.query)
      return fmt::format("{},{}", shortOf(misbehaviourWords(), static_cast<std::size_t>(m_misbehaviour)), m_oneIn);
    need(call, 1, 2);
    m_misbehaviour = static_cast<Misbehaviour>(scpiWord(call.parameters[0], misbehaviourWords()));
    m_oneIn = call.parameters.size() < 2 ? 1 : static_cast<std::int64_t>(scpiNumber(call.parameters[1], {}, 1, 1e6, 1));
    return std::string();
  });
}

void Instrument::addSettings()
{
  using Form = ScpiTree::Form;
  using Call = const ScpiTree::Call&;
  const auto probe = [](Call call) {
    const int n = call.suffixes.empty() ? 1 : call.suffixes.front();
    if (n < 1 || n > static_cast<int>(kProbes))
      throw ScpiTree::Failure{{scpi::kHeaderSuffix, std::to_string(n)}};
    return static_cast<unsigned>(n - 1);
  };
  const auto settable = [this] {
    if (isAcquiring())
      throw ScpiTree::Failure{{scpi::kSettingsConflict, "ABORt first"}};
  };
  m_tree.add("CHANnel:COUNt", Form::Query, [](Call) { return std::to_string(kProbes); });
  m_tree.add("CHANnel:CATalog", Form::Query, [this](Call) {
    std::string all;
    for (const std::string& name : m_names)
      all += (all.empty() ? "" : ",") + scpiQuoted(name);
    return all;
  });
  m_tree.add("CHANnel<n>:NAME", Form::Both, [this, probe](Call call) {
    std::string& name = m_names[probe(call)];
    if (call.query)
      return scpiQuoted(name);
    need(call, 1, 1);
    name = scpiText(call.parameters[0]).substr(0, 32);
    return std::string();
  });
  m_tree.add("CHANnel<n>:[STATe]", Form::Both, [this, probe, settable](Call call) {
    const auto bit = static_cast<std::uint16_t>(1U << probe(call));
    if (call.query)
      return std::string((m_setting.probes & bit) != 0 ? "1" : "0");
    need(call, 1, 1);
    settable();
    const bool on = scpiBool(call.parameters[0]);
    m_setting.probes = static_cast<std::uint16_t>(on ? m_setting.probes | bit : m_setting.probes & ~bit);
    return std::string();
  });
  const auto deepest = [this] { return m_setting.format == SampleFormat::Packed ? kMemory / 2 : kDeepestRuns; };
  /// A setting that is a number: of a query with MIN or MAX, that.
  const auto number = [this, settable](const char* pattern, const char* unit, auto limits, auto get, auto set) {
    m_tree.add(pattern, Form::Both, [=](Call call) {
      const auto [least, most, usual] = limits();
      if (call.query)
        return fmt::format("{:.12G}",
                           call.parameters.empty() ? get() : scpiNumber(call.parameters[0], unit, least, most, usual));
      need(call, 1, 1);
      settable();
      set(scpiNumber(call.parameters[0], unit, least, most, usual));
      return std::string();
    });
  };
  using Limits = std::array<double, 3>;
  number(
      "[SENSe]:SAMPle:RATE", "HZ",
      [] {
        return Limits{kSlowest, kFastest, 10e6};
      },
      [this] { return m_setting.rate; }, [this](double rate) { m_setting.rate = rate; });
  number(
      "[SENSe]:SAMPle:DEPTh", "",
      [deepest] {
        return Limits{16, static_cast<double>(deepest()), 1e6};
      },
      [this] { return static_cast<double>(m_setting.depth); },
      [this](double depth) { m_setting.depth = static_cast<std::uint64_t>(depth); });
  number(
      "[SENSe]:SAMPle:PRETrigger", "PCT",
      [] {
        return Limits{0, 100, 10};
      },
      [this] { return m_setting.before * 100; }, [this](double percent) { m_setting.before = percent / 100; });
  m_tree.add("[SENSe]:SAMPle:STReam:RATE", Form::Query, [](Call) { return fmt::format("{:.12G}", kFastestStream); });
  m_tree.add("[SENSe]:SAMPle:MEMory", Form::Query, [](Call) { return std::to_string(kMemory); });
  m_tree.add("FORMat:[DATA]", Form::Both, [this, settable, deepest](Call call) {
    if (call.query)
      return shortOf(formatWords(), static_cast<std::size_t>(m_setting.format));
    need(call, 1, 1);
    settable();
    m_setting.format = static_cast<SampleFormat>(scpiWord(call.parameters[0], formatWords()));
    m_setting.depth = std::min(m_setting.depth, deepest());
    return std::string();
  });
}

unsigned Instrument::probeOf(const std::string& text) const
{
  return static_cast<unsigned>(scpiNumber(text, {}, 1, kProbes, 1)) - 1;
}

void Instrument::addTrigger()
{
  using Form = ScpiTree::Form;
  using Call = const ScpiTree::Call&;
  m_tree.add("TRIGger:SOURce", Form::Both, [this](Call call) {
    if (call.query)
      return shortOf(sourceWords(), static_cast<std::size_t>(m_setting.trigger.source));
    need(call, 1, 1);
    m_setting.trigger.source = static_cast<TriggerSetting::Source>(scpiWord(call.parameters[0], sourceWords()));
    return std::string();
  });
  m_tree.add("TRIGger:EDGE", Form::Both, [this](Call call) {
    TriggerSetting& t = m_setting.trigger;
    if (call.query)
      return fmt::format("{},{}", t.probe + 1, shortOf(slopeWords(), static_cast<std::size_t>(t.slope)));
    need(call, 2, 2);
    const auto slope = static_cast<TriggerSetting::Slope>(scpiWord(call.parameters[1], slopeWords()));
    t.probe = probeOf(call.parameters[0]);
    t.slope = slope;
    return std::string();
  });
  m_tree.add("TRIGger:LEVel", Form::Both, [this](Call call) {
    TriggerSetting& t = m_setting.trigger;
    if (call.query)
      return fmt::format("{},{}", t.probe + 1, shortOf(levelWords(), t.high ? 1 : 0));
    need(call, 2, 2);
    const bool high = scpiWord(call.parameters[1], levelWords()) == 1;
    t.probe = probeOf(call.parameters[0]);
    t.high = high;
    return std::string();
  });
  m_tree.add("TRIGger:PATTern", Form::Both, [this](Call call) {
    TriggerSetting& t = m_setting.trigger;
    if (call.query) {
      std::string pattern;
      for (std::size_t i = 0; i < kProbes; ++i)
        pattern += (t.mask >> i & 1U) == 0 ? 'X' : (t.value >> i & 1U) == 0 ? '0' : '1';
      return scpiQuoted(pattern);
    }
    need(call, 1, 1);
    const std::string pattern = scpiText(call.parameters[0]);
    if (pattern.size() != kProbes || pattern.find_first_not_of("01Xx") != std::string::npos)
      throw ScpiTree::Failure{{scpi::kIllegalValue, "sixteen of 0, 1 and X, channel 1 first"}};
    t.mask = t.value = 0;
    for (std::size_t i = 0; i < kProbes; ++i) {
      t.mask = static_cast<std::uint16_t>(t.mask | (pattern[i] == '0' || pattern[i] == '1' ? 1U << i : 0U));
      t.value = static_cast<std::uint16_t>(t.value | (pattern[i] == '1' ? 1U << i : 0U));
    }
    return std::string();
  });
  m_tree.add("TRIGger:WIDTh", Form::Both, [this](Call call) {
    TriggerSetting& t = m_setting.trigger;
    if (call.query)
      return fmt::format("{},{},{:.12G},{:.12G}", t.probe + 1, shortOf(levelWords(), t.high ? 1 : 0), t.shortest,
                         t.longest);
    need(call, 4, 4);
    constexpr double kLongest = 1e9;
    const bool high = scpiWord(call.parameters[1], levelWords()) == 1;
    const double shortest = scpiNumber(call.parameters[2], "S", 0, kLongest, 0);
    const double longest = scpiNumber(call.parameters[3], "S", 0, kLongest, kLongest);
    if (shortest > longest)
      throw ScpiTree::Failure{{scpi::kSettingsConflict, "the shortest is longer than the longest"}};
    t.probe = probeOf(call.parameters[0]);
    t.high = high;
    t.shortest = shortest;
    t.longest = longest;
    return std::string();
  });
}

void Instrument::addAcquisition()
{
  using Form = ScpiTree::Form;
  using Call = const ScpiTree::Call&;
  m_tree.add("ACQuire:MODE", Form::Both, [this](Call call) {
    if (call.query)
      return shortOf(modeWords(), m_setting.stream ? 1 : 0);
    need(call, 1, 1);
    if (isAcquiring())
      throw ScpiTree::Failure{{scpi::kSettingsConflict, "ABORt first"}};
    m_setting.stream = scpiWord(call.parameters[0], modeWords()) == 1;
    return std::string();
  });
  m_tree.add("INITiate:[IMMediate]", Form::Command, [this](Call) { return initiate(), std::string(); });
  m_tree.add("ABORt", Form::Command, [this](Call) {
    if (m_acquisition)
      m_acquisition->stop();
    return std::string();
  });
  m_tree.add("FETCh:STATus", Form::Query, [this](Call) {
    if (!m_acquisition)
      throw ScpiTree::Failure{{scpi::kDataStale, "INITiate first"}};
    const auto trigger = m_acquisition->trigger();
    return fmt::format("{},{},{},{}", m_acquisition->isDone() ? 1 : 0, m_acquisition->begin(), m_acquisition->end(),
                       trigger ? static_cast<std::int64_t>(*trigger) : -1);
  });
  m_tree.add("FETCh:[DATA]", Form::Query, [this](Call call) { return fetch(call); });
  m_tree.add("FETCh:STReam", Form::Query, [this](Call) {
    if (!isAcquiring() || !m_setting.stream)
      throw ScpiTree::Failure{{scpi::kSettingsConflict, "ACQuire:MODE STReam and INITiate first"}};
    m_streaming = m_firstBlock = true;
    return std::string();
  });
}

void Instrument::addOutput()
{
  m_tree.add("OUTPut:PATTern", ScpiTree::Form::Command, [this](const ScpiTree::Call& call) {
    need(call, 4, 4);
    if (!isAcquiring())
      throw ScpiTree::Failure{{scpi::kSettingsConflict, "INITiate first"}};
    const auto probes = [&call](std::size_t place) {
      return static_cast<std::uint16_t>(scpiNumber(call.parameters[place], {}, 0, 65535, 0));
    };
    WirePattern pattern;
    pattern.driven = probes(0);
    pattern.open = probes(1);
    pattern.length = static_cast<std::int64_t>(scpiNumber(call.parameters[2], "S", 0, 1, 0) * 1e12);
    pattern.steps = stepsOf(scpiText(call.parameters[3]));
    if (pattern.steps.back().time > pattern.length)
      throw ScpiTree::Failure{{scpi::kSettingsConflict, "a step is behind the pattern's end"}};
    if (!m_acquisition->drive(std::move(pattern)))
      throw ScpiTree::Failure{{scpi::kSettingsConflict, "too many patterns wait for the wires to rest"}};
    return std::string();
  });
}

std::string Instrument::fetch(const ScpiTree::Call& call)
{
  need(call, 2, 2);
  if (!m_acquisition || !m_acquisition->isDone() || m_setting.stream)
    throw ScpiTree::Failure{{scpi::kDataStale, "nothing was acquired"}};
  const auto begin = static_cast<double>(m_acquisition->begin());
  const auto end = static_cast<double>(m_acquisition->end());
  const auto first = static_cast<std::uint64_t>(scpiNumber(call.parameters[0], {}, begin, end, begin));
  const auto most = static_cast<std::uint64_t>(scpiNumber(call.parameters[1], {}, 1, 1e15, 1e15));
  return scpiBlock(m_acquisition->block(first, most));
}

}  // namespace bexto::rig
