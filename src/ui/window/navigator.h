#pragma once

#include <QObject>
#include <memory>
#include <vector>

#include "ui/command/command_box.h"
#include "ui/focus/focus.h"
#include "ui/job/job.h"
#include "ui/verdicts/verdicts.h"

namespace bexto::ui {

class LedgerArea;

/// The ways from one place to another: next fault, next line alike, request and answer, a time, a line or a frame by
/// its number. Long ways are gone in the background. UI thread only.
class Navigator : public QObject {
  Q_OBJECT
 public:
  Navigator(Engine& engine, Focus& focus, Verdicts& verdicts, LedgerArea& ledgers, QObject* parent = nullptr);
  ~Navigator() override;

  /// The next frame with a fault or finding, whichever comes first.
  void goToFault(bool forward);
  /// The next or previous transaction like the selected one, among those that are shown.
  void goToAlike(bool byName, bool forward);
  /// From a request to its answer, or back.
  void goToPartner();
  /// From a message that came in parts to the first of them, or from a part to its message.
  void goToKin();
  /// The end of a capture that grows.
  void showNewest();
  void goToTime(Picoseconds t);
  /// What started the capture, with a little of what was before it. Requires: it has a trigger.
  void showStart();
  bool isLooking() const { return m_job.isRunning(); }

  /// What typing a time or a number can go to; empty when it is neither.
  std::vector<Command> commandsFor(const QString& typed);

 Q_SIGNALS:
  /// Why nothing was gone to, for people.
  void said(const QString& note);
  /// A finding was gone to.
  void findingShown(const bexto::ui::Verdicts::Place& place);

 private:
  void select(const Selection& selection);
  bool goToFinding(bool forward);

  Engine& m_engine;
  Focus& m_focus;
  Verdicts& m_verdicts;
  LedgerArea& m_ledgers;
  Selection m_from;  ///< from where the job looks
  Job m_job;
};

}  // namespace bexto::ui
