#include "ui/anatomy/bit_strip.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>

#include "core/base/time_text.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

BitStrip::BitStrip(QWidget* parent) : QWidget(parent)
{
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
  setAccessibleName(tr("Bits"));
  setFocusPolicy(Qt::TabFocus);
}

void BitStrip::show(std::vector<Bit> bits, Picoseconds nominal)
{
  m_bits = std::move(bits);
  m_nominal = nominal;
  m_current = std::min(m_current, static_cast<int>(m_bits.size()) - 1);
  QString text;
  for (const Bit& bit : m_bits)
    text += bit.level ? QLatin1Char('1') : QLatin1Char('0');
  setAccessibleDescription(text);
  updateGeometry();
  update();
}

namespace {
constexpr std::size_t kBitsARow = 16;
}

int BitStrip::rows() const
{
  std::size_t first = 0;
  for (const Bit& bit : m_bits)
    first += bit.line == 0 ? 1U : 0U;
  const std::size_t second = m_bits.size() - first;
  const auto wrapped = [](std::size_t bits) { return (bits + kBitsARow - 1) / kBitsARow; };
  return std::max(1, static_cast<int>(wrapped(first) + wrapped(second)));
}

QRectF BitStrip::cell(std::size_t i) const
{
  // Bits of the second wire follow those of the first.
  std::size_t first = 0;
  while (first < m_bits.size() && m_bits[first].line == 0)
    ++first;
  const bool second = i >= first;
  const std::size_t place = second ? i - first : i;
  const std::size_t count = std::min(kBitsARow, std::max(first, m_bits.size() - first));
  const std::size_t row = place / kBitsARow + (second ? (first + kBitsARow - 1) / kBitsARow : 0);
  const double width = std::min(px(30.0), (this->width() - 1.0) / static_cast<double>(std::max<std::size_t>(1, count)));
  return {static_cast<double>(place % kBitsARow) * width, static_cast<double>(row) * px(kRowHeight), width - 2.0,
          px(28.0)};
}

void BitStrip::paintEvent(QPaintEvent* /*event*/)
{
  const Palette& c = theme().colours();
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  for (std::size_t i = 0; i < m_bits.size(); ++i) {
    const Bit& bit = m_bits[i];
    const QRectF box = cell(i);
    const QColor colour = bit.wrong ? c.fault : theme().roleColour(bit.role);
    p.fillRect(box, tint(colour, 13));
    if (hasFocus() && static_cast<int>(i) == m_current) {
      p.setPen(c.address);
      p.setBrush(Qt::NoBrush);
      p.drawRect(box.adjusted(0.5, 0.5, -0.5, -0.5));
    }
    if (bit.wrong)
      p.fillRect(box, QBrush(tint(colour, 55), Qt::BDiagPattern));
    p.setPen(colour);
    if (bit.role == Role::Stuff)
      p.drawRect(box.adjusted(0.5, 0.5, -0.5, -0.5));
    p.setFont(theme().data(12, true));
    const bool ack = bit.role == Role::Acknowledge;
    p.drawText(box.adjusted(0, px(1), 0, -px(7)), Qt::AlignCenter,
               ack         ? (bit.level ? QStringLiteral("✗") : QStringLiteral("✓"))
               : bit.level ? QStringLiteral("1")
                           : QStringLiteral("0"));
    // The dot stands where in its cell the bit was sampled.
    const double length = static_cast<double>(bit.cell.length().count());
    const double share = length > 0.0 ? static_cast<double>((bit.sample - bit.cell.begin).count()) / length : 0.5;
    p.setPen(Qt::NoPen);
    p.setBrush(c.ink);
    p.drawEllipse(QPointF(box.left() + box.width() * std::clamp(share, 0.0, 1.0), box.bottom() - px(4)), px(1.6),
                  px(1.6));
    const Picoseconds nominal = bit.nominal > Picoseconds{0} ? bit.nominal : m_nominal;
    if (bit.actual <= Picoseconds{0} || nominal <= Picoseconds{0})
      continue;
    const double ratio = static_cast<double>(bit.actual.count()) / static_cast<double>(nominal.count());
    const bool far = ratio > 1.25 || ratio < 0.75;
    // A full cell is the nominal length; what is longer runs out at half as much again.
    const QRectF track(box.left(), box.bottom() + px(6), box.width(), px(3));
    p.fillRect(track, c.wash);
    p.fillRect(QRectF(track.left(), track.top(), track.width() * std::min(1.0, ratio / 1.5), px(3)),
               far ? c.fault : c.payload);
    p.fillRect(QRectF(track.left() + track.width() / 1.5, track.top() - px(2), 1.0, px(7)), c.muted);
  }
  if (m_nominal > Picoseconds{0} && !m_bits.empty()) {
    p.setFont(theme().words(10));
    p.setPen(c.muted);
    p.drawText(
        QRectF(0, px(kRowHeight) * rows(), width(), px(28)), Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap,
        tr("dot: sampled there · bar: length, its line at %1")
            .arg(toQString(lengthText(m_bits.front().nominal > Picoseconds{0} ? m_bits.front().nominal : m_nominal))));
  }
}

bool BitStrip::event(QEvent* event)
{
  if (event->type() == QEvent::ToolTip) {
    const auto* help = static_cast<QHelpEvent*>(event);
    for (std::size_t i = 0; i < m_bits.size(); ++i) {
      if (!cell(i).adjusted(0, 0, 2, 16).contains(help->pos()))
        continue;
      QToolTip::showText(help->globalPos(), described(m_bits[i]), this);
      return true;
    }
    QToolTip::hideText();
  }
  return QWidget::event(event);
}

QString BitStrip::described(const Bit& bit) const
{
  const QString sample = toQString(momentText(bit.sample, 9));
  QString text =
      bit.role == Role::Stuff ? tr("stuff bit, sampled at %1 s").arg(sample) : tr("sampled at %1 s").arg(sample);
  if (bit.actual > Picoseconds{0})
    text += QLatin1Char('\n') + tr("from %1 s to %2 s: %3")
                                    .arg(toQString(momentText(bit.actualBegin, 9)),
                                         toQString(momentText(bit.actualBegin + bit.actual, 9)),
                                         toQString(lengthText(bit.actual)));
  return text;
}

void BitStrip::keyPressEvent(QKeyEvent* event)
{
  const int by = event->key() == Qt::Key_Left ? -1 : event->key() == Qt::Key_Right ? 1 : 0;
  if (by == 0 || event->modifiers() != Qt::NoModifier || m_bits.empty()) {
    QWidget::keyPressEvent(event);
    return;
  }
  pickSpoken(std::clamp(m_current + by, 0, spokenRows() - 1));
}

void BitStrip::focusInEvent(QFocusEvent* event)
{
  QWidget::focusInEvent(event);
  if (m_current < 0 && !m_bits.empty())
    m_current = 0;
  sayCurrentRow(*this);
  update();
}

void BitStrip::focusOutEvent(QFocusEvent* event)
{
  QWidget::focusOutEvent(event);
  QToolTip::hideText();
  update();
}

QString BitStrip::spokenText(int row, int /*column*/) const
{
  const Bit& bit = m_bits.at(static_cast<std::size_t>(row));
  const QString level = bit.level ? QStringLiteral("1") : QStringLiteral("0");
  return bit.wrong ? tr("%1, wrong, %2").arg(level, described(bit)) : tr("%1, %2").arg(level, described(bit));
}

QRect BitStrip::spokenRect(int row, int /*column*/) const
{
  return cell(static_cast<std::size_t>(row)).toAlignedRect();
}

void BitStrip::pickSpoken(int row)
{
  m_current = row;
  const QRect at = spokenRect(row, 0);
  QToolTip::showText(mapToGlobal(at.bottomLeft()), described(m_bits.at(static_cast<std::size_t>(row))), this);
  sayCurrentRow(*this);
  update();
}

}  // namespace bexto::ui
