#include "ui/timeline/timeline_painter.h"

#include <QImage>
#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>

#include "core/base/time_text.h"
#include "core/decode/sentence.h"
#include "core/view/vector_shape.h"
#include "core/view/wire_shape.h"
#include "ui/theme/theme.h"
#include "ui/timeline/plot_painter.h"

namespace bexto::ui {

namespace {

constexpr int kSentenceTop = 7;
constexpr int kSentenceHeight = 19;
constexpr int kFieldTop = 30;
constexpr int kFieldHeight = 19;
constexpr int kLineStep = 21;  ///< from the fields of one data wire to those of the next
constexpr int kBitTop = 52;
constexpr int kBitStep = 14;

/// Hatching marks a fault without colour.
void hatch(QPainter& p, QRectF rect, const QColor& colour)
{
  p.fillRect(rect, QBrush(tint(colour, 55), Qt::BDiagPattern));
}

/// `percent` of `over` on `under`.
QRgb mixed(const QColor& under, const QColor& over, int percent)
{
  const auto part = [percent](int a, int b) { return a + (b - a) * percent / 100; };
  return qRgb(part(under.red(), over.red()), part(under.green(), over.green()), part(under.blue(), over.blue()));
}

}  // namespace

QColor wireColour(WireColour colour)
{
  static constexpr std::array<QRgb, 10> kShades{0xff1b1b1b, 0xff7a4a21, 0xffc8201f, 0xffe87a12, 0xffe9c500,
                                                0xff2f8f3a, 0xff2463b5, 0xff7d3c98, 0xff8b8f94, 0xffffffff};
  return QColor(kShades.at(static_cast<std::size_t>(colour)));
}

namespace {

QColor chipColour(const QString& name)
{
  // A channel's own hue, steady from session to session; wires themselves stay ink.
  static constexpr std::array<QRgb, 6> kHues{0xffc98a2b, 0xff4a86c8, 0xff6ba04b, 0xffb05a8c, 0xff5aa3a0, 0xff9a7a55};
  uint sum = 0;
  for (const QChar c : name)
    sum = sum * 31 + c.unicode();
  return QColor(kHues.at(sum % kHues.size()));
}

/// What is done to a wire, for its head: "inverted, ≥ 50 ns", which is what still counts.
QString conditioningText(const Conditioning& how)
{
  QStringList parts;
  if (how.invert)
    parts << TimelinePainter::tr("inverted");
  if (how.minPulse > Picoseconds{0})
    parts << QStringLiteral("≥ ") + toQString(lengthText(how.minPulse, 3));
  return parts.join(QStringLiteral(", "));
}

}  // namespace

void TimelinePainter::lanes(const std::vector<TimelineLane>& lanes, QRect area, int scroll)
{
  const Palette& c = theme().colours();
  m_p.save();
  m_p.setClipRect(area);
  for (const TimelineLane& lane : lanes) {
    const QRect rect(area.left(), area.top() + lane.top - scroll, area.width(), lane.height);
    if (!rect.intersects(area)) {
      m_bits.clear();
      continue;
    }
    const QRect content = rect.adjusted(px(kLaneHeader), 0, 0, -lane.dimension);
    if (lane.kind == TimelineLane::Kind::Plot) {
      plotLane(*lane.plot, rect, area);
      continue;
    }
    m_p.save();
    m_p.setClipRect(content & area);
    if (lane.kind == TimelineLane::Kind::Bus)
      busLane(lane, content);
    else if (lane.kind == TimelineLane::Kind::Number)
      numberLane(lane, content);
    else
      wireLane(lane, content);
    m_p.restore();
    if (lane.dimension > 0) {
      const QRect room(content.left(), content.bottom() + 1, content.width(), lane.dimension);
      m_p.save();
      m_p.setClipRect(content.united(room) & area);
      dimension(content, room);
      m_p.restore();
    }
    header(lane, rect);
    m_p.fillRect(QRect(rect.left(), rect.bottom(), rect.width(), 1), c.rule);
  }
  m_p.restore();
}

void TimelinePainter::plotLane(const PlotView& plot, QRect rect, QRect area)
{
  const Palette& c = theme().colours();
  const PlotPicture picture(plot, m_engine, m_axis);
  const QRect content = rect.adjusted(px(kLaneHeader), 0, 0, 0);
  m_p.save();
  m_p.setClipRect(content & area);
  picture.paint(m_p, content, m_hidesCursor ? std::nullopt : m_focus.cursor());
  m_p.restore();
  const QRect head(rect.left(), rect.top(), px(kLaneHeader), rect.height());
  m_p.fillRect(head, c.panel);
  picture.paintHead(m_p, head);
  m_p.fillRect(QRect(rect.left(), rect.bottom(), rect.width(), 1), c.rule);
}

void TimelinePainter::header(const TimelineLane& lane, QRect rect)
{
  const Palette& c = theme().colours();
  const QRect head(rect.left(), rect.top(), px(kLaneHeader), rect.height());
  m_p.fillRect(head, c.panel);
  if (lane.kind == TimelineLane::Kind::Bus) {
    m_p.setPen(c.ink);
    m_p.setFont(theme().words(12, true));
    const int nameTop = std::min(px(8), std::max(0, (head.height() - m_p.fontMetrics().height()) / 2));
    const bool oneLine = head.height() < px(44);
    const int nameRoom = px(kLaneHeader - 16) - (oneLine && lane.folded ? px(12) : 0) -
                         (oneLine && !lane.direction.isEmpty() ? px(20) : 0);
    const QString name = m_p.fontMetrics().elidedText(lane.name, Qt::ElideRight, nameRoom);
    m_p.drawText(head.adjusted(px(12), nameTop, -px(4), 0), Qt::AlignLeft | Qt::AlignTop, name);
    m_p.setPen(c.muted);
    m_p.setFont(theme().words(11));
    if (oneLine) {
      // What kind of bus it is has to wait for more room; of two directions, which it is.
      m_p.drawText(head.adjusted(px(12), nameTop, -px(6), 0), Qt::AlignRight | Qt::AlignTop,
                   lane.folded ? lane.direction + QStringLiteral(" ▸") : lane.direction);
      return;
    }
    const QString detail = lane.folded ? lane.detail + QStringLiteral(" ▸") : lane.detail;
    m_p.drawText(head.adjusted(px(12), px(26), -px(4), 0), Qt::AlignLeft | Qt::AlignTop, detail);
    if (lane.lines.size() > 1 && lane.height >= px(kFieldTop) + px(kLineStep) + px(kFieldHeight)) {
      m_p.setFont(theme().data(10));
      const QRect label(head.left(), head.top() + px(kFieldTop), head.width() - px(6), px(kFieldHeight));
      for (int i = 0; i < lane.lines.size(); ++i)
        m_p.drawText(label.translated(0, i * px(kLineStep)), Qt::AlignRight | Qt::AlignVCenter, lane.lines[i]);
    }
    return;
  }
  if (lane.kind == TimelineLane::Kind::Number) {
    m_p.setPen(c.ink);
    m_p.setFont(theme().words(12));
    const QString sign = lane.folded ? QStringLiteral("▸") : QStringLiteral("▾");
    m_p.drawText(head.adjusted(px(2), 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter, sign);
    m_p.drawText(head.adjusted(px(14), 0, -px(4), 0), Qt::AlignLeft | Qt::AlignVCenter,
                 m_p.fontMetrics().elidedText(lane.name, Qt::ElideMiddle, px(kLaneHeader - 18)));
    return;
  }
  const int inset = std::min(px(10), head.height() / 4);
  const QRect chip(head.left() + px(4), head.top() + inset, px(3), head.height() - 2 * inset);
  int room = px(kLaneHeader - 16);
  if (lane.colour) {
    // Black and white leads would vanish on a dark or light head: each has an outline, and its letters.
    const QRect lead = chip.adjusted(-px(1), 0, px(2), 0);
    m_p.fillRect(lead, wireColour(*lane.colour));
    m_p.setPen(c.muted);
    m_p.setBrush(Qt::NoBrush);
    m_p.drawRect(QRectF(lead).adjusted(0.5, 0.5, -0.5, -0.5));
    m_p.setFont(theme().data(9));
    const std::string_view letters = kWireColours.at(static_cast<std::size_t>(*lane.colour)).letters;
    const QString text = QString::fromUtf8(letters.data(), static_cast<qsizetype>(letters.size()));
    m_p.drawText(head.adjusted(0, 0, -px(4), 0), Qt::AlignRight | Qt::AlignVCenter, text);
    room -= m_p.fontMetrics().horizontalAdvance(text) + px(4);
  } else {
    m_p.fillRect(chip, chipColour(lane.name));
  }
  m_p.setPen(c.ink);
  m_p.setFont(theme().words(12));
  const QString name = m_p.fontMetrics().elidedText(lane.name, Qt::ElideMiddle, room);
  const QString changed = conditioningText(lane.track.how);
  if (changed.isEmpty() || head.height() < px(34)) {
    m_p.drawText(head.adjusted(px(12), 0, -px(4), 0), Qt::AlignLeft | Qt::AlignVCenter,
                 changed.isEmpty() ? name : name + QStringLiteral(" *"));
    return;
  }
  m_p.drawText(head.adjusted(px(12), 0, -px(4), -px(14)), Qt::AlignLeft | Qt::AlignVCenter, name);
  m_p.setPen(c.muted);
  m_p.setFont(theme().words(10));
  m_p.drawText(head.adjusted(px(12), px(14), -px(4), 0), Qt::AlignLeft | Qt::AlignVCenter, changed);
}

void TimelinePainter::sentence(const BusView& view, const StreamView& stream, const LaneSentence& s, QRectF rect,
                               bool selected)
{
  const Palette& c = theme().colours();
  m_p.setPen(s.fault ? QPen(c.fault, 1) : QPen(selected ? c.selection.darker(115) : c.rule, 1));
  m_p.setBrush(selected ? c.selection : c.panel);
  m_p.drawRoundedRect(rect.adjusted(0.5, 0.5, -0.5, -0.5), 3, 3);
  // A sentence that begins left of the view is read from the view's edge on.
  const double left = std::max(rect.left(), m_p.clipBoundingRect().left());
  const double right = std::min(rect.right(), m_p.clipBoundingRect().right());
  const double room = right - left - px(12);
  if (room < px(14))
    return;
  m_p.setFont(theme().words(12, true));
  const QFontMetrics metrics = m_p.fontMetrics();
  double x = left + px(6);
  if (s.fault) {
    m_p.setPen(c.fault);
    m_p.drawText(QPointF(x, rect.top() + px(14)), QStringLiteral("▲"));
    x += metrics.horizontalAdvance(QStringLiteral("▲ "));
  }
  const QString length = toQString(lengthText(stream.transactions.timeOf(s.transaction).length(), 3));
  m_p.setFont(theme().data(11));
  const double lengthWidth = m_p.fontMetrics().horizontalAdvance(length);
  const bool showsLength = room > px(240);
  if (showsLength) {
    m_p.setPen(c.muted);
    m_p.drawText(QPointF(right - lengthWidth - px(6), rect.top() + px(13)), length);
  }
  const double end = right - px(6) - (showsLength ? lengthWidth + px(10) : 0.0);
  m_p.setFont(theme().words(12, true));
  const auto most = static_cast<std::size_t>(std::clamp(room / px(12), 1.0, 200.0));
  for (const SentencePart& part : sentenceOf(view.shown, stream.transactions, s.transaction, most).parts) {
    const QString all = toQString(part.text);
    const QString text = metrics.elidedText(all, Qt::ElideRight, static_cast<int>(end - x));
    m_p.setPen(s.fault && part.tone == Tone::Plain ? c.ink : theme().toneColour(part.tone));
    m_p.drawText(QPointF(x, rect.top() + px(14)), text);
    x += metrics.horizontalAdvance(text);
    if (text != all || x >= end)
      break;
  }
  const std::uint64_t frame = stream.transactions.framesOf(s.transaction).first;
  if ((stream.transactions.frames().frame(frame).kind & kFaultKind) != 0 && end > x + px(12))
    hatch(m_p, QRectF(x + px(6), rect.top() + px(4), end - x - px(8), rect.height() - px(8)), c.fault);
}

/// A frame of which only its time is known, or that is too short for words: these stand behind it as far as nothing
/// else does.
void TimelinePainter::moment(const BusView& view, const StreamView& stream, const LaneSentence& s, QRectF bar,
                             double until, bool selected)
{
  const Palette& c = theme().colours();
  const double x = bar.left() + std::max(px(5.0), std::min(bar.width(), px(12.0)));
  const double room = until - x - px(8);
  bar.setWidth(px(2));
  if (room >= px(24)) {
    m_p.setFont(theme().words(12, true));
    const QFontMetrics metrics = m_p.fontMetrics();
    const auto most = static_cast<std::size_t>(std::clamp(room / px(12), 1.0, 200.0));
    const Sentence said = sentenceOf(view.shown, stream.transactions, s.transaction, most);
    const QString all = (s.fault ? QStringLiteral("▲ ") : QString()) + toQString(said.text());
    const QString text = metrics.elidedText(all, Qt::ElideRight, static_cast<int>(room));
    if (selected)
      m_p.fillRect(
          QRectF(bar.left(), bar.top(), x - bar.left() + metrics.horizontalAdvance(text) + px(4), bar.height()),
          c.selection);
    m_p.setPen(s.fault ? c.fault : c.ink);
    m_p.drawText(QPointF(x, bar.top() + px(14)), text);
  }
  m_p.fillRect(bar, s.fault ? c.fault : selected ? c.selection.darker(130) : theme().toneColour(Tone::Address));
}

void TimelinePainter::field(const LaneField& f, QRectF rect)
{
  const Palette& c = theme().colours();
  const QColor colour = f.fault ? c.fault : theme().roleColour(f.role);
  m_p.fillRect(rect, tint(colour, 11));
  if (f.fault)
    hatch(m_p, rect, colour);
  m_p.fillRect(QRectF(rect.left(), rect.top(), px(2), rect.height()), colour);
  QString text = toQString(f.text);
  const bool value = f.role == Role::Address || f.role == Role::Data || f.role == Role::Direction ||
                     f.role == Role::Acknowledge || f.role == Role::Parity;
  m_p.setFont(value ? theme().data(12, f.role == Role::Address || f.role == Role::Data) : theme().data(10));
  if (!value && m_p.fontMetrics().horizontalAdvance(text) + px(8) > rect.width())
    text = toQString(f.brief);
  if (m_p.fontMetrics().horizontalAdvance(text) + px(4) > rect.width())
    return;
  m_p.setPen(colour);
  m_p.drawText(rect.adjusted(1, 0, 0, 0), Qt::AlignCenter, text);
}

void TimelinePainter::busLane(const TimelineLane& lane, QRect rect)
{
  const Palette& c = theme().colours();
  m_bits.clear();
  if (m_engine.find(lane.stream) == nullptr)
    return;
  const BusView& view = *m_engine.find(lane.stream.bus);
  const StreamView& stream = *m_engine.find(lane.stream);
  const BusLane content =
      bexto::busLane(view.shown, stream.input, stream.transactions, stream.faulty, m_axis, theme().scale());
  const Selection& selection = m_focus.selection();
  const bool here = selection.valid() && selection.stream == lane.stream;
  const std::uint64_t selected = here ? m_focus.selectedTransaction() : 0;
  const int sentenceTop = std::min(px(kSentenceTop), std::max(0, (rect.height() - px(kSentenceHeight)) / 2));
  for (std::size_t i = 0; i < content.sentences.size(); ++i) {
    const LaneSentence& s = content.sentences[i];
    QRectF bar(rect.left() + s.x0, rect.top() + sentenceTop, std::max(1.0, s.x1 - s.x0), px(kSentenceHeight));
    const bool isSelected = here && selected >= s.transaction && selected < s.transaction + s.count;
    if (s.count == 1 && s.x1 - s.x0 >= px(12)) {
      sentence(view, stream, s, bar, isSelected);
      continue;
    }
    if (s.count == 1 && stream.input.records) {
      const bool isLast = i + 1 == content.sentences.size();
      moment(view, stream, s, bar, isLast ? rect.right() : rect.left() + content.sentences[i + 1].x0, isSelected);
      continue;
    }
    // Too narrow for words: a stroke, darker the more it stands for.
    bar.setWidth(std::max(1.5, bar.width() - 1.0));
    const int strength = std::min(85, 30 + static_cast<int>(12.0 * std::log2(static_cast<double>(s.count) + 1.0)));
    m_p.fillRect(bar.adjusted(0, px(3), 0, -px(3)), s.fault ? c.fault : tint(c.ink, strength));
    if (isSelected)
      m_p.fillRect(bar, tint(c.selection, 90));
  }
  // A lane made lower keeps its upper tiers.
  const auto lines = static_cast<int>(lane.lines.size());
  const int fieldsEnd = px(kFieldTop) + (lines - 1) * px(kLineStep) + px(kFieldHeight);
  if (rect.height() >= fieldsEnd) {
    for (const LaneField& f : content.fields)
      field(f, QRectF(rect.left() + f.x0, rect.top() + px(kFieldTop) + f.line * px(kLineStep), f.x1 - f.x0 - 1.0,
                      px(kFieldHeight)));
  }
  m_p.setFont(theme().data(10));
  const int bitTop = px(kBitTop) + (lines - 1) * px(kLineStep);
  for (const LaneBit& bit : content.bits) {
    if (rect.height() < bitTop + lines * px(kBitStep))
      break;
    m_p.setPen(bit.fault ? c.fault : theme().roleColour(bit.role));
    if (bit.role == Role::Stuff) {
      // Boxed: it is on the wire, but no part of what is said.
      m_p.setBrush(Qt::NoBrush);
      m_p.drawRoundedRect(
          QRectF(rect.left() + bit.x - px(5), rect.top() + bitTop + bit.line * px(kBitStep) + 0.5, px(10), px(13)), 2,
          2);
    }
    m_p.drawText(
        QRectF(rect.left() + bit.x - px(8), rect.top() + bitTop + bit.line * px(kBitStep), px(16), px(kBitStep)),
        Qt::AlignCenter, bit.level ? QStringLiteral("1") : QStringLiteral("0"));
  }
  m_bits = content.bits;
  m_bitsGroup = lane.group;
  findings(lane.stream.bus, lane.stream.stream, rect);
}

/// A wire is three kinds of pixel rows: the high line, what is between, the low line. Made as pixels, a thousand edges
/// cost microseconds; as lines and rectangles they cost a millisecond a lane.
QImage TimelinePainter::wirePicture(const ConditionedTrack& track, int width, int height) const
{
  const Palette& c = theme().colours();
  const QRgb ground = c.ground.rgb();
  const QRgb ink = c.ink.rgb();
  const std::array<QRgb, 5> shades{ground, mixed(c.ground, c.ink, 45), mixed(c.ground, c.ink, 58),
                                   mixed(c.ground, c.ink, 72), mixed(c.ground, c.ink, 86)};
  // In the pixels that the screen really has.
  const double fine = m_p.device()->devicePixelRatioF();
  const auto columns = static_cast<std::size_t>(std::lround(width * fine));
  const int rows = static_cast<int>(std::lround(height * fine));
  const int stroke = std::max(1, static_cast<int>(std::lround(fine)));
  std::vector<QRgb> top(columns, ground);
  std::vector<QRgb> middle(columns, ground);
  std::vector<QRgb> bottom(columns, ground);
  const WireRun* before = nullptr;
  const std::vector<WireRun> runs = wireShape(track, m_axis.finer(fine), m_engine.whole().end);
  for (const WireRun& run : runs) {
    const auto fill = [&](std::vector<QRgb>& row, QRgb colour) {
      const auto end = std::min(static_cast<std::ptrdiff_t>(run.x1), static_cast<std::ptrdiff_t>(columns));
      std::fill(row.begin() + std::min<std::ptrdiff_t>(run.x0, end), row.begin() + end, colour);
    };
    const bool busy = run.state == WireState::Busy;
    const bool isHigh = run.state == WireState::High;
    fill(top, busy ? shades.at(run.density) : isHigh ? ink : ground);
    fill(middle, busy ? shades.at(run.density) : isHigh ? c.wash.rgb() : ground);
    fill(bottom, busy ? shades.at(run.density) : isHigh ? c.wash.rgb() : ink);
    if (!busy && before != nullptr && before->state != WireState::Busy && before->state != run.state) {
      const auto last = std::min(columns, static_cast<std::size_t>(run.x0 + stroke));
      for (auto x = static_cast<std::size_t>(run.x0); x < last; ++x)
        top[x] = middle[x] = bottom[x] = ink;
    }
    before = &run;
  }
  QImage picture(static_cast<int>(columns), rows, QImage::Format_RGB32);
  picture.setDevicePixelRatio(fine);
  for (int y = 0; y < rows; ++y) {
    const std::vector<QRgb>& row = y < stroke ? top : y + stroke >= rows ? bottom : middle;
    std::memcpy(picture.scanLine(y), row.data(), row.size() * sizeof(QRgb));
  }
  return picture;
}

void TimelinePainter::wireLane(const TimelineLane& lane, QRect rect)
{
  const Palette& c = theme().colours();
  const int inset = std::min(px(8), rect.height() / 5);
  const int high = rect.top() + inset;
  const int low = rect.bottom() - inset;
  m_p.drawImage(QPoint(rect.left(), high), wirePicture(lane.track, rect.width(), low - high + 1));
  if (lane.sampledLine >= 0 && lane.group == m_bitsGroup) {
    // Where the decoder looked, and what it saw there: on an inverted line high and low change places by themselves.
    for (const LaneBit& bit : m_bits) {
      if (bit.line != lane.sampledLine)
        continue;
      const bool level = lane.track.levelAt(m_axis.timeAt(bit.x));
      m_p.setPen(Qt::NoPen);
      m_p.setBrush(bit.fault ? c.fault : theme().roleColour(bit.role));
      m_p.drawEllipse(QPointF(rect.left() + bit.x, level ? high : low), px(2.0), px(2.0));
    }
  }
}

/// Each value in a field of its own, as the bytes of a bus have them.
void TimelinePainter::numberLane(const TimelineLane& lane, QRect rect)
{
  const Palette& c = theme().colours();
  const int inset = std::min(px(8), rect.height() / 5);
  const QRectF row(rect.left(), rect.top() + inset, 0, rect.height() - 2 * inset);
  m_p.setFont(theme().data(12));
  for (const VectorRun& run : vectorShape(lane.bits, m_axis, m_engine.whole().end)) {
    const QRectF box(row.left() + run.x0, row.top(), run.x1 - run.x0, row.height());
    if (run.busy) {
      m_p.fillRect(box, mixed(c.ground, c.ink, 31 + 14 * run.density));
      continue;
    }
    m_p.fillRect(box, tint(c.payload, 11));
    // A value that began before the view has no begin to show.
    if (run.x0 > 0)
      m_p.fillRect(QRectF(box.left(), box.top(), std::min<double>(px(2), box.width()), box.height()), c.payload);
    const QString text = toQString(vectorText(run.bits, lane.format));
    const QRectF room = box.adjusted(px(4), 0, -px(1), 0);
    const QString shown = m_p.fontMetrics().elidedText(text, Qt::ElideLeft, static_cast<int>(room.width()));
    m_p.setPen(c.payload);
    if (shown == text || room.width() > px(40))
      m_p.drawText(room, Qt::AlignLeft | Qt::AlignVCenter, shown);
  }
}

void TimelinePainter::ruler(QRect area)
{
  const Palette& c = theme().colours();
  m_p.fillRect(area, c.panel);
  m_p.fillRect(QRect(area.left(), area.bottom(), area.width(), 1), c.rule);
  const QRect content = area.adjusted(px(kLaneHeader), 0, 0, 0);
  m_p.save();
  m_p.setClipRect(content);
  m_p.setFont(theme().data(11));
  double free = content.left();
  for (const AxisTick& tick : m_axis.ticks(px(104))) {
    const double x = content.left() + tick.x;
    m_p.setPen(c.muted);
    m_p.drawLine(QPointF(x, area.bottom() - px(tick.label.empty() ? 3 : 8)), QPointF(x, area.bottom() - 1));
    if (tick.label.empty() || x < free)
      continue;
    const QString text = toQString(tick.label);
    m_p.setPen(tick.origin ? c.ink : c.muted);
    m_p.drawText(QPointF(x + px(4), area.bottom() - px(8)), text);
    free = x + m_p.fontMetrics().horizontalAdvance(text) + px(10);
  }
  m_p.restore();
}

void TimelinePainter::overlay(QRect area, int rulerTop)
{
  const Palette& c = theme().colours();
  m_p.save();
  m_p.setClipRect(QRect(area.left(), rulerTop, area.width(), area.bottom() - rulerTop + 1));
  for (const Marker& marker : m_markers) {
    const double x = area.left() + m_axis.xOf(marker.time);
    if (x < area.left() - px(200) || x > area.right() + px(10))
      continue;
    m_p.setPen(QPen(c.address, 1, Qt::DashLine));
    m_p.drawLine(QPointF(x, rulerTop + px(16)), QPointF(x, area.bottom()));
    m_p.setFont(theme().words(10, true));
    // One letter makes the usual square; a longer name makes its flag wider, to the right.
    const double width = std::max(px(14.0), m_p.fontMetrics().horizontalAdvance(toQString(marker.name)) + px(8.0));
    const QRectF flag(x - px(7), rulerTop + px(2), width, px(14));
    m_p.setPen(Qt::NoPen);
    m_p.setBrush(c.address);
    m_p.drawRoundedRect(flag, 3, 3);
    m_p.setPen(c.panel);
    m_p.drawText(flag, Qt::AlignCenter, toQString(marker.name));
    if (!marker.note.empty()) {
      m_p.setFont(theme().words(11));
      const QString note = m_p.fontMetrics().elidedText(toQString(marker.note), Qt::ElideRight, px(180));
      const QRectF room(flag.right() + px(3), rulerTop + px(1), m_p.fontMetrics().horizontalAdvance(note) + px(8),
                        px(16));
      m_p.fillRect(room, tint(c.panel, 85));
      m_p.setPen(c.address);
      m_p.drawText(room.adjusted(px(4), 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter, note);
    }
  }
  for (std::size_t i = 0; m_engine.capture() && i < m_engine.capture()->gaps.size(); ++i) {
    // Levels there are those of before, and nothing that was seen.
    const TimeRange gap = m_engine.capture()->gaps[i];
    const double left = std::max<double>(area.left(), area.left() + m_axis.xOf(gap.begin));
    const double right = std::min<double>(area.right() + 1, area.left() + m_axis.xOf(gap.end));
    if (right < area.left() || left > area.right())
      continue;
    const QRectF lost(left, area.top(), std::max(px(2.0), right - left), area.height());
    m_p.fillRect(lost, tint(c.ground, 80));
    hatch(m_p, lost, c.fault);
    m_p.setFont(theme().words(11));
    const QString says = TimelinePainter::tr("nothing recorded for %1").arg(toQString(lengthText(gap.length(), 3)));
    if (const double width = m_p.fontMetrics().horizontalAdvance(says) + px(12); width < lost.width()) {
      const QRectF flag(lost.center().x() - width / 2, lost.top() + px(4), width, px(18));
      m_p.fillRect(flag, c.panel);
      m_p.setPen(c.fault);
      m_p.drawText(flag, Qt::AlignCenter, says);
    }
  }
  if (m_engine.capture() && m_engine.capture()->trigger) {
    // No marker: nobody dropped it and nobody can move it.
    const double x = area.left() + m_axis.xOf(*m_engine.capture()->trigger);
    m_p.setPen(QPen(c.muted, 1));
    m_p.drawLine(QPointF(x, rulerTop + px(16)), QPointF(x, area.bottom()));
    // Left of its line, because the ruler writes its times right of theirs.
    m_p.setFont(theme().words(10));
    const QString name = TimelinePainter::tr("trigger");
    const double width = m_p.fontMetrics().horizontalAdvance(name) + px(4);
    const bool hasRoom = x - width > area.left();
    m_p.drawText(QPointF(hasRoom ? x - width : x + px(3), rulerTop + px(13)), name);
  }
  if (m_focus.cursor() && !m_hidesCursor) {
    const double x = area.left() + m_axis.xOf(*m_focus.cursor());
    m_p.setPen(QPen(tint(c.muted, 60), 1));
    m_p.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()));
  }
  m_p.restore();
}

}  // namespace bexto::ui
