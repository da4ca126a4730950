#pragma once

#include <QObject>
#include <QString>
#include <optional>
#include <vector>

#include "core/view/time_axis.h"
#include "ui/engine/engine.h"

namespace bexto::ui {

/// A frame of a bus, and where in it the user pointed.
struct Selection {
  StreamId stream;
  std::uint64_t frame = 0;
  Picoseconds at{0};  ///< a moment inside the frame: views that show parts of it show that part

  bool valid() const { return stream.valid(); }
  bool operator==(const Selection&) const = default;
};

/// Something measured, to be drawn on the wires between its two ends.
struct MeasuredInterval {
  BusId bus = BusId::None;
  std::string channel;  ///< path of the wire that it is drawn on; empty: the bus's lane
  TimeRange time;
  QString text;   ///< "tSU;DAT 12 ns"
  QString limit;  ///< "≥ 100 ns"; may be empty
  bool fails = false;
  bool operator==(const MeasuredInterval&) const = default;
};

/// What picking a transaction selects: of a faulty one the faulty frame, because that is what people come for.
Selection selectionOf(StreamId stream, const Transactions& transactions, std::uint64_t number);

/// What the whole window looks at: one selection, one visible span, one cursor. Views set it and follow it; they do not
/// know one another. The session keeps what is in view. UI thread only.
class Focus : public QObject {
  Q_OBJECT
 public:
  Focus(SessionModel& session, Engine& engine, QObject* parent = nullptr);

  /// Of a frame that is there, or empty, at every moment. While its bus is decoded anew and has not come that far, it
  /// is empty, and is back as soon as a frame begins where the selected one did.
  const Selection& selection() const { return m_selection; }
  /// The place before is remembered. Requires: exists(selection), or it is empty.
  void select(const Selection& selection);
  /// The same for steps from line to line, which are no jumps: the way back does not lead over each of them.
  void step(const Selection& selection);
  /// Selects it and moves the view to it; of another segment that one is shown first.
  void goTo(const Selection& selection, bool isStep = false);
  void clearSelection() { select({}); }
  /// Whether the engine has that frame; a decode since may have fewer.
  bool exists(const Selection& selection) const;
  /// The transaction that holds the selection. Requires: selection().valid().
  std::uint64_t selectedTransaction() const;
  TimeRange selectedTime() const;
  const StreamView& selectedStream() const;
  /// Shows it on its wires, large enough to see both ends, and selects the frame that it is in; `selection` may be
  /// empty. It stays until another frame is selected.
  void showInterval(const MeasuredInterval& interval, const Selection& selection);
  const std::optional<MeasuredInterval>& interval() const { return m_interval; }
  void clearInterval();
  /// The next frame with an error, in any bus, after the selection or the visible span's begin. False when none is
  /// left.
  bool selectFault(bool forward);
  /// The frame that selectFault() would select; nothing when none is left.
  std::optional<Selection> nextFault(bool forward) const;
  /// The next or previous transaction of the selected stream.
  void selectNeighbour(bool forward);

  const TimeAxis& axis() const { return m_axis; }
  /// Another span is one that was chosen: the first traffic will not be shown instead.
  void setAxis(const TimeAxis& axis);
  /// Of the Timeline, in pixels: the scale stays, once somebody has chosen one.
  void setWidth(int pixels);
  void show(TimeRange span) { setAxis(TimeAxis(span, m_axis.width())); }
  void keepSpan() { m_firstView = false; }
  /// Moves the view, without zooming, so that `time` is in it.
  void reveal(TimeRange time);
  /// Zooms so that `time` fills most of the view.
  void zoomTo(TimeRange time);
  void zoomToSelection();
  /// The capture from its begin to its end, and no more than that.
  void showEverything();

  std::optional<Picoseconds> cursor() const { return m_cursor; }
  void setCursor(std::optional<Picoseconds> t);

  /// The place before the last jump, and back again.
  void goBack();
  void goForward();

 Q_SIGNALS:
  void selectionChanged();
  void axisChanged();
  void cursorChanged();
  void intervalChanged();

 private:
  struct Place {
    Selection selection;
    TimeAxis axis;
  };
  void follow(const EngineChange& change);
  void showFirstWires();
  void showFirstTraffic();
  void followFrames(const BusChange& change);
  void keepInSession();
  void forgetRemoved();
  void lookAgain(const InView& left);
  void remember();
  void take(const Selection& selection);
  void showWithoutChoice(TimeRange span);
  void goToPlace(const Place& place);

  SessionModel& m_session;
  Engine& m_engine;
  Selection m_selection;
  Picoseconds m_selectionBegin{0};
  /// A selection whose frame a new decode has not found yet; its frame number means nothing.
  std::optional<Selection> m_awaited;
  TimeAxis m_axis;
  std::optional<Picoseconds> m_cursor;
  std::optional<MeasuredInterval> m_interval;
  std::vector<Place> m_back;
  std::vector<Place> m_forward;
  bool m_firstView = false;  ///< the capture is new: show its first traffic when there is some
};

}  // namespace bexto::ui
