#include "core/decode/sentence.h"

#include <fmt/core.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "core/base/say.h"
#include "core/decode/protocol.h"

namespace bexto {

std::string Sentence::text() const
{
  std::string all;
  for (const SentencePart& part : parts)
    all += part.text;
  return all;
}

void SentenceWriter::add(Tone tone, std::string text)
{
  if (!m_sentence.parts.empty() && m_sentence.parts.back().tone == tone)
    m_sentence.parts.back().text += text;
  else
    m_sentence.parts.push_back({tone, std::move(text)});
}

Sentence SentenceWriter::takeWithFaults(const std::string& faults)
{
  if (!faults.empty() && !m_sentence.parts.empty()) {
    const SentencePart lead{Tone::Fault, faults};
    m_sentence.parts.insert(m_sentence.parts.begin(), {lead, SentencePart{Tone::Plain, " · "}});
  }
  return std::move(m_sentence);
}

std::string rowOfBytes(std::span<const std::uint8_t> bytes, ValueFormat format, std::size_t most)
{
  std::string row;
  for (std::size_t i = 0; i < std::min(bytes.size(), most); ++i)
    row += (i == 0 ? "" : valueSeparator(format)) + valueText(bytes[i], 8, format);
  if (bytes.size() > most)
    row += " … " + counted(bytes.size(), kBytes);
  return row;
}

void FaultList::add(const std::string& text)
{
  if (!text.empty() && std::find(m_faults.begin(), m_faults.end(), text) == m_faults.end())
    m_faults.push_back(text);
}

void FaultList::addAllBut(FrameErrors saidElsewhere, const Bus& bus, Frame frame)
{
  frame.errors = static_cast<FrameErrors>(frame.errors & ~saidElsewhere);
  add(faultText(bus, frame));
}

std::string andThen(const std::string& meaning, const std::string& faults)
{
  return meaning.empty() ? say("then {}", faults) : say("{}; then {}", meaning, faults);
}

std::string FaultList::text() const
{
  return fmt::format("{}", fmt::join(m_faults, ", "));
}

namespace {

/// The transaction in the terms of its devices; frames that no sheet knows in the bus's own.
Sentence toldSentence(const Bus& bus, const Transactions& transactions, std::uint64_t number, std::size_t mostValues)
{
  const FrameRange range = transactions.framesOf(number);
  SentenceWriter writer;
  FaultList faults;
  faults.add(faultText(bus, transactions, number));  // with those of the devices
  std::uint64_t next = range.first;
  const auto part = [&writer] {
    if (!writer.empty())
      writer.add(Tone::Plain, " · ");
  };
  const auto plain = [&](std::uint64_t end) {
    if (bus.protocol().facts().framesAreValues)
      return;  // what is between messages is a transaction of its own
    const Transactions each = Transactions::eachFrame(transactions.frames());
    for (; next < end; ++next) {
      part();
      for (const SentencePart& p : bus.protocol().sentence(bus, each, next, mostValues).parts) {
        if (p.tone != Tone::Fault)
          writer.add(p.tone, p.text);
      }
    }
  };
  std::string device;
  for (const Told& told : transactions.meaning()->told(bus, transactions.frames(), range)) {
    plain(told.frames.first);
    next = std::max(next, told.frames.end);
    if (told.text.empty())
      continue;
    part();
    if (told.device != device)
      writer.add(Tone::Plain, told.device + " ");
    device = told.device;
    writer.add(Tone::Device, told.text);
  }
  plain(range.end);
  if (writer.empty())
    return bus.protocol().sentence(bus, transactions, number, mostValues);  // an empty line, for one
  return writer.takeWithFaults(faults.text());
}

Detail valueDetail(const ToldValue& value)
{
  Detail detail;
  detail.role = Role::Data;
  detail.name = shownName(value.name);
  detail.value = value.textWithUnit();
  detail.meaning = value.wrong;
  detail.wrong = !value.wrong.empty();
  detail.frame = value.frame;
  detail.field = value.firstByte;
  detail.isValue = true;
  return detail;
}

std::uint64_t valuesOf(const Bus& bus, const Transactions& transactions, FrameRange range)
{
  const auto& meaning = transactions.meaning();
  return meaning ? meaning->valueCount(bus, transactions.frames(), range) : 0;
}

}  // namespace

std::string shownName(std::string name)
{
  std::replace(name.begin(), name.end(), '_', ' ');
  return name;
}

Sentence sentenceOf(const Bus& bus, const Transactions& transactions, std::uint64_t number, std::size_t mostValues)
{
  if (transactions.meaning() && transactions.meaning()->says(transactions.framesOf(number)))
    return toldSentence(bus, transactions, number, mostValues);
  return bus.protocol().sentence(bus, transactions, number, mostValues);
}

std::uint64_t detailCount(const Bus& bus, const Transactions& transactions, std::uint64_t number)
{
  const FrameRange range = transactions.framesOf(number);
  const Protocol& protocol = bus.protocol();
  std::uint64_t count = valuesOf(bus, transactions, range);
  // No need to look at them.
  if (protocol.facts().framesAreValues)
    return count + range.count();
  for (std::uint64_t i = range.first; i < range.end; ++i)
    count += protocol.detailCount(bus, transactions.frames().frame(i));
  return count;
}

Detail detailAt(const Bus& bus, const Transactions& transactions, std::uint64_t number, std::uint64_t index)
{
  const FrameRange range = transactions.framesOf(number);
  const Protocol& protocol = bus.protocol();
  if (const std::uint64_t values = valuesOf(bus, transactions, range); index < values) {
    for (const Told& told : transactions.meaning()->told(bus, transactions.frames(), range)) {
      if (index < told.values.size())
        return valueDetail(told.values[static_cast<std::size_t>(index)]);
      index -= told.values.size();
    }
    return {};
  } else {
    index -= values;
  }
  std::uint64_t i = range.first;
  if (protocol.facts().framesAreValues) {
    i += index;
    index = 0;
  } else {
    for (; i + 1 < range.end; ++i) {
      const std::uint64_t count = protocol.detailCount(bus, transactions.frames().frame(i));
      if (index < count)
        break;
      index -= count;
    }
  }
  Detail detail = protocol.detail(bus, transactions.frames().frame(i), index);
  detail.frame = i;
  return detail;
}

const Field* fieldOf(const Anatomy& anatomy, const Detail& detail)
{
  for (const Field& field : anatomy.fields) {
    if (field.role == detail.role && field.ordinal == detail.field)
      return &field;
  }
  return nullptr;
}

std::string faultText(const Bus& bus, const Frame& frame)
{
  return frame.errors == 0 ? std::string() : bus.protocol().faultText(bus, frame);
}

std::string faultText(const Bus& bus, const Transactions& transactions, std::uint64_t number)
{
  const FrameRange range = transactions.framesOf(number);
  FaultList faults;
  for (std::uint64_t i = range.first; i < range.end; ++i)
    faults.add(faultText(bus, transactions.frames().frame(i)));
  // What devices must not say; most transactions say nothing of that sort.
  if (transactions.meaning() && transactions.meaning()->isFaulty(range)) {
    for (const Told& told : transactions.meaning()->told(bus, transactions.frames(), range)) {
      for (const std::string& fault : told.faults)
        faults.add(fault);
    }
  }
  return faults.text();
}

}  // namespace bexto
