// What people are told of traffic, on record: sentences, lines, cells, terms, fields and bits of every sample, and of
// the lock cycle with its devices. Other tests say what has to be; these see that nothing else changes.
#include "core/check/check.h"
#include "core/decode/sentence.h"
#include "core/device/bus_devices.h"
#include "core/device/device_history.h"
#include "core/device/value_series.h"
#include "core/export/check_writer.h"
#include "core/format/vcd_reader.h"
#include "core/query/complete.h"
#include "core/query/query.h"
#include "core/query/scan.h"
#include "core/view/bus_lane.h"
#include "core/view/device_table.h"
#include "core/view/ledger_cells.h"
#include "core/view/overview.h"
#include "core/view/related.h"
#include "support/checks.h"
#include "support/kept_text.h"
#include "support/lock_cycle.h"
#include "support/samples.h"
#include "support/told.h"

using namespace bexto;
using namespace bexto::test;

namespace {

/// The first of a stream, and the first with a fault.
std::vector<std::uint64_t> someOf(const LedgerSource& source, std::size_t clear, std::size_t faulty)
{
  std::vector<std::uint64_t> some;
  std::size_t seen = 0;
  for (std::uint64_t i = 0; i < source.transactions.size() && seen < faulty; ++i) {
    const bool bad = !faultText(source.bus, source.transactions, i).empty();
    if (i < clear || bad)
      some.push_back(i);
    seen += bad && i >= clear ? 1 : 0;
  }
  return some;
}

const std::vector<std::string>& cycleBuses()
{
  static const std::vector<std::string> kNames = [] {
    std::vector<std::string> names;
    for (const std::string& spec : rig::lockCycleBuses())
      names.push_back(parseBusSpec(spec)->name);
    return names;
  }();
  return kNames;
}

}  // namespace

class SaidOfSample : public testing::TestWithParam<std::string> {};

TEST_P(SaidOfSample, IsOnRecord)
{
  const std::string base = std::string(BEXTO_TEST_DATA) + "/" + GetParam();
  NoProgress none;
  const auto capture = readVcd(base + ".vcd", std::stop_token(), none);
  ASSERT_TRUE(capture) << capture.error().text();
  std::ifstream specs(base + ".cmd");
  std::string text;
  for (std::string spec; std::getline(specs, spec);) {
    if (spec.empty())
      continue;
    const auto resolved = resolveBus(*parseBusSpec(spec), *capture);
    ASSERT_TRUE(resolved) << resolved.error().text();
    for (const BusStream& stream : resolved->streams) {
      const StreamInput input = inputOf(*capture, stream);
      const LedgerSource source{resolved->bus, stream.line,
                                Transactions(resolved->bus, decodeAll(resolved->bus, input)), nullptr,
                                resolved->streams.size() > 1};
      text += "== " + spec + " " + stream.line + ": " + std::to_string(source.transactions.size()) + "\n";
      bool withBits = true;
      for (const std::uint64_t number : someOf(source, 3, 3)) {
        text += told(source, number, withBits, input);
        withBits = number + 1 >= 3;  // the first, and those with a fault
      }
      // As a lane shows it, near and far.
      for (const int pixels : {300, 6000}) {
        const TimeAxis axis({Picoseconds{0}, capture->end}, pixels);
        const BusLane lane =
            busLane(resolved->bus, input, source.transactions, faultyFrames(source.transactions), axis);
        text += "lane " + std::to_string(lane.sentences.size()) + " " + std::to_string(lane.fields.size()) + " " +
                std::to_string(lane.bits.size()) + "\n";
      }
    }
  }
  expectKept("said/" + GetParam() + ".txt", text);
}

INSTANTIATE_TEST_SUITE_P(Data, SaidOfSample, testing::ValuesIn(sampleNames()),
                         [](const auto& info) { return info.param; });

class SaidOfCycle : public testing::TestWithParam<std::string> {};

TEST_P(SaidOfCycle, IsOnRecord)
{
  const Bus asked = lockCycleBus(GetParam());
  const auto resolved = resolveBus(asked, lockCycle().capture);
  ASSERT_TRUE(resolved) << resolved.error().text();
  std::string text;
  std::vector<Transactions> lines;
  for (const BusStream& stream : resolved->streams)
    lines.emplace_back(resolved->bus, decodeAll(resolved->bus, inputOf(lockCycle().capture, stream)));
  Transactions::putTogether(resolved->bus, lines);
  const auto devices = std::dynamic_pointer_cast<const BusDevices>(describerOf(resolved->bus));
  std::vector<DeviceHistory> histories;
  for (std::size_t s = 0; s < lines.size(); ++s) {
    const std::string line = s < resolved->streams.size() ? resolved->streams[s].line : "parts";
    const LedgerSource source{resolved->bus, line, lines[s], nullptr, lines.size() > 1};
    text += "== " + line + ": " + std::to_string(source.transactions.size()) + "\n";
    const StreamInput input =
        inputOf(lockCycle().capture, resolved->streams[std::min(s, resolved->streams.size() - 1)]);
    for (const std::uint64_t number : someOf(source, 6, 4))
      text += told(source, number, false, input);
    if (const auto history = DeviceHistory::make(resolved->bus, lines[s], {}, std::stop_token());
        history && !history->empty())
      histories.push_back(*history);
    for (const DeviceValue& value : devices ? numericValues(*devices) : std::vector<DeviceValue>()) {
      const auto series = ValueSeries::make(resolved->bus, lines[s], value, {}, std::stop_token());
      if (!series || series->size() == 0)
        continue;
      text += "series " + value.device + "." + value.subject + "." + value.value + " " +
              std::to_string(series->size()) + ":";
      for (std::uint64_t i = 0; i < series->size(); i += std::max<std::uint64_t>(1, series->size() / 5))
        text += " " + std::to_string(series->at(i).at.count()) + "=" + std::to_string(series->at(i).value);
      text += "\n";
    }
  }
  for (std::size_t sheet = 0; devices && sheet < devices->sheets().size() && !histories.empty(); ++sheet) {
    text += "== device " + std::to_string(sheet) + "\n";
    for (const DeviceRow& row :
         deviceRows(histories, sheet, Picoseconds(std::chrono::seconds(4)), Picoseconds(std::chrono::seconds(3))))
      text += (row.field ? "    " : "  ") + row.name + " = " + clean(row.value) +
              (row.wrong.empty() ? "" : " ! " + row.wrong) +
              (row.seen ? " at " + std::to_string(row.at.count()) : " unseen") + (row.written ? " written" : "") +
              (row.isRegister ? " register" : "") + (row.changed ? " changed" : "") + "\n";
  }
  // And how it is judged.
  const BusCheck check = checked(asked, lockCycle().capture);
  text += "== check\n" + checkText(CheckFormat::Text, {}, {{&asked, &check}}) + "== check, rules as a table\n";
  const std::vector<std::string> table = linesIn(checkText(CheckFormat::Csv, {}, {{&asked, &check}}));
  for (std::size_t i = 0; i < std::min<std::size_t>(table.size(), 60); ++i)
    text += table[i] + "\n";
  for (const Remark& remark : check.remarks)
    text += "remark " + remark.what + " " + span(remark.time) + "\n";
  for (const RuleResult& rule : check.rules) {
    text += "rule " + rule.rule + " (" + rule.meaning + "; " + rule.clause + ") " + limitsText(rule) + " groups";
    for (const RuleGroup& group : rule.groups)
      text += " " + group.name + ":" + std::to_string(group.spread.count);
    text += "\n";
  }
  expectKept("said/cycle_" + GetParam() + ".txt", text);
}

INSTANTIATE_TEST_SUITE_P(Data, SaidOfCycle, testing::ValuesIn(cycleBuses()),
                         [](const auto& info) { return info.param; });

TEST(SaidOfQueries, IsOnRecord)
{
  std::vector<Bus> buses;
  for (const std::string& name : cycleBuses())
    buses.push_back(lockCycleBus(name));
  const QueryNames names = namesOf(buses);
  std::string text;
  for (const char* const query : {"",
                                  "nack",
                                  "address:2A",
                                  "address:2A,5D read",
                                  "not nack",
                                  "nack or error",
                                  "nack and (read or write)",
                                  "from nack",
                                  "id:100-1FF",
                                  "id:>=100",
                                  "id<=7F",
                                  "id:1??",
                                  "byte0:03",
                                  "byte2:>=0x10",
                                  "byte1:0d16",
                                  "data:01 7C",
                                  "data:\"01 ?? 5F\"",
                                  "data:01*",
                                  "text:ready",
                                  "text:\"gate controller\"",
                                  "\"gate\"",
                                  "error:crc",
                                  "error:crc,stuff",
                                  "error",
                                  "bus:drives",
                                  "bus:sensors,console nack",
                                  "time>=1.5",
                                  "time:1..2",
                                  "time<300ms",
                                  "length>100us",
                                  "size>=8",
                                  "size:0",
                                  "kind:remote",
                                  "fd brs",
                                  "rtr",
                                  "level>50",
                                  "state:moving",
                                  "device:LT-20",
                                  "fault",
                                  "subject:level",
                                  "level:1..20 or level>90",
                                  "from (level>50) not read",
                                  "not (a or",
                                  "address:zz",
                                  "nosuch:1",
                                  "byte300:1",
                                  "id:",
                                  "id:5-",
                                  "time:x",
                                  "time:1..",
                                  "()",
                                  "or",
                                  "not",
                                  "from",
                                  "bus:nobody",
                                  "error:nosuch",
                                  "\"open",
                                  "address:1..G",
                                  "level:abc",
                                  "device:",
                                  "kind:nosuch",
                                  "data:0",
                                  "data:GG",
                                  "text:",
                                  "size:-1",
                                  "length<1 parsec",
                                  "a b c",
                                  "id==5",
                                  "id!=5",
                                  "id=5",
                                  "byte0!=3",
                                  "NACK",
                                  "Address:2a",
                                  "read write",
                                  "(nack)",
                                  "((nack) or read)",
                                  "answer>1ms",
                                  "unanswered",
                                  "value:41",
                                  "value:'A'",
                                  "addr:2A",
                                  "not not nack"}) {
    const auto parsed = Query::parse(query, names);
    text += "== " + std::string(query) + "\n";
    if (!parsed) {
      text += parsed.error().text() + " @" + std::to_string(parsed.error().at.begin) + ".." +
              std::to_string(parsed.error().at.end) + "\n";
      continue;
    }
    text += parsed->explanation() + "\n";
    for (const TextSpan& term : parsed->topTerms())
      text += "  term " + std::to_string(term.begin) + ".." + std::to_string(term.end) + "\n";
  }
  Occurring occurring;
  std::vector<LedgerSource> sources;
  for (const Bus& bus : buses) {
    const auto resolved = resolveBus(bus, lockCycle().capture);
    ASSERT_TRUE(resolved);
    for (const BusStream& stream : resolved->streams)
      countOccurring(resolved->bus,
                     Transactions(resolved->bus, decodeAll(resolved->bus, inputOf(lockCycle().capture, stream))),
                     occurring);
  }
  for (const std::string& name : cycleBuses())
    occurring.byKey["bus"].push_back({name, 0});
  sortOccurring(occurring);
  for (const char* const typed : {"", "a", "addr", "address:", "address:2", "nack an", "id:", "bus:", "bus:s",
                                  "error:", "not ", "(re", "byte", "kind:", "xyz", "address:2A,", "time"}) {
    const Completions offered = completionsAt(typed, std::string_view(typed).size(), occurring);
    text += "== completed: " + std::string(typed) + " " + std::to_string(offered.replaces.begin) + ".." +
            std::to_string(offered.replaces.end) + "\n";
    for (std::size_t i = 0; i < std::min<std::size_t>(offered.items.size(), 30); ++i)
      text += "  " + offered.items[i].insert + " : " + offered.items[i].help + "\n";
  }
  expectKept("said/queries.txt", text);
}
