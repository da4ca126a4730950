#include "ui/page/yaml_edit.h"

#include <QPaintEvent>
#include <QPainter>
#include <QTextBlock>
#include <algorithm>

#include "ui/text/text.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

/// The numbers at the left.
class YamlEdit::Margin : public QWidget {
 public:
  explicit Margin(YamlEdit& edit) : QWidget(&edit), m_edit(edit) {}

 protected:
  void paintEvent(QPaintEvent* event) override { m_edit.paintMargin(*event); }

 private:
  YamlEdit& m_edit;
};

YamlEdit::YamlEdit(QWidget* parent) : QPlainTextEdit(parent), m_margin(new Margin(*this))
{
  setLineWrapMode(QPlainTextEdit::NoWrap);
  setFrameShape(QFrame::NoFrame);
  setType(*this, Face::Data, 12);
  sized(*this, [this] {
    setTabStopDistance(QFontMetricsF(theme().data(12)).horizontalAdvance(QStringLiteral("  ")));
    layOut();
  });
  connect(this, &QPlainTextEdit::updateRequest, this, [this](const QRect& rect, int dy) {
    if (dy != 0)
      m_margin->scroll(0, dy);
    else
      m_margin->update(0, rect.y(), m_margin->width(), rect.height());
  });
  connect(this, &QPlainTextEdit::blockCountChanged, this, &YamlEdit::layOut);
}

int YamlEdit::marginWidth() const
{
  const auto digits = QString::number(std::max(99, blockCount())).size();
  return QFontMetrics(theme().data(11)).horizontalAdvance(QLatin1Char('0')) * static_cast<int>(digits) + px(24);
}

void YamlEdit::layOut()
{
  setViewportMargins(marginWidth(), 0, 0, 0);
  const QRect inner = contentsRect();
  m_margin->setGeometry(inner.left(), inner.top(), marginWidth(), inner.height());
}

void YamlEdit::resizeEvent(QResizeEvent* event)
{
  QPlainTextEdit::resizeEvent(event);
  layOut();
}

/// Tabs are no blanks to YAML; a new line begins where the one before did.
void YamlEdit::keyPressEvent(QKeyEvent* event)
{
  if (isReadOnly()) {
    QPlainTextEdit::keyPressEvent(event);
    return;
  }
  if (event->key() == Qt::Key_Tab && !textCursor().hasSelection()) {
    insertPlainText(QStringLiteral("  "));
    return;
  }
  if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) {
    const QString line = textCursor().block().text();
    qsizetype blanks = 0;
    while (blanks < line.size() && line[blanks] == QLatin1Char(' '))
      ++blanks;
    const bool opens = line.trimmed().endsWith(QLatin1Char(':')) && textCursor().atBlockEnd();
    insertPlainText(QLatin1Char('\n') + line.left(blanks) + (opens ? QStringLiteral("  ") : QString()));
    ensureCursorVisible();
    return;
  }
  QPlainTextEdit::keyPressEvent(event);
}

void YamlEdit::showProblems(const std::vector<SheetProblem>& problems)
{
  m_problems = problems;
  QList<QTextEdit::ExtraSelection> marks;
  for (const SheetProblem& problem : problems) {
    const QTextBlock block = document()->findBlockByNumber(std::max(problem.line, 1) - 1);
    if (!block.isValid())
      continue;
    QTextEdit::ExtraSelection mark;
    mark.cursor = QTextCursor(block);
    const int from = std::clamp(problem.column - 1, 0, std::max(0, block.length() - 2));
    mark.cursor.setPosition(block.position() + from);
    mark.cursor.movePosition(QTextCursor::EndOfBlock, QTextCursor::KeepAnchor);
    mark.format.setUnderlineStyle(QTextCharFormat::WaveUnderline);
    mark.format.setUnderlineColor(theme().colours().fault);
    mark.format.setToolTip(toQString(problem.text()));
    marks << mark;
  }
  setExtraSelections(marks);
  m_margin->update();
}

void YamlEdit::goToLine(int line, int column)
{
  const QTextBlock block = document()->findBlockByNumber(std::max(line, 1) - 1);
  if (!block.isValid())
    return;
  QTextCursor cursor(block);
  cursor.setPosition(block.position() + std::clamp(column - 1, 0, std::max(0, block.length() - 1)));
  setTextCursor(cursor);
  centerCursor();
  setFocus();
}

void YamlEdit::paintMargin(QPaintEvent& event)
{
  const Palette& c = theme().colours();
  QPainter p(m_margin);
  p.fillRect(event.rect(), c.ground);
  p.setFont(theme().data(11));
  QTextBlock block = firstVisibleBlock();
  for (; block.isValid(); block = block.next()) {
    const QRectF at = blockBoundingGeometry(block).translated(contentOffset());
    if (at.top() > event.rect().bottom())
      break;
    if (at.bottom() < event.rect().top())
      continue;
    const int number = block.blockNumber() + 1;
    const bool wrong = std::any_of(m_problems.begin(), m_problems.end(),
                                   [number](const SheetProblem& s) { return std::max(s.line, 1) == number; });
    p.setPen(wrong ? c.fault : c.muted);
    const QRectF room(px(4), at.top(), m_margin->width() - px(12), at.height());
    p.drawText(room, Qt::AlignRight | Qt::AlignVCenter, QString::number(number));
    if (wrong)
      p.drawText(room, Qt::AlignLeft | Qt::AlignVCenter, QStringLiteral("▲"));
  }
}

}  // namespace bexto::ui
