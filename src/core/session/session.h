#pragma once

#include <map>
#include <string>
#include <vector>

#include "core/base/stream_id.h"
#include "core/decode/bus.h"
#include "core/session/capture_plan.h"
#include "core/session/lane_arrangement.h"
#include "core/session/marker.h"
#include "core/session/plot.h"
#include "core/signal/conditioning.h"

namespace bexto {

/// A bus of a session; what its frames are is no part of it.
struct SessionBus {
  BusId id = BusId::None;
  Bus bus;
  /// Somebody said how its values are to be shown, or it was found out: nobody has to guess any more.
  bool formatKnown = false;
  bool operator==(const SessionBus&) const = default;
};

/// What a list leaves out: a text in the filter language, and those of its terms that are switched off.
struct LineFilter {
  std::string text;
  std::vector<std::string> off = {};  ///< terms as they stand in the text
  bool operator==(const LineFilter&) const = default;
};

/// A column of a list, and how wide it is.
struct ColumnPlace {
  std::string key;  ///< as LedgerColumnSpec has it
  int width = 0;    ///< in pixels
  bool operator==(const ColumnPlace&) const = default;
};

/// Something that is sent to provoke an answer.
struct SendLine {
  BusId bus = BusId::None;
  std::string text;      ///< as Protocol::telegram() reads it
  Picoseconds every{0};  ///< again and again; 0: once
  bool operator==(const SendLine&) const = default;
};

/// What is looked at. Changes with every step that somebody takes, so it is kept but never undone.
struct InView {
  TimeRange span;         ///< of the time axis; empty: not chosen yet
  StreamId stream = {};   ///< of the selection; None: nothing is selected
  Picoseconds frame{0};   ///< begin of the selected frame
  Picoseconds moment{0};  ///< the moment inside it
  bool operator==(const InView&) const = default;
};

/// All that a user set up or wrote down, as a plain value: what a file keeps, what can be undone, and what says what is
/// to be decoded. Nothing in it was computed from a capture.
///
/// The functions below keep what has to hold: ids and names are unique. They do nothing where what they are told of is
/// not there, or no longer.
struct Session {
  std::string source;             ///< path of the capture; empty: none is open
  std::vector<SessionBus> buses;  ///< in the order of their cards
  /// How channels are read, by their paths; a channel that is not named is read as it is.
  std::map<std::string, Conditioning> conditioning;
  LaneArrangement lanes;
  std::vector<Plot> plots;      ///< values that are drawn over time, in the order in which they were asked for
  std::vector<Marker> markers;  ///< in the order in which they were dropped
  LineFilter filter;
  /// The columns of a list, from the left, by what is listed: a protocol's name, or "all". None named: as at first.
  std::map<std::string, std::vector<ColumnPlace>> columns;
  InView view;
  CapturePlan plan;                     ///< what the Bench captures next. Kept, and no step of the way back
  std::vector<SendLine> sends;          ///< what was sent, the last first; each once. No step of the way back either
  SegmentId segment = SegmentId::None;  ///< that is looked at, and that new markers are in
  std::uint32_t lastBus = 0;            ///< ids given so far; those of what is gone are not given again
  std::uint32_t lastMarker = 0;         ///< the same
  std::uint32_t lastSegment = 0;        ///< the same

  /// nullptr when there is no such bus.
  const SessionBus* find(BusId bus) const;
  const Marker* find(MarkerId marker) const;
  bool operator==(const Session&) const = default;
};

BusId addBus(Session& session, Bus bus);
/// Whoever changes more than the name has seen how its values are shown.
void changeBus(Session& session, BusId id, const Bus& bus);
void removeBus(Session& session, BusId id);
/// Its devices are described otherwise.
void setSheets(Session& session, BusId id, const SheetTexts& sheets);
/// The same for its rulebooks.
void setBooks(Session& session, BusId id, const SheetTexts& books);

/// Drawn over time; one that is drawn already is drawn as `plot` says.
void addPlot(Session& session, const Plot& plot);
/// The same value, however it is drawn.
void removePlot(Session& session, const Plot& plot);

/// How the channel of that path is read.
void setConditioning(Session& session, const std::string& channel, Conditioning how);

/// With the next free name: A to Z, then A2 and on.
MarkerId addMarker(Session& session, Picoseconds time, const std::string& edge = {});
/// On the transaction of `bus` that begins then. One that has a note keeps it when `note` is empty.
MarkerId addNote(Session& session, BusId bus, Picoseconds begin, const std::string& note);
/// It stands for that time from now on, and for no transaction.
void moveMarker(Session& session, MarkerId id, Picoseconds time, const std::string& edge);
/// A name that another has, or an empty one, changes nothing. Blanks around it are no part of it.
void renameMarker(Session& session, MarkerId id, const std::string& name);
void setNote(Session& session, MarkerId id, const std::string& note);
void removeMarker(Session& session, MarkerId id);

/// Those of the segment that is looked at.
std::vector<Marker> markersInView(const Session& session);
void removeMarkersOf(Session& session, SegmentId segment);
/// A segment whose markers are others in the two lists; None: there is none.
SegmentId whereMarkersDiffer(const std::vector<Marker>& a, const std::vector<Marker>& b);

/// Another capture: what was noted of the one before means nothing in it; buses, channels and lanes are as they were,
/// because after a change to the firmware the next capture has the same wires. `own` are those that it brings
/// (busesOfRecords()).
void takeCapture(Session& session, const std::string& source, const std::vector<Bus>& own = {});

}  // namespace bexto
