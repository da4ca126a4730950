#include "ui/ledger/ledger_view.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollBar>
#include <limits>

#include "core/base/time_text.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

// Columns, from the left.
constexpr int kArrowX = 10;
constexpr int kTimeX = 26;
constexpr int kDeltaX = 150;
constexpr int kBusX = 236;
constexpr int kTextX = 316;
constexpr int kLengthWidth = 84;

}  // namespace

LedgerView::LedgerView(Document& document, Focus& focus, QWidget* parent)
    : QAbstractScrollArea(parent), m_document(document), m_focus(focus), m_rows(document)
{
  setFrameShape(QFrame::NoFrame);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName(tr("Ledger"));
  setMinimumHeight(kHeaderHeight + 3 * kRowHeight);
  connect(&document, &Document::captureChanged, this, &LedgerView::refresh);
  connect(&document, &Document::busListChanged, this, &LedgerView::refresh);
  connect(&document, &Document::busChanged, this, &LedgerView::refresh);
  connect(&focus, &Focus::selectionChanged, this, &LedgerView::followSelection);
  connect(&theme(), &Theme::changed, this, [this] { viewport()->update(); });
}

void LedgerView::refresh()
{
  m_rows.refresh();
  m_decimals = 6;
  if (m_document.capture()) {
    for (std::int64_t tick = 100000; m_decimals < 12 && m_document.capture()->tick.count() <= tick; tick /= 10)
      ++m_decimals;
    m_decimals = std::min(m_decimals, 9);
  }
  updateScrollBar();
  followSelection();
  viewport()->update();
}

void LedgerView::updateScrollBar()
{
  const auto most = static_cast<std::uint64_t>(std::numeric_limits<int>::max() / 2);
  const std::uint64_t lines = std::min(most, m_rows.lines().size());
  const int room = linesInView();
  verticalScrollBar()->setRange(0, std::max(0, static_cast<int>(lines) - room));
  verticalScrollBar()->setPageStep(room);
}

std::uint64_t LedgerView::firstLine() const
{
  return static_cast<std::uint64_t>(verticalScrollBar()->value());
}

void LedgerView::resizeEvent(QResizeEvent* /*event*/)
{
  updateScrollBar();
}

void LedgerView::followSelection()
{
  if (m_picking)
    return;
  if (m_rows.holds(m_focus.selection())) {
    // A detail of the same transaction may be the current line: then it stays.
    const std::uint64_t line = m_rows.lineOf(m_focus.selection());
    const bool inside = m_current < m_rows.lines().size() && m_current > line &&
                        m_rows.lines().at(m_current).row == m_rows.lines().at(line).row &&
                        m_rows.selectionOf(m_current) == m_focus.selection();
    if (!inside)
      m_current = line;
    scrollTo(m_current);
  }
  viewport()->update();
}

void LedgerView::scrollTo(std::uint64_t line)
{
  const auto first = firstLine();
  const auto room = static_cast<std::uint64_t>(linesInView());
  if (line < first)
    verticalScrollBar()->setValue(static_cast<int>(line) - (first - line > room ? static_cast<int>(room / 3) : 0));
  else if (line >= first + room)
    verticalScrollBar()->setValue(static_cast<int>(line) -
                                  static_cast<int>(line - first > 2 * room ? room / 3 : room - 1));
}

std::uint64_t LedgerView::lineAt(QPoint pos) const
{
  const std::uint64_t none = m_rows.lines().size();
  if (pos.y() < kHeaderHeight)
    return none;
  return std::min(none, firstLine() + static_cast<std::uint64_t>((pos.y() - kHeaderHeight) / kRowHeight));
}

QRect LedgerView::lineRect(std::uint64_t line) const
{
  if (line < firstLine() || line > firstLine() + static_cast<std::uint64_t>(linesInView()))
    return {};
  return {0, kHeaderHeight + static_cast<int>(line - firstLine()) * kRowHeight, viewport()->width(), kRowHeight};
}

void LedgerView::pick(std::uint64_t line)
{
  if (line >= m_rows.lines().size())
    return;
  m_current = line;
  scrollTo(line);
  m_picking = true;
  m_focus.select(m_rows.selectionOf(line));
  m_focus.reveal(m_focus.selectedTime());
  m_picking = false;
  viewport()->update();
}

void LedgerView::openLine(std::uint64_t line, bool open)
{
  if (line >= m_rows.lines().size())
    return;
  const std::uint64_t row = m_rows.lines().at(line).row;
  if (!m_rows.setOpen(line, open))
    return;
  updateScrollBar();
  pick(m_rows.lines().lineOf(row));
}

void LedgerView::mousePressEvent(QMouseEvent* event)
{
  if (event->button() != Qt::LeftButton)
    return;
  const std::uint64_t line = lineAt(event->pos());
  if (line >= m_rows.lines().size())
    return;
  const bool onArrow = event->pos().x() < kTimeX && m_rows.lines().at(line).detail == 0;
  if (onArrow)
    openLine(line, !m_rows.lines().isOpen(m_rows.lines().at(line).row));
  else
    pick(line);
}

void LedgerView::mouseDoubleClickEvent(QMouseEvent* event)
{
  const std::uint64_t line = lineAt(event->pos());
  if (line >= m_rows.lines().size() || event->pos().x() < kTimeX) {
    mousePressEvent(event);
    return;
  }
  pick(line);
  m_focus.zoomToSelection();
}

void LedgerView::keyPressEvent(QKeyEvent* event)
{
  const std::uint64_t count = m_rows.lines().size();
  if (count == 0) {
    QAbstractScrollArea::keyPressEvent(event);
    return;
  }
  const auto page = static_cast<std::uint64_t>(linesInView());
  const std::uint64_t last = count - 1;
  const std::uint64_t now = std::min(m_current, last);
  switch (event->key()) {
    case Qt::Key_Up:
      pick(now == 0 ? 0 : now - 1);
      break;
    case Qt::Key_Down:
      pick(m_focus.selection().valid() ? std::min(last, now + 1) : now);
      break;
    case Qt::Key_PageUp:
      pick(now < page ? 0 : now - page);
      break;
    case Qt::Key_PageDown:
      pick(std::min(last, now + page));
      break;
    case Qt::Key_Home:
      pick(0);
      break;
    case Qt::Key_End:
      pick(last);
      break;
    case Qt::Key_Right:
      openLine(now, true);
      break;
    case Qt::Key_Left:
      openLine(now, false);
      break;
    case Qt::Key_Return:
    case Qt::Key_Enter:
      m_focus.zoomToSelection();
      break;
    default:
      QAbstractScrollArea::keyPressEvent(event);
  }
}

void LedgerView::paintHeader(QPainter& p) const
{
  const Palette& c = theme().colours();
  p.fillRect(QRect(0, 0, viewport()->width(), kHeaderHeight), c.ground);
  p.setFont(theme().words(11));
  p.setPen(c.muted);
  const auto label = [&](int x, const QString& text) { p.drawText(QPoint(x, kHeaderHeight - 9), text); };
  label(kTimeX, tr("time, s"));
  label(kDeltaX, tr("since previous"));
  label(kBusX, tr("bus"));
  label(kTextX, tr("transaction"));
  p.drawText(QRect(viewport()->width() - kLengthWidth - 12, 0, kLengthWidth, kHeaderHeight - 5),
             Qt::AlignRight | Qt::AlignBottom, tr("length"));
  p.fillRect(QRect(0, kHeaderHeight - 1, viewport()->width(), 1), c.rule);
}

void LedgerView::paintRow(QPainter& p, QRect rect, const LedgerRows::Line& line) const
{
  const Palette& c = theme().colours();
  const int base = rect.top() + 16;
  p.setFont(theme().words(11));
  p.setPen(c.muted);
  p.drawText(QPoint(kArrowX, base), line.isOpen ? QStringLiteral("▾") : QStringLiteral("▸"));
  p.setFont(theme().data(12));
  p.setPen(c.ink);
  p.drawText(QPoint(kTimeX, base), toQString(momentText(line.begin, m_decimals)));
  p.setPen(c.muted);
  if (line.sincePrevious >= Picoseconds{0})
    p.drawText(QPoint(kDeltaX, base), QStringLiteral("+") + toQString(lengthText(line.sincePrevious, 3)));
  p.drawText(QRect(viewport()->width() - kLengthWidth - 12, rect.top(), kLengthWidth, rect.height()),
             Qt::AlignRight | Qt::AlignVCenter, toQString(lengthText(line.length, 3)));
  p.setFont(theme().words(12));
  p.drawText(QPoint(kBusX, base), p.fontMetrics().elidedText(line.bus, Qt::ElideRight, kTextX - kBusX - 8));
  int x = kTextX;
  const int end = viewport()->width() - kLengthWidth - 20;
  if (line.fault) {
    p.setPen(c.fault);
    p.drawText(QPoint(x, base), QStringLiteral("▲"));
    x += 14;
  }
  for (const SentencePart& part : line.sentence.parts) {
    p.setFont(part.tone == Tone::Plain || part.tone == Tone::Fault ? theme().words(12, part.tone == Tone::Fault)
                                                                   : theme().data(12));
    const QString all = toQString(part.text);
    const QString text = p.fontMetrics().elidedText(all, Qt::ElideRight, end - x);
    p.setPen(theme().toneColour(part.tone));
    p.drawText(QPoint(x, base), text);
    x += p.fontMetrics().horizontalAdvance(text);
    if (text != all || x >= end)
      break;
  }
  if (line.errorFrame)
    p.fillRect(QRect(x + 8, rect.top() + 5, std::max(0, end - x - 16), rect.height() - 10),
               QBrush(tint(c.fault, 45), Qt::BDiagPattern));
}

void LedgerView::paintDetail(QPainter& p, QRect rect, const LedgerRows::Line& line) const
{
  const Palette& c = theme().colours();
  const int base = rect.top() + 16;
  const QColor colour = line.fault ? c.fault : theme().roleColour(line.detail.role);
  p.fillRect(QRect(kTextX, rect.top() + 3, 2, rect.height() - 6), colour);
  p.setFont(theme().words(12));
  p.setPen(c.muted);
  p.drawText(QPoint(kTextX + 10, base), toQString(line.detail.name));
  p.setFont(theme().data(12));
  p.setPen(colour);
  const QString value = toQString(line.detail.value);
  p.drawText(QPoint(kTextX + 92, base), value);
  const int after = kTextX + 92 + std::max(56, p.fontMetrics().horizontalAdvance(value) + 16);
  p.setFont(theme().words(12));
  p.setPen(line.fault ? c.fault : c.ink);
  p.drawText(QPoint(after, base), (line.fault ? QStringLiteral("▲ ") : QString()) + toQString(line.detail.meaning));
}

void LedgerView::paintEvent(QPaintEvent* /*event*/)
{
  const Palette& c = theme().colours();
  QPainter p(viewport());
  p.fillRect(viewport()->rect(), c.ground);
  paintHeader(p);
  if (m_rows.lines().size() == 0) {
    p.setFont(theme().words());
    p.setPen(c.muted);
    const QString hint = !m_document.capture()        ? QString()
                         : m_document.busCount() == 0 ? tr("Add a bus on the left, and what was said stands here.")
                         : m_document.isDecoding()    ? tr("Decoding …")
                                                      : tr("No transactions.");
    p.drawText(viewport()->rect().adjusted(0, kHeaderHeight, 0, 0), Qt::AlignCenter, hint);
    return;
  }
  p.setClipRect(viewport()->rect().adjusted(0, kHeaderHeight, 0, 0));
  // More values than fit are not worth making into words.
  const auto most = static_cast<std::size_t>(std::max(8, (viewport()->width() - kTextX) / 14));
  int y = kHeaderHeight;
  std::uint64_t number = firstLine();
  for (const LedgerRows::Line& line : m_rows.visible(number, static_cast<std::size_t>(linesInView()) + 1, most)) {
    const QRect rect(0, y, viewport()->width(), kRowHeight);
    const bool current = m_focus.selection().valid() && number == m_current;
    if (current)
      p.fillRect(rect, c.selection);
    if (line.isDetail)
      paintDetail(p, rect, line);
    else
      paintRow(p, rect, line);
    p.fillRect(QRect(0, rect.bottom(), rect.width(), 1), tint(c.rule, 60));
    if (current && hasFocus()) {
      p.setPen(QPen(c.muted, 1, Qt::DotLine));
      p.drawRect(rect.adjusted(0, 0, -1, -2));
    }
    y += kRowHeight;
    ++number;
  }
}

}  // namespace bexto::ui
