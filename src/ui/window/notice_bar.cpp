#include "ui/window/notice_bar.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QProgressBar>
#include <QPushButton>
#include <algorithm>

#include "ui/access/spoken.h"
#include "ui/text/text.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

NoticeBar::NoticeBar(QWidget* parent) : QWidget(parent)
{
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  lineOf(Work::Opening) = makeLine(tr("Cancel"), "cancelOpening", true);
  lineOf(Work::Export) = makeLine(tr("Cancel"), "cancelExport", true);
  lineOf(Work::Saving) = makeLine(tr("Cancel"), "cancelSaving", true);
  m_said = makeLine(tr("Close"), "noticeButton", false);
  m_said.text->setObjectName(QStringLiteral("notice"));
  makeAlert(*m_said.row);
  m_action = new QPushButton;
  m_action->setObjectName(QStringLiteral("noticeAction"));
  m_action->hide();
  qobject_cast<QHBoxLayout*>(m_said.row->layout())->insertWidget(1, m_action);
  connect(m_action, &QPushButton::clicked, this, &NoticeBar::actionWanted);
  for (const Work work : {Work::Opening, Work::Export, Work::Saving})
    connect(lineOf(work).button, &QPushButton::clicked, this, [this, work] { Q_EMIT cancelWanted(work); });
  connect(m_said.button, &QPushButton::clicked, this, &NoticeBar::clearText);
  hide();
}

NoticeBar::Line NoticeBar::makeLine(const QString& button, const char* buttonName, bool hasProgress)
{
  Line line;
  line.row = new QWidget;
  auto* row = new QHBoxLayout(line.row);
  row->setContentsMargins(12, 4, 8, 4);
  line.text = new QLabel;
  line.text->setTextFormat(Qt::PlainText);
  line.text->setWordWrap(true);
  row->addWidget(line.text, 1);
  if (hasProgress) {
    line.progress = new QProgressBar;
    line.progress->setTextVisible(false);
    line.progress->setRange(0, 1000);
    sized(*line.progress, [bar = line.progress] { bar->setFixedWidth(px(280)); });
    row->addWidget(line.progress);
  }
  line.button = new QPushButton(button);
  line.button->setObjectName(QString::fromLatin1(buttonName));
  row->addWidget(line.button);
  line.row->hide();
  layout()->addWidget(line.row);
  return line;
}

void NoticeBar::showLines()
{
  const auto isShown = [](const Line& line) { return !line.row->isHidden(); };
  setVisible(isShown(m_said) || std::any_of(m_work.begin(), m_work.end(), isShown));
  update();
}

void NoticeBar::say(bool isError, const QString& text)
{
  m_isError = isError;
  m_action->hide();
  m_said.text->setText(isError ? QStringLiteral("▲ ") + text : text);
  setInk(*m_said.text, isError ? Ink::Fault : Ink::Plain);
  m_said.row->setAccessibleName(m_said.text->text());
  m_said.row->show();
  showLines();
  sayAlert(*m_said.row);
}

void NoticeBar::showError(const QString& text)
{
  say(true, text);
}

void NoticeBar::offer(const QString& action)
{
  m_action->setText(action);
  m_action->show();
}

void NoticeBar::showNotes(const std::vector<std::string>& notes)
{
  constexpr std::size_t kMost = 4;
  if (notes.empty())
    return;
  QStringList lines;
  for (std::size_t i = 0; i < std::min(kMost, notes.size()); ++i)
    lines << toQString(notes[i]);
  if (notes.size() > kMost)
    lines.last() += QLatin1Char(' ') + countOf(notes.size() - kMost, {"(and {} more)", "(and {} more)"});
  showNote(lines.join(QLatin1Char('\n')));
}

void NoticeBar::showNote(const QString& text)
{
  say(false, text);
}

void NoticeBar::clearText()
{
  m_said.row->hide();
  m_said.text->clear();
  showLines();
}

QString NoticeBar::text() const
{
  return m_said.text->text();
}

void NoticeBar::showProgress(Work work, const QString& text)
{
  lineOf(work).text->setText(text);
  lineOf(work).progress->setValue(0);
  lineOf(work).row->show();
  showLines();
}

void NoticeBar::setProgress(Work work, double fraction)
{
  lineOf(work).progress->setValue(qRound(fraction * 1000.0));
}

void NoticeBar::endProgress(Work work)
{
  lineOf(work).row->hide();
  showLines();
}

void NoticeBar::paintEvent(QPaintEvent* /*event*/)
{
  const Palette& c = theme().colours();
  QPainter p(this);
  p.fillRect(rect(), c.panel);
  if (m_isError && !m_said.row->isHidden())
    p.fillRect(m_said.row->geometry(), tint(c.fault, 10));
  p.fillRect(QRect(0, height() - 1, width(), 1), c.rule);
}

}  // namespace bexto::ui
