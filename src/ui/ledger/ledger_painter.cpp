#include "ui/ledger/ledger_painter.h"

#include "core/base/time_text.h"
#include "core/decode/protocol.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

constexpr int kGutter = 24;  ///< in front of the first column: the arrow
constexpr int kPad = 8;
constexpr int kByteLabel = 76;  ///< "2A write"

int flagWidth(const QString& marker)
{
  return marker.isEmpty() ? 0 : QFontMetrics(theme().words(10, true)).horizontalAdvance(marker) + px(8);
}

int digitWidth()
{
  return QFontMetrics(theme().data(12)).horizontalAdvance(QLatin1Char('0'));
}

/// Characters that the hex of a line of bytes takes: a wider gap after each eighth.
int hexDigits(std::size_t wrap)
{
  return static_cast<int>(wrap * 3 + wrap / 8);
}

}  // namespace

int LedgerPainter::leastWidth(const LedgerLines& lines)
{
  constexpr int kWords = 150;
  constexpr int kOffset = 6;
  return lines.form() == LedgerForm::Bytes
             ? px(kPad + 14 + kByteLabel) + (kOffset + hexDigits(lines.wrap())) * digitWidth()
             : px(kWords);
}

void LedgerPainter::text(QRect cell, const QString& text, bool data, const QColor& colour, bool right)
{
  m_p.setFont(data ? theme().data(12) : theme().words(12));
  m_p.setPen(colour);
  m_p.drawText(cell, static_cast<int>(right ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter,
               m_p.fontMetrics().elidedText(text, Qt::ElideRight, cell.width()));
}

void LedgerPainter::paint(QRect rect, const LedgerRows::Line& line, const Look& look)
{
  const Palette& c = theme().colours();
  if (look.current || look.picked)
    m_p.fillRect(rect, look.current ? c.selection : tint(c.selection, 55));
  bool first = true;
  for (const LedgerColumn column : m_header.columns()) {
    QRect cell = m_header.rectOf(column, rect.top(), rect.height()).adjusted(px(kPad), 0, 0, 0);
    if (first) {
      if (!line.isDetail && line.canOpen)
        text({px(10), rect.top(), px(14), rect.height()}, line.isOpen ? QStringLiteral("▾") : QStringLiteral("▸"),
             false, c.muted);
      cell.setLeft(px(kGutter));
      first = false;
    }
    const bool right = isRight(column);
    paintCell(column, cell.adjusted(0, 0, right ? -px(kPad) : -px(4), 0), line, look);
  }
  m_p.fillRect(QRect(rect.left(), rect.bottom(), rect.width(), 1), tint(c.rule, 60));
  if (look.found)
    m_p.fillRect(QRect(0, rect.top(), px(4), rect.height() - 1), c.ink);
  if (!look.marker.isEmpty())
    paintFlag(rect, look.marker, c.address);
  if (look.gap > Picoseconds{0})
    paintFlag(rect, tr("▲ nothing recorded for %1").arg(toQString(lengthText(look.gap, 3))), c.fault);
  if (look.current && look.focus) {
    m_p.setPen(QPen(c.muted, 1, Qt::DotLine));
    m_p.drawRect(rect.adjusted(0, 0, -1, -2));
  }
}

/// Something lies between the line and the one above.
void LedgerPainter::paintFlag(QRect rect, const QString& says, const QColor& colour)
{
  m_p.fillRect(QRect(0, rect.top(), rect.width(), 1), colour);
  m_p.setFont(theme().words(10, true));
  const int width = flagWidth(says);
  // Where lines seldom reach: the end of the widest column.
  const QRect wide = m_header.rectOf(LedgerColumn::Transaction, rect.top(), rect.height());
  const QRect flag((wide.isEmpty() ? rect : wide).right() - width, rect.top(), width, px(13));
  m_p.fillRect(flag, colour);
  m_p.setPen(theme().colours().panel);
  m_p.drawText(flag, Qt::AlignCenter, says);
}

void LedgerPainter::paintTime(QRect cell, const LedgerRows::Line& line, const Look& look)
{
  const Palette& c = theme().colours();
  if (look.zeroMode == TimeZero::Previous) {
    if (line.sincePrevious >= Picoseconds{0})
      text(cell, QStringLiteral("+") + toQString(lengthText(line.sincePrevious)), true, c.ink);
    return;
  }
  text(cell, toQString(momentText(line.begin - look.zero, look.decimals)), true, line.isDetail ? c.muted : c.ink);
}

void LedgerPainter::paintCell(LedgerColumn column, QRect cell, const LedgerRows::Line& line, const Look& look)
{
  const Palette& c = theme().colours();
  const bool bytes = m_rows.lines().form() == LedgerForm::Bytes;
  if (line.isDetail && column != LedgerColumn::Transaction && (column != LedgerColumn::Time || bytes))
    return;
  switch (column) {
    case LedgerColumn::Time:
      return paintTime(cell, line, look);
    case LedgerColumn::SincePrevious:
      if (line.sincePrevious >= Picoseconds{0})
        text(cell, QStringLiteral("+") + toQString(lengthText(line.sincePrevious, 3)), true, c.muted);
      return;
    case LedgerColumn::Bus:
      return text(cell, line.bus, false, c.muted);
    case LedgerColumn::Transaction:
      cell.setRight(cell.right() - flagWidth(look.marker));
      return bytes ? paintBytes(cell, line) : line.isDetail ? paintDetail(cell, line) : paintSentence(cell, line, look);
    case LedgerColumn::Duration:
      // Of a recorded frame nobody knows.
      return text(cell, line.length > Picoseconds{0} ? toQString(lengthText(line.length, 3)) : QStringLiteral("–"),
                  true, c.muted, true);
    case LedgerColumn::Answer: {
      LedgerCellContext context;
      context.source = &m_rows.merged().sources()[line.row.source];
      context.number = line.row.number;
      const LedgerCell answer = cellOf(column, context, 1);
      return text(cell, answer.time ? toQString(lengthText(*answer.time, 3)) : toQString(answer.text), true,
                  answer.time ? c.muted : c.fault, true);
    }
    default:
      break;
  }
  LedgerCellContext context;
  context.source = &m_rows.merged().sources()[line.row.source];
  context.number = line.row.number;
  context.row = line.place.row;
  const auto most = static_cast<std::size_t>(std::max(8, cell.width() / px(7)));
  const QString said = toQString(cellOf(column, context, most).text);
  const QColor colour = column == LedgerColumn::Address                                   ? c.address
                        : column == LedgerColumn::Payload || column == LedgerColumn::Text ? c.payload
                        : column == LedgerColumn::Faults                                  ? c.fault
                        : column == LedgerColumn::Kind || isProperty(column)              ? c.ink
                                                                                          : c.muted;
  text(cell, said, column != LedgerColumn::Kind && column != LedgerColumn::Faults, colour,
       column == LedgerColumn::Size);
}

void LedgerPainter::paintSentence(QRect cell, const LedgerRows::Line& line, const Look& look)
{
  const Palette& c = theme().colours();
  const int base = cell.top() + px(16);
  int end = cell.right();
  if (!look.notes.isEmpty()) {
    // Somebody wrote it to be seen: the sentence makes room.
    m_p.setFont(theme().words(11));
    end -= std::min(cell.width() * 2 / 5,
                    m_p.fontMetrics().horizontalAdvance(look.notes.join(QStringLiteral(" · "))) + px(42));
  }
  int x = cell.left();
  if (line.fault) {
    m_p.setFont(theme().words(11));
    m_p.setPen(c.fault);
    m_p.drawText(QPoint(x, base), QStringLiteral("▲"));
    x += px(14);
  }
  if (look.ours)
    x += paintOurs(QRect(x, cell.top(), end - x, cell.height()));
  for (const SentencePart& part : line.sentence.parts) {
    m_p.setFont(part.tone != Tone::Address && part.tone != Tone::Payload ? theme().words(12, part.tone == Tone::Fault)
                                                                         : theme().data(12));
    const QString all = toQString(part.text);
    const QString text = m_p.fontMetrics().elidedText(all, Qt::ElideRight, end - x);
    m_p.setPen(theme().toneColour(part.tone));
    m_p.drawText(QPoint(x, base), text);
    x += m_p.fontMetrics().horizontalAdvance(text);
    if (text != all || x >= end)
      break;
  }
  if (!look.notes.isEmpty())
    paintNotes(cell.adjusted(x + px(10) - cell.left(), 0, 0, 0), look.notes);
  else if (line.errorFrame)
    m_p.fillRect(QRect(x + px(8), cell.top() + px(5), std::max(0, end - x - px(16)), cell.height() - px(10)),
                 QBrush(tint(c.fault, 45), Qt::BDiagPattern));
}

/// Somebody here said it, not the board. The width that it takes.
int LedgerPainter::paintOurs(QRect room)
{
  const Palette& c = theme().colours();
  m_p.setFont(theme().words(11));
  const QString says = tr("sent");
  const QRectF chip(room.left() + 0.5, room.top() + px(5) + 0.5, m_p.fontMetrics().horizontalAdvance(says) + px(10),
                    room.height() - px(11));
  m_p.save();
  m_p.setRenderHint(QPainter::Antialiasing);
  m_p.setPen(c.muted);
  m_p.drawRoundedRect(chip, px(3), px(3));
  m_p.restore();
  m_p.setPen(c.muted);
  m_p.drawText(chip, Qt::AlignCenter, says);
  return qRound(chip.width()) + px(8);
}

void LedgerPainter::paintNotes(QRect room, const QStringList& notes)
{
  const Palette& c = theme().colours();
  m_p.setFont(theme().words(11));
  const QString all = QStringLiteral("✎ ") + notes.join(QStringLiteral(" · "));
  const int width = std::min(m_p.fontMetrics().horizontalAdvance(all) + px(12), room.width());
  if (width < px(24))
    return;
  const QRect chip(room.left(), room.top() + px(3), width, room.height() - px(7));
  m_p.setRenderHint(QPainter::Antialiasing);
  m_p.setPen(QPen(c.rule, 1));
  m_p.setBrush(c.panel);
  m_p.drawRoundedRect(chip, 4, 4);
  m_p.setRenderHint(QPainter::Antialiasing, false);
  m_p.setBrush(Qt::NoBrush);
  m_p.setPen(c.ink);
  m_p.drawText(chip.adjusted(px(6), 0, -px(4), 0), Qt::AlignLeft | Qt::AlignVCenter,
               m_p.fontMetrics().elidedText(all, Qt::ElideRight, width - px(10)));
}

void LedgerPainter::paintDetail(QRect cell, const LedgerRows::Line& line)
{
  const Palette& c = theme().colours();
  const QColor colour = line.fault ? c.fault : line.detail.isValue ? c.device : theme().roleColour(line.detail.role);
  m_p.fillRect(QRect(cell.left(), cell.top() + px(3), px(2), cell.height() - px(6)), colour);
  const int value = cell.left() + px(92);
  text({cell.left() + px(10), cell.top(), px(80), cell.height()}, toQString(line.detail.name), false, c.muted);
  m_p.setFont(theme().data(12));
  const int width = std::max(px(56), m_p.fontMetrics().horizontalAdvance(toQString(line.detail.value)) + px(16));
  text({value, cell.top(), std::max(0, cell.right() - value), cell.height()}, toQString(line.detail.value), true,
       colour);
  const int after = value + width;
  text({after, cell.top(), std::max(0, cell.right() - after), cell.height()},
       (line.fault ? QStringLiteral("▲ ") : QString()) + toQString(line.detail.meaning), false,
       line.fault ? c.fault : c.ink);
}

void LedgerPainter::paintBytes(QRect cell, const LedgerRows::Line& line)
{
  const Palette& c = theme().colours();
  const bool labels = m_rows.protocol() == nullptr || m_rows.protocol()->facts().ways.size() > 1;
  const int digit = digitWidth();
  int x = cell.left();
  if (line.fault && line.place.detail == 0)
    text({x, cell.top(), px(14), cell.height()}, QStringLiteral("▲"), false, c.fault);
  x += px(14);
  if (labels) {
    text({x, cell.top(), px(kByteLabel - 4), cell.height()}, toQString(line.bytes.label), false, c.address);
    x += px(kByteLabel);
  }
  text({x, cell.top(), 5 * digit, cell.height()},
       QStringLiteral("%1").arg(line.bytes.offset, 4, 16, QLatin1Char('0')).toUpper(), true, c.muted);
  x += 6 * digit;
  QString hex;
  for (std::size_t i = 0; i < line.bytes.bytes.size(); ++i) {
    if (i != 0)
      hex += i % 8 == 0 ? QStringLiteral("  ") : QStringLiteral(" ");
    hex += QStringLiteral("%1").arg(line.bytes.bytes[i], 2, 16, QLatin1Char('0')).toUpper();
  }
  const int hexWidth = hexDigits(m_rows.lines().wrap()) * digit;
  text({x, cell.top(), std::max(0, std::min(hexWidth, cell.right() - x)), cell.height()}, hex, true, c.payload);
  x += hexWidth + digit;
  if (cell.right() - x > 4 * digit)
    text({x, cell.top(), cell.right() - x, cell.height()}, toQString(plainText(line.bytes.bytes)), true, c.ink);
}

}  // namespace bexto::ui
