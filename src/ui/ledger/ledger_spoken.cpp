// The Ledger for those who do not see it: its rows with the cells of the columns that are shown.
#include <limits>

#include "ui/ledger/ledger_header.h"
#include "ui/ledger/ledger_view.h"
#include "ui/text/text.h"

namespace bexto::ui {

namespace {

int rowNumber(std::uint64_t n)
{
  return static_cast<int>(std::min<std::uint64_t>(n, std::numeric_limits<int>::max()));
}

}  // namespace

int LedgerView::spokenRows() const
{
  return rowNumber(m_rows.shownCount());
}

int LedgerView::spokenColumns() const
{
  return static_cast<int>(m_header->columns().size());
}

QString LedgerView::spokenHead(int column) const
{
  const LedgerColumn which = m_header->columns().at(static_cast<std::size_t>(column));
  return m_header->model()->headerData(static_cast<int>(which), Qt::Horizontal).toString();
}

QString LedgerView::spokenText(int row, int column) const
{
  constexpr std::size_t kMostValues = 64;
  const auto number = static_cast<std::uint64_t>(row);
  const LedgerColumn which = m_header->columns().at(static_cast<std::size_t>(column));
  LedgerCellContext context = m_rows.contextOf(m_rows.merged().at(number), number);
  context.zero = zeroTime().value_or(Picoseconds{0});
  QString text = toQString(cellOf(which, context, kMostValues).text);
  if (which == LedgerColumn::Transaction && context.source->transactions.isFaulty(context.number))
    text = tr("faulty, %1").arg(text);
  if (which == LedgerColumn::Transaction &&
      isSent(context.source->sent.get(), context.source->transactions.beginOf(context.number)))
    text = tr("sent, %1").arg(text);
  return text;
}

QRect LedgerView::spokenRect(int row, int column) const
{
  const QRect line = lineRect({static_cast<std::uint64_t>(row), 0});
  if (line.isEmpty())
    return {};
  const QRect cell =
      m_header->rectOf(m_header->columns().at(static_cast<std::size_t>(column)), line.top(), line.height());
  return cell.translated(viewport()->pos());
}

int LedgerView::firstSpokenInView() const
{
  return rowNumber(m_top.row + (m_top.detail > 0 ? 1 : 0));
}

int LedgerView::spokenCurrent() const
{
  return m_rows.lines().empty() || !m_focus.selection().valid() ? -1 : rowNumber(m_current.row);
}

void LedgerView::pickSpoken(int row)
{
  pickRow(static_cast<std::uint64_t>(row));
}

}  // namespace bexto::ui
