#include "ui/ledger/ledger_rows.h"

#include <algorithm>

#include "core/decode/protocol.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

void LedgerRows::refresh()
{
  // What is open is known by the number of a transaction. After another decode that may be another one.
  struct Exception {
    StreamId source;
    Picoseconds begin;
  };
  std::vector<Exception> exceptions;
  for (const LedgerRow& row : m_lines.exceptions())
    exceptions.push_back({merged().sources()[row.source].id, merged().beginOf(row)});
  const std::shared_ptr<const LookupResult>& found = m_filter.result();
  std::vector<LedgerSource> sources = m_engine.listedSources();
  if (!m_filter.isIdle()) {
    if (found) {
      sources = found->sources;
    } else {
      // Nothing is known yet of what the filter shows.
      for (LedgerSource& source : sources)
        source.shown = std::make_shared<const LineSet>();
    }
  }
  if (m_only != BusId::None)
    std::erase_if(sources, [this](const LedgerSource& source) { return source.id.bus != m_only; });
  m_lines.forgetExceptions();
  m_lines.setRows(MergedRows(std::move(sources)));
  const bool openByForm = m_lines.form() != LedgerForm::Sentences;
  for (const Exception& e : exceptions) {
    for (std::size_t s = 0; s < merged().sources().size(); ++s) {
      const LedgerSource& source = merged().sources()[s];
      if (source.id != e.source)
        continue;
      const std::uint64_t number = source.firstFrom(e.begin);
      if (number < source.transactions.size() && source.beginOf(number) == e.begin)
        m_lines.setOpen({s, number}, !openByForm);
    }
  }
}

std::vector<const Protocol*> LedgerRows::protocols() const
{
  std::vector<const Protocol*> all;
  for (const LedgerSource& source : merged().sources()) {
    const Protocol* const protocol = &source.bus.protocol();
    if (std::find(all.begin(), all.end(), protocol) == all.end())
      all.push_back(protocol);
  }
  return all;
}

const Protocol* LedgerRows::protocol() const
{
  const std::vector<const Protocol*> all = protocols();
  return all.size() == 1 ? all.front() : nullptr;
}

std::vector<LedgerRows::Line> LedgerRows::visible(LedgerPlace first, std::size_t count, std::size_t mostValues) const
{
  std::vector<Line> out;
  if (first.row >= merged().size())
    return out;
  const bool bytes = m_lines.form() == LedgerForm::Bytes;
  // One row more in front: the first shown one needs its distance too.
  const std::uint64_t from = first.row == 0 ? 0 : first.row - 1;
  const std::vector<LedgerRow> rows = merged().rows(from, count + 2);
  for (std::uint64_t r = first.row; r - from < rows.size() && out.size() < count; ++r) {
    const LedgerRow row = rows[static_cast<std::size_t>(r - from)];
    const LedgerSource& source = merged().sources()[row.source];
    const Transactions& transactions = source.transactions;
    const std::uint64_t under = m_lines.detailCount(row);
    const bool fault = transactions.isFaulty(row.number);
    for (std::uint64_t d = r == first.row ? first.detail : 0; d <= under && out.size() < count; ++d) {
      Line line;
      line.row = row;
      line.bus = toQString(source.name());
      line.place = {r, d};
      line.isDetail = d > 0;
      line.fault = fault;
      line.begin = source.beginOf(row.number);
      if (bytes)
        line.bytes = byteLineAt(source.bus, transactions, row.number, m_lines.wrap(), d);
      if (d > 0 && !bytes) {
        line.detail = detailAt(source.bus, transactions, row.number, d - 1);
        line.fault = line.detail.wrong;
        line.begin = transactions.frames().frame(line.detail.frame).time.begin + source.offset;
      } else if (d == 0) {
        line.canOpen = !bytes;
        line.isOpen = line.canOpen && m_lines.isOpen(row);
        line.errorFrame = (transactions.frames().frame(transactions.framesOf(row.number).first).kind & kFaultKind) != 0;
        line.length = transactions.timeOf(row.number).length();
        if (!bytes)
          line.sentence = sentenceOf(source.bus, transactions, row.number, mostValues);
        if (r > 0)
          line.sincePrevious = line.begin - merged().beginOf(rows[static_cast<std::size_t>(r - from) - 1]);
      }
      out.push_back(std::move(line));
    }
  }
  return out;
}

LedgerCellContext LedgerRows::contextOf(LedgerRow row, std::uint64_t number) const
{
  LedgerCellContext context;
  context.source = &merged().sources().at(row.source);
  context.number = row.number;
  context.row = number;
  if (number > 0 && number < merged().size())
    context.before = merged().beginOf(merged().at(number - 1));
  return context;
}

Picoseconds LedgerRows::beginInSegment(LedgerPlace place) const
{
  const LedgerRow row = merged().at(place.row);
  return merged().sources()[row.source].transactions.beginOf(row.number);
}

std::optional<Selection> LedgerRows::selectionOf(LedgerRow row) const
{
  if (row.source >= merged().sources().size())
    return std::nullopt;
  const LedgerSource& source = merged().sources()[row.source];
  return ui::selectionOf(source.id, source.transactions, row.number);
}

Selection LedgerRows::selectionOf(LedgerPlace place) const
{
  const LedgerRow row = merged().at(place.row);
  Selection selection = *selectionOf(row);
  if (place.detail == 0)
    return selection;
  const LedgerSource& source = merged().sources()[row.source];
  if (m_lines.form() == LedgerForm::Bytes) {
    const ByteLine line = byteLineAt(source.bus, source.transactions, row.number, m_lines.wrap(), place.detail);
    selection.frame = line.frame;
    selection.at = source.transactions.frames().frame(line.frame).time.begin;
    return selection;
  }
  const Detail detail = detailAt(source.bus, source.transactions, row.number, place.detail - 1);
  selection.frame = detail.frame;
  selection.at = momentOf(row.source, detail);
  return selection;
}

Picoseconds LedgerRows::momentOf(std::size_t source, const Detail& detail) const
{
  const LedgerSource& listed = merged().sources()[source];
  const Frame frame = listed.transactions.frames().frame(detail.frame);
  const StreamView* const stream = m_engine.find(listed.id);
  if (listed.bus.protocol().facts().framesAreValues || stream == nullptr ||
      detail.frame >= stream->transactions.frames().size())
    return frame.time.begin;
  const Bus& bus = m_engine.find(listed.id.bus)->shown;
  if (bus != listed.bus)
    return frame.time.begin;
  const Anatomy anatomy = anatomyOf(bus, stream->input, stream->transactions.frames(), detail.frame);
  // A frame's first line is the frame: its place is where that begins.
  const Field* const field = fieldOf(anatomy, detail);
  const bool inside = field != nullptr && field->role != Role::Address;
  return inside ? field->time.begin + field->time.length() / 2 : frame.time.begin;
}

std::size_t LedgerRows::sourceOf(const Selection& selection) const
{
  const std::vector<LedgerSource>& sources = merged().sources();
  const auto found = std::find_if(sources.begin(), sources.end(),
                                  [&](const LedgerSource& source) { return source.id == selection.stream; });
  return static_cast<std::size_t>(found - sources.begin());
}

bool LedgerRows::holds(const Selection& selection) const
{
  const std::size_t source = sourceOf(selection);
  return source < merged().sources().size() &&
         selection.frame < merged().sources()[source].transactions.frames().size();
}

bool LedgerRows::shows(const Selection& selection) const
{
  return holds(selection) && merged().isShown(rowOf(selection));
}

LedgerRow LedgerRows::rowOf(const Selection& selection) const
{
  const std::size_t source = sourceOf(selection);
  return {source, merged().sources().at(source).transactions.transactionOf(selection.frame)};
}

LedgerPlace LedgerRows::placeOf(const Selection& selection) const
{
  return {merged().rowOf(rowOf(selection)), 0};
}

}  // namespace bexto::ui
