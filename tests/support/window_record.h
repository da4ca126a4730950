#pragma once

// What a window shows, as lines of text: its widgets with what they say and where they stand, and what our own of them
// paint. Two such records side by side tell what a step changed, and a record kept as a file tells what it changed when
// it was last looked at.

#include <cxxabi.h>

#include <QAbstractButton>
#include <QAbstractItemView>
#include <QAbstractScrollArea>
#include <QAbstractSlider>
#include <QAction>
#include <QApplication>
#include <QComboBox>
#include <QCryptographicHash>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPaintEngine>
#include <QPainter>
#include <QPlainTextEdit>
#include <QStringList>
#include <QWidget>
#include <array>
#include <cstdlib>
#include <map>
#include <memory>
#include <utility>

#include "support/recording_device.h"
#include "ui/theme/theme.h"

namespace bexto::test {

/// The role that a colour has in the look that is set: ink, muted … with how much of it; its value where it has none.
inline QString nameOfColour(const QColor& colour)
{
  const ui::Palette& all = ui::theme().colours();
  const std::array<std::pair<const QColor*, const char*>, 13> roles{{{&all.ground, "ground"},
                                                                     {&all.panel, "panel"},
                                                                     {&all.rule, "rule"},
                                                                     {&all.wash, "wash"},
                                                                     {&all.ink, "ink"},
                                                                     {&all.muted, "muted"},
                                                                     {&all.address, "address"},
                                                                     {&all.payload, "payload"},
                                                                     {&all.control, "control"},
                                                                     {&all.check, "check"},
                                                                     {&all.fault, "fault"},
                                                                     {&all.device, "device"},
                                                                     {&all.selection, "selection"}}};
  for (const auto& [role, name] : roles) {
    if (role->rgb() == colour.rgb())
      return QString::fromLatin1(name) +
             (colour.alpha() == 255 ? QString() : QStringLiteral("/%1").arg(colour.alpha()));
  }
  return colour.name(QColor::HexArgb);
}

/// A few digits that are others when the bytes are.
inline QString sumOf(const QByteArray& bytes)
{
  return QString::fromLatin1(QCryptographicHash::hash(bytes, QCryptographicHash::Md5).toHex().left(6));
}

/// " words12 bold": of which family it is, its height in pixels, and what it is besides.
inline QString nameOfFont(const QFont& font)
{
  QString look = font.family().contains(QLatin1String("Mono")) ? QStringLiteral(" data") : QStringLiteral(" words");
  look += QString::number(font.pixelSize());
  if (font.bold())
    look += QLatin1String(" bold");
  if (font.italic())
    look += QLatin1String(" italic");
  if (font.strikeOut())
    look += QLatin1String(" struck");
  return look;
}

/// What is painted on it, a line a call, in whole pixels. Runs of many points stand as their ends and a sum.
class DrawRecorder : public RecordingDevice {
 public:
  explicit DrawRecorder(QSize size) : RecordingDevice(size), m_engine(m_lines) {}
  const QStringList& lines() const { return m_lines; }
  QPaintEngine* paintEngine() const override { return &m_engine; }

 private:
  class Engine : public QPaintEngine {
   public:
    explicit Engine(QStringList& lines) : QPaintEngine(AllFeatures), m_lines(lines) {}
    bool begin(QPaintDevice* /*device*/) override { return true; }
    bool end() override { return true; }
    Type type() const override { return User; }

    void updateState(const QPaintEngineState& state) override
    {
      const DirtyFlags dirty = state.state();
      if (dirty & DirtyTransform)
        m_transform = state.transform();
      if (dirty & DirtyPen)
        m_pen = state.pen();
      if (dirty & DirtyBrush)
        m_brush = state.brush();
      if (dirty & DirtyOpacity)
        m_opacity = state.opacity();
      if (dirty & DirtyClipRegion)
        clip(state.clipRegion().boundingRect(), state.clipOperation());
      if (dirty & DirtyClipPath)
        clip(state.clipPath().boundingRect(), state.clipOperation());
    }
    void drawRects(const QRectF* rects, int count) override
    {
      for (int i = 0; i < count; ++i)
        add(QStringLiteral("rect ") + text(rects[i]) + fill() + line());
    }
    void drawRects(const QRect* rects, int count) override
    {
      for (int i = 0; i < count; ++i)
        add(QStringLiteral("rect ") + text(QRectF(rects[i])) + fill() + line());
    }
    void drawLines(const QLineF* lines, int count) override
    {
      QList<QPointF> points;
      for (int i = 0; i < count; ++i)
        points << lines[i].p1() << lines[i].p2();
      add((count == 1 ? QStringLiteral("line ") : QStringLiteral("lines ")) + text(points) + line());
    }
    void drawLines(const QLine* lines, int count) override
    {
      QList<QLineF> all;
      for (int i = 0; i < count; ++i)
        all << QLineF(lines[i]);
      drawLines(all.constData(), count);
    }
    void drawEllipse(const QRectF& rect) override { add(QStringLiteral("ellipse ") + text(rect) + fill() + line()); }
    void drawEllipse(const QRect& rect) override { drawEllipse(QRectF(rect)); }
    void drawPoints(const QPointF* points, int count) override
    {
      add(QStringLiteral("points ") + text(QList<QPointF>(points, points + count)) + line());
    }
    void drawPolygon(const QPointF* points, int count, PolygonDrawMode mode) override
    {
      add((mode == PolylineMode ? QStringLiteral("polyline ") : QStringLiteral("polygon ")) +
          text(QList<QPointF>(points, points + count)) + (mode == PolylineMode ? QString() : fill()) + line());
    }
    void drawPath(const QPainterPath& path) override
    {
      add(QStringLiteral("path %1 of %2").arg(text(path.boundingRect())).arg(path.elementCount()) + fill() + line());
    }
    void drawPixmap(const QRectF& to, const QPixmap& pixmap, const QRectF& from) override
    {
      drawImage(to, pixmap.toImage(), from, {});
    }
    void drawImage(const QRectF& to, const QImage& image, const QRectF& from,
                   Qt::ImageConversionFlags /*flags*/) override
    {
      const QImage part = image.copy(from.toAlignedRect()).convertToFormat(QImage::Format_ARGB32);
      QByteArray points;
      for (int y = 0; y < part.height(); ++y)
        points.append(reinterpret_cast<const char*>(part.constScanLine(y)), part.width() * 4);
      add(QStringLiteral("picture %1 (%2)").arg(text(to), sumOf(points)));
    }
    void drawTiledPixmap(const QRectF& to, const QPixmap& /*pixmap*/, const QPointF& /*at*/) override
    {
      add(QStringLiteral("pattern ") + text(to));
    }
    void drawTextItem(const QPointF& at, const QTextItem& item) override
    {
      add(QStringLiteral("text %1 \"%2\"").arg(text(QList<QPointF>{at}), item.text()) + nameOfFont(item.font()) +
          QLatin1Char(' ') + nameOfColour(m_pen.color()));
    }

   private:
    void add(const QString& line)
    {
      m_lines << (m_opacity < 1.0 ? line + QStringLiteral(" opacity %1").arg(m_opacity, 0, 'f', 2) : line);
    }
    void clip(const QRectF& rect, Qt::ClipOperation operation)
    {
      if (operation != Qt::NoClip)
        add(QStringLiteral("within ") + text(rect));
    }
    static QString number(double value) { return QString::number(qRound(value)); }
    QString text(const QRectF& rect) const
    {
      const QRectF to = m_transform.mapRect(rect);
      return number(to.x()) + QLatin1Char(',') + number(to.y()) + QLatin1Char(' ') + number(to.width()) +
             QLatin1Char('x') + number(to.height());
    }
    QString text(const QList<QPointF>& points) const
    {
      QStringList all;
      for (const QPointF& point : points) {
        const QPointF to = m_transform.map(point);
        all << number(to.x()) + QLatin1Char(',') + number(to.y());
      }
      if (all.size() <= 6)
        return all.join(QLatin1Char(' '));
      return QStringLiteral("%1 .. %2 (%3, %4)")
          .arg(all.first(), all.last(), QString::number(all.size()), sumOf(all.join(QLatin1Char(' ')).toLatin1()));
    }
    QString fill() const
    {
      return m_brush.style() == Qt::NoBrush
                 ? QString()
                 : QStringLiteral(" in ") + nameOfColour(m_brush.color()) +
                       (m_brush.style() == Qt::SolidPattern ? QString()
                                                            : QStringLiteral(" style %1").arg(m_brush.style()));
    }
    QString line() const
    {
      if (m_pen.style() == Qt::NoPen)
        return {};
      QString said = QStringLiteral(" by ") + nameOfColour(m_pen.color());
      if (m_pen.widthF() > 1.0)
        said += QStringLiteral(" of %1").arg(m_pen.widthF());
      if (m_pen.style() != Qt::SolidLine)
        said += QStringLiteral(" style %1").arg(static_cast<int>(m_pen.style()));
      return said;
    }

    QStringList& m_lines;
    QTransform m_transform;
    QPen m_pen;
    QBrush m_brush;
    double m_opacity = 1.0;
  };

  QStringList m_lines;
  mutable Engine m_engine;
};

/// Strokes and dots of one kind, more than three in a row, as their ends and a sum: rulers and samples.
inline QStringList withRunsJoined(const QStringList& lines)
{
  const auto kindOf = [](const QString& line) {
    for (const char* kind : {"line ", "ellipse "}) {
      if (line.startsWith(QLatin1String(kind)))
        return QLatin1String(kind) + line.section(QLatin1Char(' '), 3);
    }
    return QString();
  };
  QStringList joined;
  for (qsizetype i = 0; i < lines.size();) {
    qsizetype end = i + 1;
    for (const QString kind = kindOf(lines[i]); !kind.isEmpty() && end < lines.size() && kindOf(lines[end]) == kind;)
      ++end;
    if (kindOf(lines[i]).isEmpty()) {
      // Rows of bars, whatever their colours.
      while (end < lines.size() && lines[i].startsWith(QLatin1String("rect ")) &&
             lines[end].startsWith(QLatin1String("rect ")))
        ++end;
      if (end - i <= 12)
        end = i + 1;
    }
    if (end - i > 3)
      joined << QStringLiteral("%1 .. %2 (%3, %4)")
                    .arg(lines[i], lines[end - 1].section(QLatin1Char(' '), 1, 2), QString::number(end - i),
                         sumOf(lines.mid(i, end - i).join(QLatin1Char('|')).toLatin1()));
    else
      joined += lines.mid(i, end - i);
    i = end;
  }
  return joined;
}

/// What a widget itself paints, those inside it left out.
inline QStringList drawnBy(QWidget& widget)
{
  DrawRecorder recorder(widget.size());
  QPainter painter(&recorder);
  widget.render(&painter, QPoint(), QRegion(), QWidget::RenderFlags());
  painter.end();
  return withRunsJoined(recorder.lines());
}

inline QString classOf(const QObject& object)
{
  int status = 0;
  const std::unique_ptr<char, decltype(&std::free)> name(
      abi::__cxa_demangle(typeid(object).name(), nullptr, nullptr, &status), &std::free);
  return QString::fromLatin1(name.get()).section(QStringLiteral("::"), -1);
}
/// Ours, or a part of ours in which we paint.
inline bool paintsItself(const QWidget& widget)
{
  const auto isOurs = [](const QObject& object) {
    return std::string_view(typeid(object).name()).find("bexto") != std::string_view::npos;
  };
  const auto* const area = qobject_cast<const QAbstractScrollArea*>(widget.parentWidget());
  const bool isViewport = area != nullptr && area->viewport() == &widget;
  return isOurs(widget) || (isViewport && (isOurs(*area) || qobject_cast<const QAbstractItemView*>(area) != nullptr));
}

inline QString inOneLine(QString text)
{
  return text.replace(QLatin1Char('\n'), QStringLiteral("\\n"));
}

/// What a widget says besides where it is.
inline QString saidBy(const QWidget& widget)
{
  QString said;
  if (const auto* label = qobject_cast<const QLabel*>(&widget))
    said += QStringLiteral(" \"%1\"").arg(label->text());
  if (const auto* button = qobject_cast<const QAbstractButton*>(&widget)) {
    said += QStringLiteral(" \"%1\"").arg(button->text());
    said += button->isCheckable() ? (button->isChecked() ? QStringLiteral(" on") : QStringLiteral(" off")) : QString();
  }
  if (const auto* line = qobject_cast<const QLineEdit*>(&widget)) {
    said += QStringLiteral(" \"%1\"").arg(line->text());
    if (!line->placeholderText().isEmpty())
      said += QStringLiteral(" else \"%1\"").arg(line->placeholderText());
  }
  if (const auto* combo = qobject_cast<const QComboBox*>(&widget)) {
    QStringList all;
    for (int i = 0; i < combo->count(); ++i)
      all << combo->itemText(i);
    said += QStringLiteral(" \"%1\" of %2").arg(combo->currentText(), all.join(QLatin1Char('|')));
  }
  if (const auto* text = qobject_cast<const QPlainTextEdit*>(&widget))
    said += QStringLiteral(" \"%1\" at %2").arg(text->toPlainText()).arg(text->textCursor().position());
  if (const auto* slider = qobject_cast<const QAbstractSlider*>(&widget))
    said += QStringLiteral(" %1 of %2..%3 by %4")
                .arg(slider->value())
                .arg(slider->minimum())
                .arg(slider->maximum())
                .arg(slider->pageStep());
  if (const auto* head = qobject_cast<const QHeaderView*>(&widget); head != nullptr && head->model() != nullptr) {
    QStringList all;
    for (int i = 0; i < head->count(); ++i) {
      if (const int section = head->logicalIndex(i); !head->isSectionHidden(section))
        all << head->model()->headerData(section, head->orientation()).toString();
    }
    said += QStringLiteral(" heads \"%1\"").arg(all.join(QLatin1Char('|')));
  }
  // How it looks, as far as that is not what its parent makes of it.
  const bool isLabel = qobject_cast<const QLabel*>(&widget) != nullptr;
  if (isLabel && widget.foregroundRole() != QPalette::WindowText)
    said += QLatin1Char(' ') + nameOfColour(widget.palette().color(widget.foregroundRole()));
  if (widget.autoFillBackground())
    said += QLatin1String(" on ") + nameOfColour(widget.palette().color(widget.backgroundRole()));
  if (widget.parentWidget() != nullptr && widget.font() != widget.parentWidget()->font())
    said += nameOfFont(widget.font());
  if (!widget.accessibleDescription().isEmpty())
    said += QStringLiteral(" described \"%1\"").arg(widget.accessibleDescription());
  if (!widget.toolTip().isEmpty())
    said += QStringLiteral(" tip \"%1\"").arg(widget.toolTip());
  if (!widget.accessibleName().isEmpty())
    said += QStringLiteral(" spoken \"%1\"").arg(widget.accessibleName());
  if (!widget.isEnabled())
    said += QLatin1String(" disabled");
  if (widget.hasFocus())
    said += QLatin1String(" FOCUS");
  if (widget.focusPolicy() != Qt::NoFocus)
    said += QStringLiteral(" keys %1").arg(static_cast<int>(widget.focusPolicy()));
  if (widget.testAttribute(Qt::WA_SetCursor))
    said += QStringLiteral(" cursor %1").arg(static_cast<int>(widget.cursor().shape()));
  return inOneLine(said);
}

inline void addActions(const QList<QAction*>& actions, int depth, QStringList& lines)
{
  for (const QAction* action : actions) {
    QString line =
        QString(2 * depth, QLatin1Char(' ')) + (action->isSeparator() ? QStringLiteral("--") : action->text());
    if (!action->shortcut().isEmpty())
      line += QStringLiteral(" [%1]").arg(action->shortcut().toString());
    if (action->isCheckable())
      line += action->isChecked() ? QLatin1String(" on") : QLatin1String(" off");
    if (!action->isEnabled())
      line += QLatin1String(" disabled");
    if (action->toolTip() != action->text() && !action->toolTip().isEmpty() && !action->isSeparator())
      line += QStringLiteral(" tip \"%1\"").arg(action->toolTip());
    lines << inOneLine(line);
    if (action->menu() != nullptr)
      addActions(action->menu()->actions(), depth + 1, lines);
  }
}

inline void addWidget(QWidget& widget, int depth, QStringList& lines)
{
  const QString indent(2 * depth, QLatin1Char(' '));
  QString line = indent + classOf(widget);
  if (!widget.objectName().isEmpty() && !widget.objectName().startsWith(QLatin1String("qt_")))
    line += QLatin1Char('#') + widget.objectName();
  const QRect at = widget.geometry();
  line += QStringLiteral(" %1,%2 %3x%4").arg(at.x()).arg(at.y()).arg(at.width()).arg(at.height());
  lines << line + saidBy(widget);
  if (auto* menu = qobject_cast<QMenu*>(&widget))
    addActions(menu->actions(), depth + 1, lines);
  else if (paintsItself(widget)) {
    for (const QString& drawn : drawnBy(widget))
      lines << indent + QLatin1String("  . ") + drawn;
  }
  for (QObject* child : widget.children()) {
    auto* const inside = qobject_cast<QWidget*>(child);
    // The button that clears a line comes and goes by a motion of Qt's own.
    if (inside != nullptr && inside->isVisible() && !inside->isWindow() && !inside->inherits("QLineEditIconButton"))
      addWidget(*inside, depth + 1, lines);
  }
}

/// Of a widget and what is inside it.
inline QStringList recordOf(QWidget& widget)
{
  QStringList lines;
  addWidget(widget, 0, lines);
  return lines;
}

/// The lines that are in one record only: those gone with "- ", then those new with "+ ".
inline QStringList changesBetween(const QStringList& before, const QStringList& after)
{
  std::map<QString, int> surplus;
  for (const QString& line : after)
    ++surplus[line];
  QStringList changes;
  for (const QString& line : before) {
    if (--surplus[line] < 0)
      changes << QStringLiteral("- ") + line;
  }
  surplus.clear();
  for (const QString& line : before)
    ++surplus[line];
  for (const QString& line : after) {
    if (--surplus[line] < 0)
      changes << QStringLiteral("+ ") + line;
  }
  return changes;
}

}  // namespace bexto::test
