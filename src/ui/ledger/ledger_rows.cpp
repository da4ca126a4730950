#include "ui/ledger/ledger_rows.h"

#include <algorithm>

#include "ui/theme/theme.h"

namespace bexto::ui {

void LedgerRows::refresh()
{
  struct Open {
    std::string source;
    Picoseconds begin;
  };
  std::vector<Open> open;
  for (const auto& [row, details] : m_lines.openRows()) {
    const LedgerRow at = m_merged.at(row);
    open.push_back({m_sourceNames[at.source], m_merged.sources()[at.source].beginOf(at.number)});
  }
  m_merged = m_document.mergedRows();
  m_addresses = m_document.streamAddresses();
  m_sourceNames.clear();
  for (const Document::StreamAddress& a : m_addresses) {
    const BusView& view = m_document.bus(a.bus);
    m_sourceNames.push_back(view.shown.name + "/" + view.streams[static_cast<std::size_t>(a.stream)].line);
  }
  m_lines.closeAll();
  m_lines.setRowCount(m_merged.size());
  for (const Open& o : open) {
    const auto found = std::find(m_sourceNames.begin(), m_sourceNames.end(), o.source);
    if (found == m_sourceNames.end())
      continue;
    const auto source = static_cast<std::size_t>(found - m_sourceNames.begin());
    const Transactions& transactions = m_merged.sources()[source];
    const std::uint64_t number = transactions.firstFrom(o.begin);
    if (number < transactions.size() && transactions.beginOf(number) == o.begin)
      m_lines.open(m_merged.rowOf({source, number}), detailCount(viewOf(source).shown, transactions, number));
  }
}

std::vector<LedgerSource> LedgerRows::sources() const
{
  std::vector<LedgerSource> sources;
  for (const Document::StreamAddress& a : m_addresses) {
    const BusView& view = m_document.bus(a.bus);
    const bool several = view.streams.size() > 1;
    sources.push_back({view.shown, several ? view.streams[static_cast<std::size_t>(a.stream)].line : std::string()});
  }
  return sources;
}

std::vector<LedgerRows::Line> LedgerRows::visible(std::uint64_t first, std::size_t count, std::size_t mostValues) const
{
  std::vector<Line> out;
  if (first >= m_lines.size())
    return out;
  const std::uint64_t firstRow = m_lines.at(first).row;
  const std::vector<LedgerSource> names = sources();
  // One row more in front: the first shown one needs its distance too.
  const std::uint64_t from = firstRow == 0 ? 0 : firstRow - 1;
  const std::vector<LedgerRow> rows = m_merged.rows(from, count + 2);
  for (std::uint64_t l = first; l < m_lines.size() && out.size() < count; ++l) {
    const LedgerLines::Line at = m_lines.at(l);
    const LedgerRow row = rows[static_cast<std::size_t>(at.row - from)];
    const Transactions& transactions = m_merged.sources()[row.source];
    const BusView& view = viewOf(row.source);
    Line line;
    line.row = row;
    line.isDetail = at.detail > 0;
    line.begin = transactions.beginOf(row.number);
    line.bus = toQString(names[row.source].bus.name);
    if (!names[row.source].line.empty())
      line.bus += QLatin1Char(' ') + toQString(names[row.source].line).toUpper();
    if (line.isDetail) {
      line.detail = detailAt(view.shown, transactions, row.number, at.detail - 1);
      line.fault = line.detail.wrong;
      line.begin = transactions.frames().frame(line.detail.frame).time.begin;
    } else {
      line.isOpen = m_lines.isOpen(at.row);
      line.fault = transactions.isFaulty(row.number);
      line.errorFrame = transactions.frames().frame(transactions.framesOf(row.number).first).kind == FrameKind::Error;
      line.length = transactions.timeOf(row.number).length();
      line.sentence = sentenceOf(view.shown, transactions, row.number, mostValues);
      if (at.row > 0) {
        const LedgerRow before = rows[static_cast<std::size_t>(at.row - from) - 1];
        line.sincePrevious = line.begin - m_merged.sources()[before.source].beginOf(before.number);
      }
    }
    out.push_back(std::move(line));
  }
  return out;
}

Selection LedgerRows::selectionOf(std::uint64_t line) const
{
  const LedgerLines::Line at = m_lines.at(line);
  const LedgerRow row = m_merged.at(at.row);
  const Transactions& transactions = m_merged.sources()[row.source];
  const Document::StreamAddress address = m_addresses[row.source];
  // Of a faulty transaction the faulty frame: that is what people come for.
  const FrameRange range = transactions.framesOf(row.number);
  std::uint64_t frame = range.first;
  while (frame + 1 < range.end && transactions.frames().frame(frame).errors == 0)
    ++frame;
  if (transactions.frames().frame(frame).errors == 0)
    frame = range.first;
  Picoseconds moment = transactions.frames().frame(frame).time.begin;
  if (at.detail > 0) {
    const BusView& view = viewOf(row.source);
    const Detail detail = detailAt(view.shown, transactions, row.number, at.detail - 1);
    frame = detail.frame;
    moment = transactions.frames().frame(frame).time.begin;
    if (view.shown.protocol() != Protocol::Uart) {
      const StreamView& stream = view.streams[static_cast<std::size_t>(address.stream)];
      const Anatomy anatomy = anatomyOf(view.shown, stream.input, transactions.frames(), frame);
      // A frame's first line is the frame: its place is where that begins.
      const Field* const field = fieldOf(anatomy, detail);
      if (field != nullptr && field->role != Role::Address)
        moment = field->time.begin + field->time.length() / 2;
    }
  }
  return {address.bus, address.stream, frame, moment};
}

std::size_t LedgerRows::sourceOf(const Selection& selection) const
{
  const auto found = std::find_if(m_addresses.begin(), m_addresses.end(), [&](const Document::StreamAddress& a) {
    return a.bus == selection.bus && a.stream == selection.stream;
  });
  return static_cast<std::size_t>(found - m_addresses.begin());
}

bool LedgerRows::holds(const Selection& selection) const
{
  const std::size_t source = sourceOf(selection);
  return source < m_addresses.size() && selection.frame < m_merged.sources()[source].frames().size();
}

std::uint64_t LedgerRows::lineOf(const Selection& selection) const
{
  const std::size_t source = sourceOf(selection);
  const Transactions& transactions = m_merged.sources().at(source);
  return m_lines.lineOf(m_merged.rowOf({source, transactions.transactionOf(selection.frame)}));
}

bool LedgerRows::setOpen(std::uint64_t line, bool open)
{
  const std::uint64_t row = m_lines.at(line).row;
  if (m_lines.isOpen(row) == open)
    return false;
  if (!open) {
    m_lines.close(row);
    return true;
  }
  const LedgerRow at = m_merged.at(row);
  m_lines.open(row, detailCount(viewOf(at.source).shown, m_merged.sources()[at.source], at.number));
  return true;
}

void LedgerRows::toggle(std::uint64_t line)
{
  setOpen(line, !m_lines.isOpen(m_lines.at(line).row));
}

}  // namespace bexto::ui
