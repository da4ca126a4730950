#include "ui/window/list_pages.h"

#include <QPainter>
#include <QPrinter>

#include "core/decode/sentence.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

/// Paper is white, and the widths of a screen do not suit it: columns get shares of the page by what they hold.
int shareOf(LedgerColumn column)
{
  switch (column) {
    case LedgerColumn::Transaction:
      return 48;
    case LedgerColumn::Payload:
    case LedgerColumn::Text:
      return 24;
    case LedgerColumn::Time:
      return 15;
    case LedgerColumn::SincePrevious:
    case LedgerColumn::Duration:
    case LedgerColumn::Answer:
      return 13;
    case LedgerColumn::Number:
    case LedgerColumn::Size:
      return 6;
    case LedgerColumn::Bus:
    case LedgerColumn::Address:
    case LedgerColumn::Kind:
    case LedgerColumn::Faults:
      break;
  }
  return 10;
}

}  // namespace

ListPages::ListPages(LedgerList list, QString title)
    : m_list(std::move(list)), m_title(std::move(title)), m_words(theme().words()), m_data(theme().data())
{
  m_words.setPointSizeF(7.5);
  m_data.setPointSizeF(7.5);
}

ListPages::End ListPages::paintOn(QPrinter& printer, const GoOn& goOn) const
{
  const MergedRows& rows = m_list.lines.rows();
  QPainter p(&printer);
  p.setFont(m_data);
  const QRect page = printer.pageLayout()
                         .paintRectPixels(printer.resolution())
                         .translated(-printer.pageLayout().paintRectPixels(printer.resolution()).topLeft());
  const int line = p.fontMetrics().height() * 13 / 10;
  const int linesAPage = std::max(1, (page.height() - 3 * line) / line);
  int shares = 0;
  for (const LedgerColumn column : m_list.columns)
    shares += shareOf(column);
  int printed = 0;
  int pages = 0;
  std::optional<Picoseconds> before;
  const auto head = [&] {
    ++pages;
    p.setFont(m_words);
    p.setPen(Qt::black);
    p.drawText(QRect(0, 0, page.width(), line), Qt::AlignLeft | Qt::AlignVCenter, m_title);
    p.drawText(QRect(0, 0, page.width(), line), Qt::AlignRight | Qt::AlignVCenter, QString::number(pages));
    int x = 0;
    for (const LedgerColumn column : m_list.columns) {
      const int width = page.width() * shareOf(column) / shares;
      p.drawText(QRect(x, line * 3 / 2, width - 4, line), Qt::AlignLeft | Qt::AlignVCenter,
                 toQString(say(specOf(column).label)));
      x += width;
    }
    p.drawLine(0, line * 5 / 2, page.width(), line * 5 / 2);
  };
  std::uint64_t number = 0;
  const auto place = [&] {
    if (printed > 0 && printed % linesAPage == 0) {
      if (goOn && !goOn(pages, static_cast<double>(number) / static_cast<double>(rows.size()))) {
        printer.abort();
        return End::GivenUp;
      }
      if (pages == kMostPages || !printer.newPage())
        return End::TooMany;
      head();
    }
    return End::Whole;
  };
  head();
  constexpr std::size_t kBatch = 512;
  for (std::uint64_t first = 0; first < rows.size(); first += kBatch) {
    for (const LedgerRow& row : rows.rows(first, kBatch)) {
      if (const End end = place(); end != End::Whole)
        return end;
      const LedgerSource& source = rows.sources()[row.source];
      const LedgerCellContext context{&source, row.number, number++, before, m_list.zero};
      int x = 0;
      int y = 3 * line + printed % linesAPage * line;
      p.setFont(m_data);
      for (const LedgerColumn column : m_list.columns) {
        const int width = page.width() * shareOf(column) / shares;
        QString text = toQString(cellOf(column, context, 64).text);
        if (column == LedgerColumn::Transaction && source.transactions.isFaulty(row.number))
          text = QStringLiteral("▲ ") + text;
        p.drawText(QRect(x, y, width - 4, line), Qt::AlignLeft | Qt::AlignVCenter,
                   p.fontMetrics().elidedText(text, Qt::ElideRight, width - 4));
        x += width;
      }
      ++printed;
      before = rows.beginOf(row);
      const bool fields = m_list.lines.form() != LedgerForm::Bytes;
      const std::uint64_t under = fields ? m_list.lines.detailCount(row) : 0;
      for (std::uint64_t d = 0; d < under; ++d) {
        if (const End end = place(); end != End::Whole)
          return end;
        y = 3 * line + printed % linesAPage * line;
        const Detail detail = detailAt(source.bus, source.transactions, row.number, d);
        p.drawText(QRect(page.width() / 4, y, page.width() * 3 / 4, line), Qt::AlignLeft | Qt::AlignVCenter,
                   toQString(detail.name + "  " + detail.value + "  " + detail.meaning));
        ++printed;
      }
    }
  }
  return End::Whole;
}

}  // namespace bexto::ui
