#include "ui/bytes/bytes_view.h"

#include <QApplication>
#include <QClipboard>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollBar>
#include <limits>

#include "core/base/number_text.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

constexpr std::uint64_t kMostCopied = 1U << 20U;

bool isPrintable(std::uint8_t b)
{
  return b >= 0x20 && b < 0x7f;
}

QString hexOf(std::uint64_t value, int digits)
{
  return QStringLiteral("%1").arg(value, digits, 16, QLatin1Char('0')).toUpper();
}

}  // namespace

BytesView::BytesView(QWidget* parent) : QAbstractScrollArea(parent)
{
  setFrameShape(QFrame::NoFrame);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName(tr("Bytes"));
  sized(*this, [this] {
    setMinimumHeight(4 * px(kRow));
    updateScrollBar();
  });
  connect(&theme(), &Theme::changed, this, [this] { viewport()->update(); });
}

void BytesView::setStream(ByteStream stream, const QString& hint)
{
  m_stream = std::move(stream);
  m_hint = hint;
  if (m_current >= m_stream.size())
    clearPicked();
  updateScrollBar();
  viewport()->update();
}

void BytesView::setWrap(int wrap)
{
  m_wrap = wrap;
  updateScrollBar();
  if (m_anchor)
    reveal(m_current);
  viewport()->update();
}

BytesView::Grid BytesView::grid() const
{
  Grid g;
  g.digit = QFontMetrics(theme().data(12)).horizontalAdvance(QLatin1Char('0'));
  for (g.addressDigits = 4; g.addressDigits < 12 && (m_stream.size() >> (4 * g.addressDigits)) != 0;)
    ++g.addressDigits;
  g.hex = px(16) + (g.addressDigits + 2) * g.digit;
  g.text = xOfByte(g, m_wrap) + 2 * g.digit;
  return g;
}

int BytesView::xOfByte(const Grid& g, int column) const
{
  return g.hex + (column * 3 + column / 8) * g.digit;
}

void BytesView::updateScrollBar()
{
  const std::uint64_t rows =
      (m_stream.size() + static_cast<std::uint64_t>(m_wrap) - 1) / static_cast<std::uint64_t>(m_wrap);
  constexpr auto kMost = static_cast<std::uint64_t>(std::numeric_limits<int>::max() / 2);
  verticalScrollBar()->setRange(0, std::max(0, static_cast<int>(std::min(kMost, rows)) - rowsInView()));
  verticalScrollBar()->setPageStep(rowsInView());
}

std::uint64_t BytesView::firstAddress() const
{
  return static_cast<std::uint64_t>(verticalScrollBar()->value()) * static_cast<std::uint64_t>(m_wrap);
}

void BytesView::resizeEvent(QResizeEvent* /*event*/)
{
  updateScrollBar();
}

std::optional<std::pair<std::uint64_t, std::uint64_t>> BytesView::picked() const
{
  if (!m_anchor)
    return std::nullopt;
  return std::pair(std::min(*m_anchor, m_current), std::max(*m_anchor, m_current));
}

void BytesView::clearPicked()
{
  m_anchor.reset();
  m_current = 0;
  viewport()->update();
  Q_EMIT pickedChanged();
}

void BytesView::reveal(std::uint64_t address)
{
  const int row = static_cast<int>(address / static_cast<std::uint64_t>(m_wrap));
  const int first = verticalScrollBar()->value();
  if (row < first || row >= first + rowsInView())
    verticalScrollBar()->setValue(std::abs(row - first) > 2 * rowsInView() ? row - rowsInView() / 3
                                  : row < first                            ? row
                                                                           : row - rowsInView() + 1);
}

void BytesView::pick(std::uint64_t address, bool extend)
{
  if (m_stream.size() == 0)
    return;
  m_current = std::min(address, m_stream.size() - 1);
  if (!extend || !m_anchor)
    m_anchor = m_current;
  reveal(m_current);
  viewport()->update();
  sayCurrentRow(*this);
  Q_EMIT pickedChanged();
  Q_EMIT framePicked(m_stream.read(picked()->first, 1).front().frame);
}

void BytesView::showFrame(std::uint64_t frame)
{
  if (frame >= m_stream.frames().size())
    return;
  const std::uint64_t bytes = m_stream.bytesOf(frame);
  if (bytes == 0) {
    clearPicked();
    return;
  }
  m_anchor = m_stream.addressOf(frame);
  m_current = *m_anchor + bytes - 1;
  reveal(m_current);
  reveal(*m_anchor);
  viewport()->update();
  Q_EMIT pickedChanged();
}

QRect BytesView::byteRect(std::uint64_t address) const
{
  const std::uint64_t first = firstAddress();
  const auto wrap = static_cast<std::uint64_t>(m_wrap);
  if (address < first || address >= m_stream.size() ||
      address >= first + wrap * static_cast<std::uint64_t>(rowsInView() + 1))
    return {};
  const Grid g = grid();
  return {xOfByte(g, static_cast<int>((address - first) % wrap)), static_cast<int>((address - first) / wrap) * px(kRow),
          2 * g.digit, px(kRow)};
}

std::optional<std::uint64_t> BytesView::addressAt(QPoint pos) const
{
  const Grid g = grid();
  int column = -1;
  for (int i = 0; i < m_wrap; ++i) {
    const int x = xOfByte(g, i);
    const int t = g.text + i * g.digit;
    if ((pos.x() >= x - g.digit / 2 && pos.x() < x + 2 * g.digit + g.digit / 2) ||
        (pos.x() >= t && pos.x() < t + g.digit))
      column = i;
  }
  if (column < 0 || pos.y() < 0)
    return std::nullopt;
  const std::uint64_t address = firstAddress() + static_cast<std::uint64_t>(pos.y() / px(kRow) * m_wrap + column);
  return address < m_stream.size() ? std::optional(address) : std::nullopt;
}

void BytesView::mousePressEvent(QMouseEvent* event)
{
  const auto address = addressAt(event->pos());
  if (event->button() == Qt::LeftButton && address)
    pick(*address, event->modifiers().testFlag(Qt::ShiftModifier));
}

void BytesView::mouseMoveEvent(QMouseEvent* event)
{
  const auto address = addressAt(event->pos());
  if (event->buttons().testFlag(Qt::LeftButton) && address && *address != m_current)
    pick(*address, true);
}

void BytesView::keyPressEvent(QKeyEvent* event)
{
  if (m_stream.size() == 0) {
    QAbstractScrollArea::keyPressEvent(event);
    return;
  }
  if (event->matches(QKeySequence::Copy)) {
    copy();
    return;
  }
  const bool extend = event->modifiers().testFlag(Qt::ShiftModifier);
  const auto by = [&](std::int64_t step) {
    const auto now = static_cast<std::int64_t>(m_current);
    const auto last = static_cast<std::int64_t>(m_stream.size()) - 1;
    pick(m_anchor ? static_cast<std::uint64_t>(std::clamp(now + step, std::int64_t{0}, last)) : firstAddress(), extend);
  };
  switch (event->key()) {
    case Qt::Key_Left:
      return by(-1);
    case Qt::Key_Right:
      return by(1);
    case Qt::Key_Up:
      return by(-m_wrap);
    case Qt::Key_Down:
      return by(m_wrap);
    case Qt::Key_PageUp:
      return by(-static_cast<std::int64_t>(m_wrap) * rowsInView());
    case Qt::Key_PageDown:
      return by(static_cast<std::int64_t>(m_wrap) * rowsInView());
    case Qt::Key_Home:
      return pick(0, extend);
    case Qt::Key_End:
      return pick(m_stream.size() - 1, extend);
    default:
      QAbstractScrollArea::keyPressEvent(event);
  }
}

void BytesView::copy()
{
  QApplication::clipboard()->setText(pickedText());
  if (const auto range = picked(); range && range->second - range->first >= kMostCopied)
    Q_EMIT said(tr("Only the first %1 were copied.").arg(countOf(kMostCopied, kBytes)));
}

QString BytesView::pickedText() const
{
  const auto range = picked();
  if (!range)
    return {};
  QString text;
  int column = 0;
  for (const ByteStream::Byte& b :
       m_stream.read(range->first, static_cast<std::size_t>(std::min(kMostCopied, range->second - range->first + 1)))) {
    if (!text.isEmpty())
      text += column % m_wrap == 0 ? QLatin1Char('\n') : QLatin1Char(' ');
    text += hexOf(b.value, 2);
    ++column;
  }
  return text;
}

void BytesView::paintEvent(QPaintEvent* /*event*/)
{
  const Palette& c = theme().colours();
  QPainter p(viewport());
  p.fillRect(viewport()->rect(), c.ground);
  if (m_stream.size() == 0) {
    p.setFont(theme().words());
    p.setPen(c.muted);
    p.drawText(viewport()->rect(), Qt::AlignCenter, m_hint);
    return;
  }
  p.setFont(theme().data(12));
  const Grid g = grid();
  const auto range = picked();
  const std::uint64_t first = firstAddress();
  const auto bytes =
      m_stream.read(first, static_cast<std::size_t>(rowsInView() + 1) * static_cast<std::size_t>(m_wrap));
  for (std::size_t i = 0; i < bytes.size(); ++i) {
    const int column = static_cast<int>(i) % m_wrap;
    const int y = static_cast<int>(i) / m_wrap * px(kRow);
    const std::uint64_t address = first + i;
    if (column == 0) {
      p.setPen(c.muted);
      p.drawText(QRect(px(12), y, g.hex - px(12), px(kRow)), Qt::AlignLeft | Qt::AlignVCenter,
                 hexOf(address, g.addressDigits));
      p.fillRect(QRect(0, y + px(kRow) - 1, viewport()->width(), 1), tint(c.rule, 40));
    }
    const int x = xOfByte(g, column);
    const QRect cell(x, y, 2 * g.digit, px(kRow));
    const QRect letter(g.text + column * g.digit, y, g.digit, px(kRow));
    if (range && address >= range->first && address <= range->second) {
      // Neighbours on a line join up, so that a run of bytes is one stroke of the highlighter.
      const bool joins = column + 1 < m_wrap && address < range->second;
      p.fillRect(cell.adjusted(-3, 2, joins ? g.digit + (column % 8 == 7 ? g.digit : 0) : 3, -3), c.selection);
      p.fillRect(letter.adjusted(0, 2, 0, -3), c.selection);
    }
    if (bytes[i].first)
      p.fillRect(QRect(x - 4, y + 4, 1, px(kRow) - 9), tint(c.muted, 60));
    p.setPen(bytes[i].fault ? c.fault : c.payload);
    p.drawText(cell, Qt::AlignLeft | Qt::AlignVCenter, hexOf(bytes[i].value, 2));
    const bool printable = isPrintable(bytes[i].value);
    p.setPen(printable ? c.ink : tint(c.muted, 55));
    p.drawText(letter, Qt::AlignLeft | Qt::AlignVCenter,
               printable ? QString(QLatin1Char(static_cast<char>(bytes[i].value))) : QStringLiteral("·"));
  }
}

int BytesView::spokenRows() const
{
  const auto wrap = static_cast<std::uint64_t>(m_wrap);
  return static_cast<int>(
      std::min<std::uint64_t>((m_stream.size() + wrap - 1) / wrap, std::numeric_limits<int>::max()));
}

QString BytesView::spokenHead(int column) const
{
  return column == 0 ? tr("address") : column == 1 ? tr("hex") : tr("text");
}

QString BytesView::spokenText(int row, int column) const
{
  const std::uint64_t address = static_cast<std::uint64_t>(row) * static_cast<std::uint64_t>(m_wrap);
  if (column == 0)
    return hexOf(address, grid().addressDigits);
  QString text;
  for (const ByteStream::Byte& b : m_stream.read(address, static_cast<std::size_t>(m_wrap))) {
    if (column == 1)
      text += (text.isEmpty() ? QString() : QStringLiteral(" ")) + hexOf(b.value, 2);
    else
      text += isPrintable(b.value) ? QLatin1Char(static_cast<char>(b.value)) : QLatin1Char('.');
  }
  return text;
}

QRect BytesView::spokenRect(int row, int column) const
{
  const int first = verticalScrollBar()->value();
  if (row < first || row > first + rowsInView())
    return {};
  const Grid g = grid();
  const int left = column == 0 ? 12 : column == 1 ? g.hex : g.text;
  const int right = column == 0 ? g.hex : column == 1 ? g.text : g.text + m_wrap * g.digit;
  return QRect(left, (row - first) * px(kRow), right - left, px(kRow)).translated(viewport()->pos());
}

int BytesView::firstSpokenInView() const
{
  return verticalScrollBar()->value();
}

int BytesView::spokenCurrent() const
{
  return m_anchor ? static_cast<int>(m_current / static_cast<std::uint64_t>(m_wrap)) : -1;
}

void BytesView::pickSpoken(int row)
{
  pick(static_cast<std::uint64_t>(row) * static_cast<std::uint64_t>(m_wrap), false);
}

}  // namespace bexto::ui
