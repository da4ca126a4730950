#pragma once

#include <QMainWindow>

#include "ui/document/focus.h"

class QLabel;
class QMenu;
class QStackedWidget;

namespace bexto::ui {

class AnatomyPanel;
class BusPanel;
class LedgerArea;
class LedgerView;
class NoticeBar;
class OverviewStrip;
class TimelineView;

/// The window: Overview on top, Bus cards left, Timeline over Ledger in the middle, Anatomy right.
class MainWindow : public QMainWindow {
  Q_OBJECT
 public:
  explicit MainWindow(QWidget* parent = nullptr);
  ~MainWindow() override;

  Document& document() { return *m_document; }
  Focus& focus() { return *m_focus; }
  BusPanel& buses() { return *m_buses; }
  TimelineView& timeline() { return *m_timeline; }
  /// The first Ledger.
  LedgerView& ledger();
  LedgerArea& ledgers() { return *m_ledgers; }
  AnatomyPanel& anatomy() { return *m_anatomy; }
  OverviewStrip& overview() { return *m_overview; }
  NoticeBar& notice() { return *m_notice; }

  void openCapture(const QString& path) { m_document->open(path); }
  /// Writes the Ledger as it is shown, in the background. Says in the notice bar how it went.
  void exportLedger(const QString& path);
  /// "A → B  34.40 µs  29.07 kHz", or what there is of it.
  QString markerText() const;

 protected:
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;

 private:
  QWidget* makeTopBar();
  QWidget* makeStatusLine();
  void makeActions();
  void connectDocument();
  void askForCapture();
  void askForExport();
  void showShortcuts();
  void updateStatus();
  void updateCursor();
  void updateTitle();

  Document* m_document;
  Focus* m_focus;
  Job* m_export;
  BusPanel* m_buses = nullptr;
  TimelineView* m_timeline = nullptr;
  LedgerArea* m_ledgers = nullptr;
  AnatomyPanel* m_anatomy = nullptr;
  OverviewStrip* m_overview = nullptr;
  NoticeBar* m_notice = nullptr;
  QStackedWidget* m_pages = nullptr;
  QMenu* m_menu = nullptr;
  QLabel* m_fileName = nullptr;
  QLabel* m_cursorLabel = nullptr;
  QLabel* m_markerLabel = nullptr;
  QLabel* m_faultLabel = nullptr;
  QLabel* m_workLabel = nullptr;
  QList<QAction*> m_needCapture;  ///< offered only with a capture open
};

}  // namespace bexto::ui
