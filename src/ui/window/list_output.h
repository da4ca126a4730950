#pragma once

#include <QObject>
#include <functional>
#include <memory>
#include <stop_token>

#include "core/export/ledger_export.h"

class QPrinter;

namespace bexto::ui {

class Engine;
class Job;
class LedgerArea;
class NoticeBar;

/// Takes the Ledger out of the window: files of several formats, and paper. UI thread only; files are written in the
/// background, and the notice bar says how it goes.
class ListOutput : public QObject {
  Q_OBJECT
 public:
  ListOutput(Engine& engine, LedgerArea& ledgers, NoticeBar& notice, QWidget* window);
  ~ListOutput() override;

  enum class What { Shown, All };
  void askForExport(What what);
  void write(const QString& path, What what);
  bool isWriting() const;
  void cancel();

  void print();
  void preview();
  /// Paints the list on the printer's pages, after each of which `goOn` is asked, if given. False when that said no, or
  /// when it takes more pages than anybody prints.
  bool paintOn(QPrinter& printer, const std::function<bool(int page)>& goOn = {}) const;
  static constexpr int kMostPages = 500;

 private:
  LedgerList listOf(What what) const;

  Engine& m_engine;
  LedgerArea& m_ledgers;
  NoticeBar& m_notice;
  QWidget* m_window;
  std::stop_source m_cancel;  ///< of the export under way
  std::unique_ptr<Job> m_job;
};

}  // namespace bexto::ui
