#pragma once

#include <QObject>
#include <QString>
#include <QTimer>
#include <functional>
#include <memory>
#include <vector>

#include "core/store/session_store.h"
#include "ui/engine/engine.h"
#include "ui/job/serial_worker.h"
#include "ui/keeper/unsaved_folder.h"
#include "ui/session/session_model.h"

namespace bexto::ui {

/// Where the window's session is kept. One that has no name yet, and changes that nobody has saved, are written to the
/// folder of unsaved work a second after they were made, so that a crash or a kill costs no more; saving puts them into
/// the user's file. UI thread only; files are written in jobs, one after the other.
class SessionKeeper : public QObject {
  Q_OBJECT
 public:
  SessionKeeper(SessionModel& session, Engine& engine, QObject* parent = nullptr);
  /// What is not saved and was not discarded stays in the folder.
  ~SessionKeeper() override;

  /// The user's file; empty: the session has no name yet.
  const QString& path() const { return m_path; }
  /// Why save() cannot; empty: it can. Requires: it has a name.
  QString readOnly() const;
  /// Whether something would be lost that nobody saved.
  bool isModified() const;
  bool isSaving() const { return m_saving; }
  /// Nothing is being written.
  bool isIdle() const { return m_worker.isIdle() && !m_soon.isActive(); }

  /// What is written about the session.
  const About& about() const { return m_file.about; }
  void setAbout(const About& about);

  /// Puts the changes into the user's file. Requires: it has a name.
  void save();
  /// Writes all to a file of that name, which is the user's from then on.
  void saveAs(const QString& path);
  void cancelSaving();
  /// The changes are wanted no more.
  void discard();

  /// What other windows, or those before a crash, left unsaved: the newest first.
  std::vector<UnsavedWork> left() const;
  /// Opens it, to be saved or discarded.
  void restore(const QString& unsaved);
  void forget(const QString& unsaved);

 Q_SIGNALS:
  /// The name, or whether there is something to save.
  void changed();
  void saved(const QString& path);
  /// Saving, keeping or restoring went wrong: what, where, and the mend.
  void failed(const QString& message);
  void progressed(double fraction);

 private:
  /// A file of the folder of unsaved work, as the jobs write it.
  struct Working;
  class SavingProgress;

  void leave();
  void takeCapture();
  void takeSession(const std::shared_ptr<const SessionStore::Opened>& opened);
  void keepSoon();
  void keepNow();
  void keepSegments();
  void keepAnew();
  SessionFile now() const;
  SessionFile unsaved() const;
  std::shared_ptr<Working> working();
  void post(std::function<void()> action);
  void fail(const QString& message);
  void endLate(const QString& message);
  void tell();

  SessionModel& m_session;
  Engine& m_engine;
  UnsavedFolder m_folder;
  QString m_path;
  bool m_open = false;  ///< something that is kept here
  SessionFile m_file;   ///< what belongs to neither engine nor model
  std::shared_ptr<SessionStore> m_store;
  std::vector<Segment> m_saved;  ///< as much of them as is in the user's file
  std::vector<Segment> m_kept;   ///< as the folder of unsaved work was told of them last
  std::shared_ptr<Working> m_working;
  QString m_restoring;     ///< what is being opened is this unsaved work
  bool m_carried = false;  ///< unsaved before it was opened: buses of the capture before, or what was restored
  bool m_saving = false;
  int m_number = 0;           ///< of the session that is open: a save that ends later is none of the next one's
  bool m_complained = false;  ///< that nothing can be kept: once is enough
  QTimer m_soon;
  std::stop_source m_stopSaving;
  SerialWorker m_worker;  ///< goes first, and does what is left
};

}  // namespace bexto::ui
