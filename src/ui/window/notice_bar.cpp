#include "ui/window/notice_bar.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QProgressBar>
#include <QPushButton>

#include "ui/theme/theme.h"

namespace bexto::ui {

NoticeBar::NoticeBar(QWidget* parent)
    : QWidget(parent), m_text(new QLabel), m_progress(new QProgressBar), m_button(new QPushButton)
{
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(12, 4, 8, 4);
  m_text->setTextFormat(Qt::PlainText);
  m_text->setWordWrap(true);
  m_text->setObjectName(QStringLiteral("notice"));
  m_progress->setTextVisible(false);
  m_progress->setRange(0, 1000);
  m_progress->setFixedWidth(280);
  m_button->setObjectName(QStringLiteral("noticeButton"));
  row->addWidget(m_text, 1);
  row->addWidget(m_progress);
  row->addWidget(m_button);
  connect(m_button, &QPushButton::clicked, this, [this] {
    if (m_kind == Kind::Progress)
      Q_EMIT cancelWanted();
    else
      hide();
  });
  hide();
}

void NoticeBar::setKind(Kind kind, const QString& text)
{
  m_kind = kind;
  m_text->setText(kind == Kind::Error ? QStringLiteral("▲ ") + text : text);
  m_text->setStyleSheet(
      QStringLiteral("color: %1;").arg((kind == Kind::Error ? theme().colours().fault : theme().colours().ink).name()));
  m_progress->setVisible(kind == Kind::Progress);
  m_progress->setValue(0);
  m_button->setText(kind == Kind::Progress ? tr("Cancel") : tr("Close"));
  show();
  update();
}

void NoticeBar::showError(const QString& text)
{
  setKind(Kind::Error, text);
}

void NoticeBar::showNote(const QString& text)
{
  setKind(Kind::Note, text);
}

void NoticeBar::showProgress(const QString& text)
{
  setKind(Kind::Progress, text);
}

void NoticeBar::setProgress(double fraction)
{
  m_progress->setValue(qRound(fraction * 1000.0));
}

QString NoticeBar::text() const
{
  return m_text->text();
}

void NoticeBar::paintEvent(QPaintEvent* /*event*/)
{
  const Palette& c = theme().colours();
  QPainter p(this);
  p.fillRect(rect(), m_kind == Kind::Error ? tint(c.fault, 10) : c.panel);
  p.fillRect(QRect(0, height() - 1, width(), 1), c.rule);
}

}  // namespace bexto::ui
