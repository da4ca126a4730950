#pragma once

#include <QPaintEngine>
#include <QPainter>
#include <QStringList>
#include <QWidget>

#include "support/recording_device.h"

namespace bexto::test {

/// Keeps the texts that are drawn on it, and nothing else. A text in several fonts comes in pieces.
class TextRecorder : public RecordingDevice {
 public:
  explicit TextRecorder(QSize size) : RecordingDevice(size), m_engine(m_texts) {}
  const QStringList& texts() const { return m_texts; }
  QPaintEngine* paintEngine() const override { return &m_engine; }

 private:
  class Engine : public QPaintEngine {
   public:
    explicit Engine(QStringList& texts) : QPaintEngine(AllFeatures), m_texts(texts) {}
    bool begin(QPaintDevice* /*device*/) override { return true; }
    bool end() override { return true; }
    void updateState(const QPaintEngineState& /*state*/) override {}
    void drawPath(const QPainterPath& /*path*/) override {}
    void drawPolygon(const QPointF* /*points*/, int /*count*/, PolygonDrawMode /*mode*/) override {}
    void drawPixmap(const QRectF& /*to*/, const QPixmap& /*pixmap*/, const QRectF& /*from*/) override {}
    void drawTextItem(const QPointF& /*at*/, const QTextItem& item) override { m_texts << item.text(); }
    Type type() const override { return User; }

   private:
    QStringList& m_texts;
  };

  QStringList m_texts;
  mutable Engine m_engine;
};

/// What a widget and those inside it write.
inline QStringList textsOn(QWidget& widget)
{
  TextRecorder recorder(widget.size());
  QPainter painter(&recorder);
  widget.render(&painter);
  painter.end();
  return recorder.texts();
}

}  // namespace bexto::test
