#pragma once

#include <QObject>
#include <QTimer>
#include <functional>
#include <memory>
#include <stop_token>
#include <vector>

#include "core/device/sheet_file.h"
#include "ui/engine/engine.h"
#include "ui/job/job.h"
#include "ui/session/session_model.h"

class QFileSystemWatcher;

namespace bexto::ui {

/// The device sheets that lie in the user's folders and beside what is open. They are watched: when a file changes, the
/// buses that use it read it again, in place and for every step back as well, unless it has a mistake. Has no widget.
/// UI thread only.
class SheetLibrary : public QObject {
  Q_OBJECT
 public:
  SheetLibrary(SessionModel& session, Engine& engine, QObject* parent = nullptr);

  /// With those that have mistakes.
  const std::vector<FoundSheet>& found() const { return *m_found; }
  /// By its file's name; nullptr when no folder has it.
  const FoundSheet* find(const std::string& name) const;
  /// Those that a bus could use and does not, with how often they would have something to say, the most first. Looks at
  /// the begin of the traffic only.
  struct Offer {
    SheetText sheet;
    QString device;
    std::uint64_t fits = 0;
    bool operator==(const Offer&) const = default;
  };
  /// What looks for them, on any thread: a folder may have hundreds.
  std::function<std::vector<Offer>(const std::stop_token&)> offersFor(BusId bus) const;
  /// Where sheets of one's own are kept; it may not be there yet.
  static QString ownFolder();
  /// Looks again, and is back when it has.
  void look();

 Q_SIGNALS:
  /// found() is another.
  void changed();

 private:
  /// The same in the background.
  void lookSoon();
  void take(std::vector<FoundSheet> found);
  void watch();

  SessionModel& m_session;
  Engine& m_engine;
  QFileSystemWatcher* m_watcher;
  QTimer m_soon;  ///< an editor writes a file in several steps
  std::shared_ptr<const std::vector<FoundSheet>> m_found;
  std::unique_ptr<Job> m_job;
};

}  // namespace bexto::ui
