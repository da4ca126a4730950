#pragma once

#include <QObject>
#include <QTimer>
#include <map>
#include <memory>
#include <optional>
#include <vector>

#include "core/check/check.h"
#include "ui/engine/engine.h"
#include "ui/job/job.h"
#include "ui/session/session_model.h"

namespace bexto::ui {

/// What each bus was measured and judged to be, in the background, whenever it was decoded or its rulebooks changed;
/// the last result stays until the next one is there. Has no widget. UI thread only.
class Verdicts : public QObject {
  Q_OBJECT
 public:
  Verdicts(SessionModel& session, Engine& engine, QObject* parent = nullptr);
  ~Verdicts() override;

  /// nullptr: not judged yet.
  const BusCheck* of(BusId bus) const;
  bool isRunning(BusId bus) const;
  /// Whether something is still to be judged.
  bool isBusy() const;
  /// How finely the capture's times are known; nothing until a bus was judged.
  const std::optional<SamplePeriod>& period() const { return m_period; }

  /// A finding by its bus and its place in that bus's list.
  struct Place {
    BusId bus = BusId::None;
    std::size_t number = 0;
    bool operator==(const Place&) const = default;
  };
  /// Of all buses, by time.
  const std::vector<Place>& findings() const { return m_findings; }
  /// Requires: one of findings().
  const Finding& finding(const Place& place) const;
  const RuleResult& ruleOf(const Place& place) const;

 Q_SIGNALS:
  /// What is known of that bus is another.
  void changed(BusId bus);

 private:
  struct Entry {
    std::shared_ptr<const BusCheck> check;
    std::unique_ptr<Job> job;
    bool stale = false;  ///< of a bus whose frames or books are others now
  };
  void follow(const EngineChange& change);
  void start();
  void run(BusId bus, Entry& entry);
  void collect();

  SessionModel& m_session;
  Engine& m_engine;
  std::map<BusId, Entry> m_entries;
  std::vector<Place> m_findings;
  std::optional<SamplePeriod> m_period;
  std::shared_ptr<const Capture> m_periodOf;
  QTimer m_soon;
};

/// All that a check of the bus reads, as it is now: shared, so that the window goes on. How finely times are known is
/// to be added.
CheckInput checkInputOf(const BusView& view, Picoseconds end);

/// An interval of a rule as it is drawn on the wires.
struct RuleInterval {
  QString symbol;
  QString value;
  QString limit;  ///< "≥ 1.3 µs"; empty: there is none
  bool fails = false;
};
RuleInterval intervalOf(const RuleResult& rule, const MeasuredPlace& place);

}  // namespace bexto::ui
