// Tested by tests/core/check_test.cpp and tests/core/check_writer_test.cpp.
#include "core/check/sheet_check.h"

#include <algorithm>

#include "core/base/say.h"
#include "core/decode/protocol.h"
#include "core/device/sheet.h"

namespace bexto {

namespace {

constexpr std::uint64_t kBlock = 8192;

/// One sort of what a sheet excludes: all are counted, and of each stream the first places are kept.
class Excluded {
 public:
  void add(TalkPlace place)
  {
    const TimeRange time = place.place.time;
    m_tally.add(1, time.begin.count(), time.end.count());
    ++m_count;
    m_ofStream = place.source == m_stream ? m_ofStream + 1 : 1;
    m_stream = place.source;
    if (m_ofStream <= Tally::kPlaces)
      m_places.push_back(std::move(place));
  }

  /// `said`: all that the device said, of which the first was then.
  TalkResult result(const std::string& device, const char* name, std::string meaning, std::uint64_t said,
                    TimeRange first)
  {
    TalkResult result;
    RuleResult& rule = result.rule;
    rule.rule = name;
    rule.book = device;
    rule.clause = say("sheet of {}", device);
    rule.meaning = std::move(meaning);
    rule.sort = RuleSort::Sheet;
    rule.unit = "count";
    rule.limits = m_tally.limits();
    if (said > m_count)
      m_tally.addMany(0.0, said - m_count, first);
    m_tally.settle();
    takeTally(m_tally, rule);
    std::stable_sort(m_places.begin(), m_places.end(),
                     [](const TalkPlace& a, const TalkPlace& b) { return a.place.time.begin < b.place.time.begin; });
    m_places.resize(std::min(m_places.size(), Tally::kPlaces));
    result.places = std::move(m_places);
    return result;
  }

 private:
  Tally m_tally{MeasureUnit::Count, Limits{{}, 0.0}, 0.0};
  std::uint64_t m_count = 0;
  std::size_t m_stream = 0;
  std::size_t m_ofStream = 0;
  std::vector<TalkPlace> m_places;
};

/// What the sheet of a device can exclude, and what it did.
struct OfSheet {
  std::shared_ptr<const Sheet> sheet;
  std::vector<std::string> speakers;  ///< its name, and those of who says its messages
  std::uint64_t said = 0;
  TimeRange first{kNever, kNever};
  Excluded sums;
  Excluded silences;
  Excluded others;

  bool isOf(const std::string& speaker) const
  {
    // A station is told behind its device: "sonar upper".
    return speaker.starts_with(sheet->device + " ") ||
           std::find(speakers.begin(), speakers.end(), speaker) != speakers.end();
  }
  bool hasChecksum() const
  {
    return sheet->checksum || sheet->packetError ||
           std::any_of(sheet->messages.begin(), sheet->messages.end(),
                       [](const SheetMessage& m) { return m.checksum; });
  }
  bool hasAnswers() const
  {
    return std::any_of(sheet->messages.begin(), sheet->messages.end(),
                       [](const SheetMessage& m) { return !m.answers.empty(); });
  }
};

std::vector<OfSheet> sheetsOf(const Bus& bus)
{
  std::vector<OfSheet> sheets;
  for (const SheetText& text : bus.sheets.list()) {
    OfSheet one;
    one.sheet = readSheet(text.text).sheet;
    if (!one.sheet || one.sheet->protocol != bus.protocol().name())
      continue;
    one.speakers.push_back(one.sheet->device);
    for (const SheetMessage& message : one.sheet->messages)
      one.speakers.push_back(message.from);
    for (const SheetTransport& transport : one.sheet->transports)
      one.speakers.push_back(transport.from);
    std::erase(one.speakers, std::string());
    sheets.push_back(std::move(one));
  }
  return sheets;
}

void countSaid(const Bus& bus, const Transactions& lines, TimeRange span, OfSheet& sheet)
{
  MeaningQuestion question;
  question.of = MeaningQuestion::Of::Device;
  question.words = {sheet.sheet->device};
  const auto test = lines.meaning()->test(bus, question);
  std::vector<std::uint32_t> block;
  std::vector<std::uint32_t> kept;
  const std::uint64_t end = lines.firstFrom(span.end);
  for (std::uint64_t first = lines.firstFrom(span.begin); first < end; first += kBlock) {
    block.resize(static_cast<std::size_t>(std::min(kBlock, end - first)));
    for (std::size_t i = 0; i < block.size(); ++i)
      block[i] = static_cast<std::uint32_t>(i);
    kept.clear();
    test->keep(lines, first, block, kept);
    sheet.said += kept.size();
    if (!kept.empty() && lines.beginOf(first + kept.front()) < sheet.first.begin)
      sheet.first = lines.timeOf(first + kept.front());
  }
}

TalkPlace placeOf(std::size_t source, std::uint64_t line, const Transactions& lines, const Told& told)
{
  TalkPlace place;
  place.source = source;
  place.line = line;
  place.place.time = {lines.frames().frame(told.frames.first).time.begin,
                      lines.frames().frame(std::max(told.frames.end, told.frames.first + 1) - 1).time.end};
  place.place.value = 1.0;
  place.place.room = -1.0;
  place.place.judgement = Judgement::Fail;
  for (const std::string& fault : told.faults)
    place.what += (place.what.empty() ? told.device + ": " : ", ") + fault;
  return place;
}

}  // namespace

std::vector<TalkResult> checkSheets(const CheckInput& input)
{
  std::vector<OfSheet> sheets = sheetsOf(input.bus);
  for (std::size_t s = 0; s < input.talk.size(); ++s) {
    const Transactions& lines = input.talk[s].transactions;
    const auto& meaning = lines.meaning();
    if (!meaning)
      continue;
    for (OfSheet& sheet : sheets)
      countSaid(input.bus, lines, input.span, sheet);
    for (const std::uint32_t frame : meaning->faulty(0)) {
      const std::uint64_t line = lines.transactionOf(frame);
      if (!input.span.contains(lines.beginOf(line)))
        continue;
      for (const Told& told : meaning->told(input.bus, lines.frames(), {frame, std::uint64_t{frame} + 1})) {
        if (told.faults.empty() || told.frames.first != frame)
          continue;
        const auto sheet =
            std::find_if(sheets.begin(), sheets.end(), [&](const OfSheet& one) { return one.isOf(told.device); });
        if (sheet != sheets.end())
          (told.wrongSum     ? sheet->sums
           : told.unanswered ? sheet->silences
                             : sheet->others)
              .add(placeOf(s, line, lines, told));
      }
    }
  }
  std::vector<TalkResult> results;
  for (OfSheet& one : sheets) {
    const std::string& device = one.sheet->device;
    if (one.hasChecksum())
      results.push_back(one.sums.result(device, "checksum", say("the checksum of its messages"), one.said, one.first));
    if (one.hasAnswers())
      results.push_back(one.silences.result(device, "answer", say("an answer to each request"), one.said, one.first));
    results.push_back(one.others.result(device, "sheet", say("what its sheet says"), one.said, one.first));
  }
  return results;
}

}  // namespace bexto
