#pragma once

#include <QEvent>
#include <QLabel>
#include <QPainter>

namespace bexto::ui {

/// One line of plain text that ends in … where room does, rather than make the window wider; the whole is its tool tip.
class ElidedLabel : public QLabel {
 public:
  ElidedLabel() { setTextFormat(Qt::PlainText); }

  QSize minimumSizeHint() const override
  {
    return {fontMetrics().horizontalAdvance(QStringLiteral("…")), QLabel::minimumSizeHint().height()};
  }

 protected:
  bool event(QEvent* event) override
  {
    if (event->type() == QEvent::ToolTip)
      setToolTip(fontMetrics().horizontalAdvance(text()) > contentsRect().width() ? text() : QString());
    return QLabel::event(event);
  }
  void paintEvent(QPaintEvent* /*event*/) override
  {
    QPainter p(this);
    p.setPen(palette().color(foregroundRole()));
    p.drawText(contentsRect(), static_cast<int>(alignment()),
               fontMetrics().elidedText(text(), Qt::ElideRight, contentsRect().width()));
  }
};

}  // namespace bexto::ui
