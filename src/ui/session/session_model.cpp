#include "ui/session/session_model.h"

#include <utility>

#include "ui/text/text.h"

namespace bexto::ui {

namespace {

/// A note that is begun and then written is one step.
QString noteGesture(MarkerId id)
{
  return QStringLiteral("note %1").arg(static_cast<std::uint32_t>(id));
}

}  // namespace

class SessionModel::Step : public QUndoCommand {
 public:
  Step(SessionModel& model, const QString& text, std::shared_ptr<Edit> edit, QString gesture)
      : QUndoCommand(text), m_model(model), m_edit(std::move(edit)), m_gesture(std::move(gesture))
  {
  }

 protected:
  int id() const override { return m_gesture.isEmpty() ? -1 : 1; }
  bool mergeWith(const QUndoCommand* other) override
  {
    const auto& later = static_cast<const Step&>(*other);
    if (later.m_gesture != m_gesture || later.m_begins)
      return false;
    m_edit->absorb(*later.m_edit);
    setObsolete(m_edit->empty());
    return true;
  }
  void undo() override { Q_EMIT m_model.changed(m_edit->undo(m_model.m_value)); }
  void redo() override
  {
    // The stack does what it is given; by then it is done.
    const SessionChange change = m_fresh ? m_edit->change() : m_edit->redo(m_model.m_value);
    if (std::exchange(m_fresh, false))
      m_begins = std::exchange(m_model.m_gestureEnded, false);
    Q_EMIT m_model.changed(change);
  }

 private:
  SessionModel& m_model;
  std::shared_ptr<Edit> m_edit;
  QString m_gesture;
  bool m_fresh = true;
  bool m_begins = false;  ///< a gesture of its own, though it is called like the one before
};

SessionModel::SessionModel(QObject* parent) : QObject(parent)
{
  constexpr int kMostSteps = 1000;
  m_steps.setUndoLimit(kMostSteps);
}

void SessionModel::edit(const QString& text, const std::function<void(Session&)>& change, const QString& gesture)
{
  auto edit = std::make_shared<Edit>(Edit::make(m_value, change));
  if (edit->empty())
    return;
  std::erase_if(m_edits, [](const std::weak_ptr<Edit>& e) { return e.expired(); });
  m_edits.push_back(edit);
  m_steps.push(new Step(*this, text, std::move(edit), gesture));
}

void SessionModel::undo()
{
  Q_EMIT settling();
  m_steps.undo();
}

void SessionModel::redo()
{
  Q_EMIT settling();
  m_steps.redo();
}

BusId SessionModel::addBus(const Bus& bus)
{
  BusId id = BusId::None;
  edit(tr("add bus %1").arg(toQString(bus.name)), [&](Session& session) { id = bexto::addBus(session, bus); });
  return id;
}

void SessionModel::changeBus(BusId id, const Bus& bus)
{
  const SessionBus* const before = m_value.find(id);
  if (before == nullptr)
    return;
  const QString name = toQString(before->bus.name);
  const auto change = [&](Session& session) { bexto::changeBus(session, id, bus); };
  Bus renamed = before->bus;
  renamed.name = bus.name;
  if (renamed == bus)
    edit(tr("rename bus %1").arg(name), change, QStringLiteral("bus name %1").arg(static_cast<std::uint32_t>(id)));
  else
    edit(tr("change bus %1").arg(name), change);
}

void SessionModel::setSheets(BusId id, const SheetTexts& sheets, const QString& gesture)
{
  if (const SessionBus* const bus = m_value.find(id))
    edit(
        tr("change devices of %1").arg(toQString(bus->bus.name)),
        [&](Session& session) { bexto::setSheets(session, id, sheets); }, gesture);
}

void SessionModel::setBooks(BusId id, const SheetTexts& books, const QString& gesture)
{
  if (const SessionBus* const bus = m_value.find(id))
    edit(
        tr("change rulebooks of %1").arg(toQString(bus->bus.name)),
        [&](Session& session) { bexto::setBooks(session, id, books); }, gesture);
}

void SessionModel::removeBus(BusId id)
{
  if (const SessionBus* const bus = m_value.find(id))
    edit(tr("remove bus %1").arg(toQString(bus->bus.name)), [id](Session& session) { bexto::removeBus(session, id); });
}

void SessionModel::setConditioning(const std::vector<std::string>& channels, Conditioning how)
{
  edit(tr("how %1 is read").arg(channels.empty() ? QString() : toQString(channels.front())), [&](Session& session) {
    for (const std::string& channel : channels)
      bexto::setConditioning(session, channel, how);
  });
}

void SessionModel::addPlot(const Plot& plot)
{
  edit(tr("plot %1").arg(toQString(plot.of.value)), [&](Session& session) { bexto::addPlot(session, plot); });
}

void SessionModel::removePlot(const Plot& plot)
{
  edit(tr("remove the plot of %1").arg(toQString(plot.of.value)),
       [&](Session& session) { bexto::removePlot(session, plot); });
}

void SessionModel::setLanes(const QString& text, const LaneArrangement& lanes, const QString& gesture)
{
  edit(
      text, [&](Session& session) { session.lanes = lanes; }, gesture);
}

MarkerId SessionModel::addMarker(Picoseconds time, const QString& edge)
{
  MarkerId id = MarkerId::None;
  edit(tr("drop a marker"), [&](Session& session) { id = bexto::addMarker(session, time, edge.toStdString()); });
  return id;
}

MarkerId SessionModel::addNote(BusId bus, Picoseconds begin, const QString& note)
{
  Session after = m_value;
  const MarkerId id = bexto::addNote(after, bus, begin, note.toStdString());
  edit(
      tr("write a note"), [&](Session& session) { bexto::addNote(session, bus, begin, note.toStdString()); },
      noteGesture(id));
  return id;
}

void SessionModel::moveMarker(MarkerId id, Picoseconds time, const QString& edge)
{
  edit(
      tr("move a marker"), [&](Session& session) { bexto::moveMarker(session, id, time, edge.toStdString()); },
      QStringLiteral("marker %1").arg(static_cast<std::uint32_t>(id)));
}

void SessionModel::renameMarker(MarkerId id, const QString& name)
{
  edit(tr("rename a marker"), [&](Session& session) { bexto::renameMarker(session, id, name.toStdString()); });
}

void SessionModel::setNote(MarkerId id, const QString& note)
{
  edit(
      tr("write a note"), [&](Session& session) { bexto::setNote(session, id, note.toStdString()); }, noteGesture(id));
}

void SessionModel::removeMarker(MarkerId id)
{
  edit(tr("remove a marker"), [id](Session& session) { bexto::removeMarker(session, id); });
}

void SessionModel::clearMarkers()
{
  edit(tr("remove all markers"), [](Session& session) { removeMarkersOf(session, session.segment); });
}

void SessionModel::setFilter(const LineFilter& filter)
{
  edit(
      tr("filter"), [&](Session& session) { session.filter = filter; }, QStringLiteral("filter"));
}

void SessionModel::setColumns(const std::string& list, const std::vector<ColumnPlace>& columns)
{
  edit(
      tr("columns"), [&](Session& session) { session.columns[list] = columns; },
      QStringLiteral("columns ") + toQString(list));
}

void SessionModel::assumeColumns(const std::string& list, const std::vector<ColumnPlace>& columns)
{
  m_value.columns.try_emplace(list, columns);
}

void SessionModel::plan(const CapturePlan& plan)
{
  if (plan == m_value.plan)
    return;
  m_value.plan = plan;
  Q_EMIT planned();
}

void SessionModel::keepSend(const SendLine& line)
{
  constexpr std::size_t kMost = 50;
  std::vector<SendLine>& sends = m_value.sends;
  if (!sends.empty() && sends.front() == line)
    return;
  std::erase(sends, line);
  sends.insert(sends.begin(), line);
  if (sends.size() > kMost)
    sends.pop_back();
  Q_EMIT sendsChanged();
}

void SessionModel::forgetSend(const SendLine& line)
{
  if (std::erase(m_value.sends, line) > 0)
    Q_EMIT sendsChanged();
}

void SessionModel::takeCapture(const QString& path, const std::vector<Bus>& own)
{
  m_steps.clear();
  SessionChange change;
  change.markers = !m_value.markers.empty();
  change.busList = !own.empty();
  bexto::takeCapture(m_value, path.toStdString(), own);
  if (change.any())
    Q_EMIT changed(change);
}

void SessionModel::replace(const Session& session)
{
  m_steps.clear();
  const CapturePlan before = m_value.plan;
  m_value = session;
  if (m_value.plan.source.empty())
    m_value.plan = before;  // of a session that was never at a bench
  Q_EMIT planned();
  SessionChange change;
  change.busList = change.conditioning = change.lanes = change.plots = change.markers = change.filter = change.columns =
      true;
  Q_EMIT changed(change);
}

void SessionModel::showSegment(SegmentId segment, const InView& view)
{
  m_value.segment = segment;
  m_value.view = view;
  SessionChange change;
  change.markers = !m_value.markers.empty();
  if (change.any())
    Q_EMIT changed(change);
}

void SessionModel::forgetSegment(SegmentId segment)
{
  m_steps.clear();
  m_edits.clear();
  removeMarkersOf(m_value, segment);
}

void SessionModel::setClean()
{
  m_gestureEnded = true;  // or the next step of the same gesture would be one with what was saved
  m_steps.setClean();
}

void SessionModel::amend(BusId bus, const std::function<void(SessionBus&)>& with)
{
  for (SessionBus& entry : m_value.buses) {
    if (entry.id == bus)
      with(entry);
  }
  for (const std::weak_ptr<Edit>& kept : m_edits) {
    if (const std::shared_ptr<Edit> edit = kept.lock())
      edit->amend(bus, with);
  }
  SessionChange change;
  change.buses.push_back(bus);
  Q_EMIT changed(change);
}

}  // namespace bexto::ui
