#include "ui/timeline/lane_heads.h"

#include <QInputDialog>
#include <QKeyEvent>
#include <QLineEdit>
#include <QMenu>
#include <QPainter>
#include <algorithm>
#include <array>

#include "core/base/say.h"
#include "core/base/time_text.h"
#include "ui/theme/theme.h"
#include "ui/timeline/timeline_painter.h"

namespace bexto::ui {

namespace {

constexpr int kEdge = 4;
constexpr int kHeadDragPixels = 5;
constexpr int kHeightStep = 12;

class NameEdit : public QLineEdit {
 public:
  NameEdit(const QString& name, QWidget* parent) : QLineEdit(name, parent), m_before(name) {}

 protected:
  void keyPressEvent(QKeyEvent* event) override
  {
    if (event->key() == Qt::Key_Escape) {
      setText(m_before);
      clearFocus();
    } else {
      QLineEdit::keyPressEvent(event);
    }
  }

 private:
  QString m_before;
};

int leastHeight(const TimelineLane& lane)
{
  return lane.kind == TimelineLane::Kind::Bus ? kLeastBusHeight : kLeastWireHeight;
}

}  // namespace

LaneHeads::LaneHeads(SessionModel& session, Engine& engine, const std::vector<TimelineLane>& lanes, QWidget& viewport)
    : QObject(&viewport), m_session(session), m_engine(engine), m_viewport(viewport), m_lanes(lanes)
{
}

void LaneHeads::lanesChanged()
{
  // A decode that ends, or a new capture, makes new lanes in the middle of a drag.
  for (LaneKey* held : {&m_pressed, &m_dragged, &m_resized}) {
    if (find(*held) < 0)
      *held = {};
  }
  if (!isDragging())
    m_dropLine = -1;
}

int LaneHeads::find(const LaneKey& key) const
{
  for (std::size_t i = 0; i < m_lanes.size(); ++i) {
    if (m_lanes[i].key == key)
      return static_cast<int>(i);
  }
  return -1;
}

int LaneHeads::laneAt(QPoint pos, int scroll) const
{
  const int y = pos.y() - px(kRulerHeight) + scroll;
  for (std::size_t i = 0; i < m_lanes.size(); ++i) {
    if (pos.y() >= px(kRulerHeight) && y >= m_lanes[i].top && y < m_lanes[i].bottom())
      return static_cast<int>(i);
  }
  return -1;
}

int LaneHeads::edgeAt(QPoint pos, int scroll) const
{
  const int y = pos.y() - px(kRulerHeight) + scroll;
  for (std::size_t i = 0; i < m_lanes.size(); ++i) {
    if (pos.x() < px(kLaneHeader) && pos.y() >= px(kRulerHeight) && std::abs(y - m_lanes[i].bottom()) < px(kEdge))
      return static_cast<int>(i);
  }
  return -1;
}

std::optional<Qt::CursorShape> LaneHeads::cursorAt(QPoint pos, int scroll) const
{
  if (isDragging())
    return Qt::ClosedHandCursor;
  if (m_resized.valid() || edgeAt(pos, scroll) >= 0)
    return Qt::SizeVerCursor;
  return std::nullopt;
}

bool LaneHeads::press(QPoint pos, int scroll)
{
  const int edge = edgeAt(pos, scroll);
  const int lane = edge >= 0 ? -1 : laneAt(pos, scroll);
  m_resized = edge >= 0 ? m_lanes[static_cast<std::size_t>(edge)].key : LaneKey();
  m_pressed = lane >= 0 ? m_lanes[static_cast<std::size_t>(lane)].key : LaneKey();
  m_from = pos;
  m_session.endGesture();
  if (edge >= 0)
    m_heightBefore = m_lanes[static_cast<std::size_t>(edge)].height;
  return pos.x() < px(kLaneHeader) && (edge >= 0 || lane >= 0);
}

void LaneHeads::move(QPoint pos, int scroll)
{
  if (m_resized.valid()) {
    resize(find(m_resized), m_heightBefore + pos.y() - m_from.y());
    return;
  }
  if (!m_pressed.valid() || (!isDragging() && std::abs(pos.y() - m_from.y()) < kHeadDragPixels))
    return;
  const std::vector<int> siblings = siblingsOf(find(m_pressed));
  if (siblings.size() < 2)
    return;  // there is no other place for it
  m_dragged = m_pressed;
  // The nearest gap between its rivals.
  const int y = pos.y() - px(kRulerHeight) + scroll;
  m_dropPlace = 0;
  for (const int sibling : siblings) {
    const TimelineLane& lane = m_lanes[static_cast<std::size_t>(sibling)];
    if (y > lane.top + lane.height / 2)
      ++m_dropPlace;
  }
  const bool end = m_dropPlace == siblings.size();
  const auto at = static_cast<std::size_t>(end ? siblings.back() : siblings[m_dropPlace]);
  m_dropLine = m_lanes[at].top;
  if (end) {
    // Below the last rival with all that belongs to it.
    std::size_t last = at;
    while (last + 1 < m_lanes.size() && m_lanes[last + 1].group == m_lanes[at].group)
      ++last;
    m_dropLine = m_lanes[last].bottom();
  }
  Q_EMIT dragged();
}

void LaneHeads::release()
{
  const int dragged = find(m_dragged);
  m_pressed = m_dragged = m_resized = {};
  m_dropLine = -1;
  if (dragged >= 0)
    moveBefore(dragged, m_dropPlace);
  Q_EMIT this->dragged();
}

std::vector<int> LaneHeads::siblingsOf(int number) const
{
  const TimelineLane& lane = m_lanes[static_cast<std::size_t>(number)];
  const bool isWireOfBus = lane.group != lane.key;
  std::vector<int> siblings;
  for (std::size_t i = 0; i < m_lanes.size(); ++i) {
    const TimelineLane& other = m_lanes[i];
    if (isWireOfBus ? other.group == lane.group && other.key != lane.group : other.group == other.key)
      siblings.push_back(static_cast<int>(i));
  }
  return siblings;
}

void LaneHeads::moveBefore(int number, std::size_t place)
{
  const std::vector<int> siblings = siblingsOf(number);
  std::vector<LaneKey> keys;
  for (std::size_t i = 0; i <= siblings.size(); ++i) {
    if (i == place)
      keys.push_back(m_lanes[static_cast<std::size_t>(number)].key);
    if (i < siblings.size() && siblings[i] != number)
      keys.push_back(m_lanes[static_cast<std::size_t>(siblings[i])].key);
  }
  // All other lanes keep their places among their own rivals.
  for (const TimelineLane& lane : m_lanes) {
    if (std::find(keys.begin(), keys.end(), lane.key) == keys.end())
      keys.push_back(lane.key);
  }
  change(tr("move a lane"), [&](LaneArrangement& lanes) { lanes.setOrder(keys); });
}

void LaneHeads::shift(int number, int by)
{
  if (!isLane(number))
    return;
  const std::vector<int> siblings = siblingsOf(number);
  const auto at = std::find(siblings.begin(), siblings.end(), number) - siblings.begin();
  const auto last = static_cast<std::ptrdiff_t>(siblings.size()) - 1;
  const std::ptrdiff_t to = std::clamp<std::ptrdiff_t>(at + by, 0, last);
  if (to != at)
    moveBefore(number, static_cast<std::size_t>(to > at ? to + 1 : to));
}

void LaneHeads::resize(int number, int height)
{
  if (!isLane(number))
    return;
  const TimelineLane& lane = m_lanes[static_cast<std::size_t>(number)];
  const int wanted = std::clamp(theme().atDesign(height), leastHeight(lane), kMostLaneHeight);
  change(
      tr("height of %1").arg(lane.name), [&](LaneArrangement& lanes) { lanes.setHeight(lane.key, wanted); },
      QStringLiteral("height ") + lane.name);
}

void LaneHeads::setHidden(const TimelineLane& lane, bool hidden)
{
  change(hidden ? tr("hide %1").arg(lane.name) : tr("show %1").arg(lane.name),
         [&](LaneArrangement& lanes) { lanes.setHidden(lane.key, hidden); });
}

void LaneHeads::setFolded(const TimelineLane& lane, bool folded)
{
  change(folded ? tr("fold the wires of %1").arg(lane.name) : tr("show the wires of %1").arg(lane.name),
         [&](LaneArrangement& lanes) {
           if (lane.kind == TimelineLane::Kind::Number)
             lanes.setOpened(lane.key, !folded);
           else
             lanes.setFolded(lane.key, folded);
         });
}

void LaneHeads::toggleWires()
{
  std::vector<LaneKey> streams;
  for (int b = 0; b < m_engine.busCount(); ++b) {
    for (const StreamView& stream : m_engine.bus(b).streams)
      streams.push_back({m_engine.bus(b).id, stream.line, {}});
  }
  if (streams.empty())
    return;  // wires are all that there is
  const bool fold =
      !arrangement().areLooseFolded() ||
      std::any_of(streams.begin(), streams.end(), [&](const auto& key) { return !arrangement().isFolded(key); });
  change(fold ? tr("fold all wires away") : tr("show all wires"), [&](LaneArrangement& lanes) {
    lanes.setLooseFolded(fold);
    for (const LaneKey& key : streams)
      lanes.setFolded(key, fold);
  });
}

void LaneHeads::addColours(QMenu& menu, const TimelineLane& lane)
{
  const std::string path = m_engine.capture()->channels.at(lane.channel).path;
  const auto add = [&](const QString& text, std::optional<WireColour> colour) {
    QAction* action = menu.addAction(text, this, [this, path, colour, name = lane.name] {
      change(tr("colour of %1").arg(name), [&](LaneArrangement& lanes) { lanes.setColour(path, colour); });
    });
    action->setCheckable(true);
    action->setChecked(lane.colour == colour);
    return action;
  };
  for (const WireColourFacts& facts : kWireColours) {
    QPixmap chip(px(14), px(14));
    chip.fill(wireColour(facts.colour));
    QPainter frame(&chip);
    frame.setPen(theme().colours().muted);
    frame.drawRect(chip.rect().adjusted(0, 0, -1, -1));
    const QString letters = QString::fromUtf8(facts.letters.data(), static_cast<qsizetype>(facts.letters.size()));
    add(tr("%1  %2").arg(letters, toQString(say(facts.name))), facts.colour)->setIcon(chip);
  }
  menu.addSeparator();
  add(tr("As at first"), std::nullopt);
}

void LaneHeads::reset()
{
  change(tr("all lanes as at first"), [](LaneArrangement& lanes) { lanes = {}; });
}

void LaneHeads::setConditioning(const TimelineLane& lane, Conditioning how)
{
  // A menu may stay open while another capture comes, whose channels are others.
  const auto now =
      std::find_if(m_lanes.begin(), m_lanes.end(), [&](const TimelineLane& l) { return l.key == lane.key; });
  if (!m_engine.capture() || now == m_lanes.end())
    return;
  // A wire with several names is one wire.
  const std::vector<Channel>& channels = m_engine.capture()->channels;
  std::vector<std::string> paths{channels[now->channel].path};
  for (const Channel& other : channels) {
    if (other.path != paths.front() && other.track.sameAs(channels[now->channel].track))
      paths.push_back(other.path);
  }
  m_session.setConditioning(paths, how);
}

void LaneHeads::rename(int number, int scroll)
{
  if (!isLane(number) || m_lanes[static_cast<std::size_t>(number)].kind != TimelineLane::Kind::Wire)
    return;
  const TimelineLane lane = m_lanes[static_cast<std::size_t>(number)];
  const Channel& channel = m_engine.capture()->channels.at(lane.channel);
  auto* edit = new NameEdit(lane.name, &m_viewport);
  edit->setObjectName(QStringLiteral("laneName"));
  edit->setAccessibleName(tr("Name of the channel"));
  edit->setGeometry(px(4), px(kRulerHeight) + lane.top - scroll + (lane.height - px(24)) / 2, px(kLaneHeader - 8),
                    px(24));
  setType(*edit, Face::Words, 12);
  edit->selectAll();
  edit->show();
  edit->setFocus();
  connect(edit, &QLineEdit::editingFinished, this, [this, edit, path = channel.path, usual = toQString(channel.name)] {
    const QString name = edit->text().trimmed();
    edit->disconnect(this);
    edit->deleteLater();
    m_viewport.parentWidget()->setFocus();
    change(tr("rename %1").arg(usual),
           [&](LaneArrangement& lanes) { lanes.setName(path, name == usual ? std::string() : name.toStdString()); });
  });
}

QString LaneHeads::nameOfKey(const LaneKey& key) const
{
  if (isPlotKey(key))
    return tr("the plot of %1").arg(toQString(key.channel.substr(key.channel.rfind('.') + 1)));
  if (!key.channel.empty())
    return toQString(arrangement().nameOf(key.channel, key.channel));
  const BusView* const bus = m_engine.find(key.bus);
  const QString name = bus == nullptr ? tr("a bus that was removed") : toQString(bus->wanted.name);
  return key.line.empty() ? name : name + QLatin1Char(' ') + toQString(key.line).toUpper();
}

void LaneHeads::change(const QString& text, const std::function<void(LaneArrangement&)>& with, const QString& gesture)
{
  LaneArrangement lanes = arrangement();
  with(lanes);
  m_session.setLanes(text, lanes, gesture);
}

void LaneHeads::fillMenu(QMenu& menu, int number, int scroll)
{
  if (isLane(number)) {
    const TimelineLane lane = m_lanes[static_cast<std::size_t>(number)];
    if (lane.kind == TimelineLane::Kind::Wire) {
      menu.addAction(tr("Rename"), this, [this, key = lane.key, scroll] { rename(find(key), scroll); });
      QAction* invert = menu.addAction(tr("Invert"));
      invert->setCheckable(true);
      invert->setChecked(lane.track.how.invert);
      connect(invert, &QAction::toggled, this, [this, lane](bool on) {
        Conditioning how = lane.track.how;
        how.invert = on;
        setConditioning(lane, how);
      });
      addFilters(*menu.addMenu(tr("Ignore pulses under")), lane);
      addColours(*menu.addMenu(tr("Colour of the lead")), lane);
    } else if (lane.kind == TimelineLane::Kind::Number) {
      menu.addAction(lane.folded ? tr("Show its bits") : tr("Put its bits away"), this,
                     [this, lane] { setFolded(lane, !lane.folded); });
      QMenu* formats = menu.addMenu(tr("Show values as"));
      for (int i = 0; i < kValueFormats; ++i) {
        const auto format = static_cast<ValueFormat>(i);
        QAction* action = formats->addAction(toQString(say(formatName(format))), this, [this, lane, format] {
          change(tr("values of %1").arg(lane.name), [&](LaneArrangement& lanes) { lanes.setFormat(lane.key, format); });
        });
        action->setCheckable(true);
        action->setChecked(format == lane.format);
      }
    } else if (lane.kind == TimelineLane::Kind::Plot) {
      QAction* joined = menu.addAction(tr("Straight lines from value to value"));
      joined->setCheckable(true);
      joined->setChecked(lane.plot->plot.joined);
      connect(joined, &QAction::toggled, this, [this, plot = lane.plot->plot](bool on) mutable {
        plot.joined = on;
        m_session.addPlot(plot);
      });
      menu.addAction(tr("Remove the plot of %1").arg(lane.name), this,
                     [this, plot = lane.plot->plot] { m_session.removePlot(plot); });
    } else {
      menu.addAction(lane.folded ? tr("Show its wires") : tr("Fold its wires away"), this,
                     [this, lane] { setFolded(lane, !lane.folded); });
    }
    menu.addAction(tr("Hide %1").arg(lane.name), this, [this, lane] { setHidden(lane, true); });
    QMenu* place = menu.addMenu(tr("Place and height"));
    place->addAction(tr("Up"), this, [this, key = lane.key] { shift(find(key), -1); });
    place->addAction(tr("Down"), this, [this, key = lane.key] { shift(find(key), 1); });
    place->addAction(tr("Taller"), this, [this, lane] { resize(find(lane.key), lane.height + px(kHeightStep)); });
    place->addAction(tr("Lower"), this, [this, lane] { resize(find(lane.key), lane.height - px(kHeightStep)); });
  }
  if (arrangement().touched())
    menu.addAction(tr("All lanes as at first"), this, [this] { reset(); });
  if (!arrangement().hidden().empty()) {
    QMenu* show = menu.addMenu(tr("Show hidden"));
    for (const LaneKey& key : arrangement().hidden()) {
      show->addAction(nameOfKey(key), this, [this, key] {
        change(tr("show %1").arg(nameOfKey(key)), [&](LaneArrangement& lanes) { lanes.setHidden(key, false); });
      });
    }
    show->addSeparator();
    show->addAction(tr("All"), this,
                    [this] { change(tr("show all lanes"), [](LaneArrangement& lanes) { lanes.showAll(); }); });
  }
}

void LaneHeads::addFilters(QMenu& menu, const TimelineLane& lane)
{
  static constexpr std::array<std::int64_t, 5> kNanoseconds{0, 10, 50, 200, 1000};
  for (const std::int64_t ns : kNanoseconds) {
    const Picoseconds width = std::chrono::nanoseconds{ns};
    QAction* action = menu.addAction(ns == 0 ? tr("Nothing: all pulses count") : toQString(lengthText(width, 3)));
    action->setCheckable(true);
    action->setChecked(lane.track.how.minPulse == width);
    connect(action, &QAction::triggered, this, [this, lane, width] {
      Conditioning how = lane.track.how;
      how.minPulse = width;
      setConditioning(lane, how);
    });
  }
  menu.addAction(tr("Another width …"), this, [this, lane] { askFilter(lane); });
}

void LaneHeads::askFilter(const TimelineLane& lane)
{
  bool good = true;
  QString hint;
  for (QString text = toQString(lengthText(lane.track.how.minPulse, 3)); good;) {
    text = QInputDialog::getText(&m_viewport, tr("Ignore short pulses"),
                                 hint + tr("Pulses of %1 shorter than this do not count:").arg(lane.name),
                                 QLineEdit::Normal, text, &good);
    const auto width = parseTime(text.remove(QLatin1Char(' ')).toStdString());
    if (good && width && *width >= Picoseconds{0} && *width <= std::chrono::milliseconds{1}) {
      Conditioning how = lane.track.how;
      how.minPulse = *width;
      setConditioning(lane, how);
      return;
    }
    hint = tr("That is no time from 0s to 1ms: write it like 50ns.") + QLatin1Char('\n');
  }
}

}  // namespace bexto::ui
