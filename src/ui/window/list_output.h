#pragma once

#include <QObject>
#include <memory>
#include <stop_token>

#include "core/export/ledger_export.h"
#include "ui/window/list_pages.h"

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
  /// In the background. A file is written whole or not at all.
  void printOn(const std::shared_ptr<QPrinter>& printer);
  void preview();
  /// What is shown now, for paper.
  ListPages pages() const;

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
