#pragma once

#include <QObject>
#include <QString>
#include <map>
#include <memory>
#include <optional>
#include <vector>

#include "core/base/stream_id.h"
#include "core/decode/decoder.h"
#include "core/decode/transactions.h"
#include "core/view/ledger.h"
#include "ui/engine/bus_view.h"
#include "ui/engine/capture_source.h"
#include "ui/engine/engine_change.h"
#include "ui/job/job.h"
#include "ui/session/session_model.h"

namespace bexto::ui {

class LiveDecode;

/// Decodes what the session asks for: the capture, and the frames of its buses. Changes nothing in the session but what
/// it found out (a number format that reads like text). Has no widget and outlives those that read it. UI thread only;
/// decoding runs in jobs, and what arrives becomes visible when changed() says so, not before.
class Engine : public QObject {
  Q_OBJECT
 public:
  explicit Engine(SessionModel& session, QObject* parent = nullptr);
  ~Engine() override;

  /// Opens, follows, ends.
  CaptureSource& source() { return *m_source; }
  const CaptureSource& source() const { return *m_source; }
  /// What is shown grows.
  bool isLive() const { return m_source->isLive() && m_growing == m_shown; }
  bool isOpening() const { return m_source->isOpening(); }

  /// With the session's conditioning; nullptr before the first.
  const std::shared_ptr<const Capture>& capture() const { return m_capture; }
  QString path() const;
  TimeRange whole() const;
  /// For tests and benches: takes a capture as if it had been loaded.
  void setCapture(std::shared_ptr<const Capture> capture, const QString& path);
  /// Shows a segment of a session, and takes over all that was set up in it. What is open goes.
  void takeSession(const SessionFile& file);

  /// What is recorded, in the order of time: one, unless a session has several.
  const std::vector<Segment>& segments() const { return m_segments; }
  /// Which of them capture() is.
  std::size_t shownSegment() const { return m_shown; }
  /// The buses are decoded there; where one looked in the other is known when one comes back.
  void showSegment(std::size_t place);
  /// The same, with a place to look at.
  void showSegment(SegmentId segment, const InView& view);
  /// By their time among those that are there, else behind them. Requires: a capture is open.
  void addSegments(const std::vector<Segment>& segments);
  void renameSegment(std::size_t place, const QString& name);
  /// With all that was noted in it. The last one stays.
  void removeSegment(std::size_t place);

  /// In the session's order.
  int busCount() const { return static_cast<int>(m_buses.size()); }
  const BusView& bus(int place) const { return m_buses.at(static_cast<std::size_t>(place))->view; }
  /// nullptr when there is no such bus, or no longer.
  const BusView* find(BusId bus) const;
  /// nullptr when there is no such stream; after another decode a bus may have fewer.
  const StreamView* find(StreamId stream) const;
  /// Stops a decode under way; what it has found stays.
  void stopDecoding(BusId bus);
  /// Decodes a bus whose decode was stopped from its begin.
  void decodeAgain(BusId bus);
  bool isDecoding() const;
  /// A bus of that protocol with a free name and, by their names, the likely channels.
  Bus suggestBus(const Protocol& protocol) const;
  /// Which protocol is probably wanted next.
  const Protocol& likelyProtocol() const;

  /// Whether lists hold the lines of all segments, one after the other. Of a session with one it means nothing.
  void listAllSegments(bool all);
  bool listsAllSegments() const { return m_all && m_segments.size() > 1; }
  /// When the shown segment begins, counted from the session's begin; 0 where only that one is listed.
  Picoseconds shownBegin() const;
  /// Those of ledgerSources(), and where all are listed those of the other segments, as far as they are decoded.
  std::vector<LedgerSource> listedSources() const;
  /// Whether the bus has its channels in a segment that is not shown, and not in the one that is.
  bool isOfAnotherSegment(BusId bus) const;
  /// A stream of a segment that is not shown; nullptr when it is not decoded.
  const StreamView* findElsewhere(StreamId stream) const;

  /// All streams of all buses of the shown segment as the Ledger lists them.
  std::vector<LedgerSource> ledgerSources() const;

 Q_SIGNALS:
  /// Another file comes: what is open is looked at no more. Session and segments are still those of before.
  void sessionLeaving();
  /// Another capture comes, of that or of another session; it and the session's view are still those of before.
  void captureLeaving();
  /// Another capture: its buses have no frames yet.
  void captureChanged();
  /// Their list, or which is shown.
  void segmentsChanged();
  /// The capture is the same, and longer.
  void captureGrew();
  /// At once for what the session asked for, once a turn of the event loop for what was decoded.
  void changed(const bexto::ui::EngineChange& change);

 private:
  std::vector<Bus> wantedBuses() const;
  /// What a decode has found and nobody was told of yet.
  struct Arrived {
    std::vector<StreamView> streams;
    Bus shown;
    double progress = 0.0;
    bool done = false;
    bool fresh = true;  ///< the first of its decode
  };
  struct Entry {
    BusView view;
    std::unique_ptr<Job> job;
    std::shared_ptr<LiveDecode> live;  ///< of a growing capture; the job's runs share it
    bool behind = false;               ///< the capture grew while a run was under way
    bool ends = false;                 ///< it grows no more: the next run is the last
    bool fresh = true;                 ///< nothing of this decode has arrived
    std::optional<Arrived> arrived;
  };
  void takeCapture(std::shared_ptr<const Capture> capture, const QString& path, const Segment& as = {});
  void takeRecorded(const Segment& segment, bool beside);
  void endGrowth();
  void showCapture(std::shared_ptr<const Capture> capture);
  void decodeAll();
  void leaveFrames();
  bool takeKept(Entry& entry);
  void decodeElsewhere();
  std::vector<Picoseconds> sessionBegins() const;
  void follow(const SessionChange& change);
  void followList();
  std::unique_ptr<Entry> makeEntry(const SessionBus& bus);
  void changeBus(Entry& entry, const Bus& changed);
  void changeConditioning();
  std::shared_ptr<const Capture> conditioned(std::shared_ptr<const Capture> capture) const;
  void grow(const std::shared_ptr<const Capture>& capture);
  void decode(Entry& entry);
  void decodeWhole(Entry& entry, ResolvedBus bus);
  void continueLive(Entry& entry);
  void group(Entry& entry);
  void guessFormat(Entry& entry);
  void arrive(Entry& entry, Arrived arrived);
  void deliver();
  BusChange& say(const Entry& entry);
  void tell();
  Entry* entryOf(BusId bus);

  SessionModel& m_session;
  CaptureSource* m_source;
  std::shared_ptr<const Capture> m_capture;
  std::vector<Segment> m_segments;
  std::size_t m_shown = 0;
  std::size_t m_growing = 0;            ///< which of them grows, while one does
  std::map<SegmentId, InView> m_views;  ///< where one looked in those that are not shown
  /// The frames of a bus in a segment that is not shown, or was not.
  struct Elsewhere {
    Bus asked;
    Bus shown;
    std::vector<StreamView> streams;
  };
  std::map<std::pair<SegmentId, BusId>, Elsewhere> m_elsewhere;
  bool m_all = false;
  std::unique_ptr<Job> m_elsewhereJob;
  std::vector<std::unique_ptr<Entry>> m_buses;
  EngineChange m_untold;
  bool m_deliverySoon = false;
  bool m_taking = false;  ///< a session, or a capture with its buses: what follows is told at its end
};

}  // namespace bexto::ui
