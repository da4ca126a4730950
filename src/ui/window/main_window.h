#pragma once

#include <QMainWindow>

#include <functional>

#include "ui/focus/workspace.h"

class QLabel;
class QMenu;
class QSplitter;
class QStackedWidget;

namespace bexto::ui {

class AnatomyPanel;
class BenchPanel;
class BookPage;
class BusPanel;
class BytesPage;
class ChecksPage;
class DevicesPage;
class FindingsPage;
class Verdicts;
class SheetPage;
class CommandBox;
class LedgerArea;
class LedgerView;
class ListOutput;
class LowerArea;
class MarkersPanel;
class Navigator;
class NoticeBar;
class Opener;
class OverviewStrip;
class PlotOutput;
class SegmentRow;
class Setups;
class StartPage;
class TimelineView;

struct Command;

/// The window: Overview on top, Bus cards left, Timeline over Ledger or Bytes in the middle, Anatomy over markers
/// right.
class MainWindow : public QMainWindow {
  Q_OBJECT
 public:
  /// The workspace outlives the window.
  explicit MainWindow(Workspace& workspace, QWidget* parent = nullptr);
  ~MainWindow() override;

  SessionModel& session() { return *m_session; }
  Engine& engine() { return *m_engine; }
  Focus& focus() { return *m_focus; }
  BusPanel& buses() { return *m_buses; }
  TimelineView& timeline() { return *m_timeline; }
  /// The first Ledger.
  LedgerView& ledger();
  LedgerArea& ledgers() { return *m_ledgers; }
  LowerArea& lower() { return *m_lower; }
  BytesPage& bytes();
  DevicesPage& devices() { return *m_devices; }
  ChecksPage& checks() { return *m_checks; }
  FindingsPage& findings() { return *m_findings; }
  Verdicts& verdicts() { return *m_verdicts; }
  SheetPage& sheet() { return *m_sheet; }
  BookPage& book() { return *m_bookPage; }
  MarkersPanel& markers() { return *m_markers; }
  CommandBox& commandBox() { return *m_commandBox; }
  ListOutput& output() { return *m_output; }
  PlotOutput& plotOutput() { return *m_plotOutput; }
  Navigator& navigator() { return *m_navigator; }
  AnatomyPanel& anatomy() { return *m_anatomy; }
  OverviewStrip& overview() { return *m_overview; }
  SegmentRow& segments() { return *m_segments; }
  Setups& setups() { return *m_setups; }
  NoticeBar& notice() { return *m_notice; }
  BenchPanel& bench() { return *m_bench; }

  void openCapture(const QString& path);
  /// With those buses besides what is set up; one that has the name of another takes its place.
  void openWith(const QString& path, const std::vector<Bus>& buses);
  SessionKeeper& keeper() { return *m_keeper; }
  /// What the start page and the menu offer to try: `make` is called in a job.
  void offerDemo(std::function<SessionFile()> make);
  /// Into the user's file, or asks for its name. Says in the notice bar how it went.
  void save();
  /// Writes the Ledger as it is shown, in the background. Says in the notice bar how it went.
  void exportLedger(const QString& path);
  /// "A → B  34.40 µs  29.07 kHz", or what there is of it.
  QString markerText() const;

 protected:
  void closeEvent(QCloseEvent* event) override;
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dragMoveEvent(QDragMoveEvent* event) override;
  void dropEvent(QDropEvent* event) override;

 private:
  QWidget* makeTopBar();
  QWidget* makeStatusLine();
  void makeActions();
  void connectSource();
  void connectEngine();
  void connectKeeper();
  bool mayClose();
  bool mayDropChanges();
  void askForName();
  void askForAbout();
  void updateLeft();
  void updateStart();
  void addOutputActions();
  void addCaptureActions();
  void connectBench();
  void captureAgain();
  void showGrowth();
  void addFindActions();
  void addListActions();
  void addMarkerActions();
  void addPlaceActions();
  QAction* add(const QString& text, const QKeySequence& key, bool needsCapture, const std::function<void()>& slot);
  std::vector<Command> commandsFor(const QString& typed);
  void addPlotCommands(std::vector<Command>& commands, const BusView& bus);
  void updateRecent();
  void updateStatus();
  void updateCursor();
  void updateTitle();
  void updateSteps();
  void takeStep(bool back);
  void takeBusesAskedFor();

  SessionModel* m_session;
  Engine* m_engine;
  SheetLibrary* m_sheets;
  Verdicts* m_verdicts;
  Focus* m_focus;
  SessionKeeper* m_keeper;
  BusPanel* m_buses = nullptr;
  TimelineView* m_timeline = nullptr;
  LowerArea* m_lower = nullptr;
  LedgerArea* m_ledgers = nullptr;
  BytesPage* m_bytes = nullptr;
  DevicesPage* m_devices = nullptr;
  ChecksPage* m_checks = nullptr;
  FindingsPage* m_findings = nullptr;
  SheetPage* m_sheet = nullptr;
  BookPage* m_bookPage = nullptr;
  MarkersPanel* m_markers = nullptr;
  CommandBox* m_commandBox = nullptr;
  ListOutput* m_output = nullptr;
  PlotOutput* m_plotOutput = nullptr;
  Navigator* m_navigator = nullptr;
  QSplitter* m_columns = nullptr;
  QSplitter* m_middle = nullptr;
  QSplitter* m_right = nullptr;
  QMenu* m_recent = nullptr;
  QMenu* m_left = nullptr;
  QAction* m_save = nullptr;
  bool m_closeWhenSaved = false;
  bool m_againWhenStopped = false;
  bool m_showsStart = false;    ///< as soon as there are frames
  std::vector<Bus> m_askedFor;  ///< for what is being opened
  StartPage* m_start = nullptr;
  Opener* m_opener = nullptr;
  Setups* m_setups = nullptr;
  QAction* m_undo = nullptr;
  QAction* m_redo = nullptr;
  AnatomyPanel* m_anatomy = nullptr;
  OverviewStrip* m_overview = nullptr;
  SegmentRow* m_segments = nullptr;
  BenchPanel* m_bench = nullptr;
  QMenu* m_capture = nullptr;  ///< of the button Record
  NoticeBar* m_notice = nullptr;
  QStackedWidget* m_pages = nullptr;
  QMenu* m_menu = nullptr;
  QMenu* m_group = nullptr;  ///< of m_menu: where add() puts actions
  QLabel* m_fileName = nullptr;
  QLabel* m_cursorLabel = nullptr;
  QLabel* m_markerLabel = nullptr;
  QLabel* m_faultLabel = nullptr;
  QLabel* m_workLabel = nullptr;
  QList<QAction*> m_needCapture;  ///< offered only with a capture open
};

}  // namespace bexto::ui
