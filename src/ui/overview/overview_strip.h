#pragma once

#include <QPixmap>
#include <QWidget>

#include "ui/access/painted_rows.h"
#include "ui/focus/focus.h"
#include "ui/query/lookup.h"
#include "ui/verdicts/verdicts.h"

namespace bexto::ui {

/// The Overview: the whole capture in one strip. Each bus's traffic, faults as ticks, and the visible span as a window
/// that can be moved, resized by its sides, or drawn anew. Arrows move it by its own width, plus and minus make it
/// narrower and wider, Home and End go to the capture's ends.
class OverviewStrip : public QWidget, public PaintedRows {
  Q_OBJECT
 public:
  OverviewStrip(SessionModel& session, Engine& engine, Focus& focus, QWidget* parent = nullptr);

  /// Shows what that lookup found as ticks at the foot.
  void showMatches(Lookup& search);
  /// Shows what is wrong by the rules as ticks too.
  void showFindings(Verdicts& verdicts);
  /// Columns with a match, from the widget's left.
  const std::vector<int>& matches() const { return m_matches; }

  QSize sizeHint() const override;
  /// The visible span in this widget, at least a few pixels wide.
  QRectF windowRect() const;

  // PaintedRows: the buses, or the wires as long as there are none.
  int spokenRows() const override { return static_cast<int>(m_rows.size()); }
  QString spokenText(int row, int column) const override;
  QRect spokenRect(int row, int column) const override;
  int spokenCurrent() const override { return -1; }
  void pickSpoken(int /*row*/) override {}

 protected:
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void wheelEvent(QWheelEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void focusInEvent(QFocusEvent* event) override;
  void focusOutEvent(QFocusEvent* event) override;

 private:
  enum class Grip { None, Move, Left, Right };
  QRect strip() const;
  double xOf(Picoseconds t) const;
  double rowHeight() const;
  Picoseconds timeAt(double x) const;
  Grip gripAt(QPointF pos) const;
  void refresh();
  void follow(const EngineChange& change);
  void findMatches();
  void drawRow(std::size_t number);
  void drawFaults();
  void drawAll();

  SessionModel& m_session;
  Engine& m_engine;
  Focus& m_focus;
  Lookup* m_search = nullptr;
  Verdicts* m_verdicts = nullptr;
  struct Row {
    BusId bus = BusId::None;        ///< None: the activity of a wire
    std::uint64_t transitions = 0;  ///< of a wire
    QString name;
    std::vector<std::uint8_t> density;
    std::vector<int> faults;  ///< columns with a fault, or data that is wrong by the rules
    std::vector<int> limits;  ///< columns with a limit that is not kept
  };
  Row rowOf(const BusView& view) const;
  void addWires();
  double topOf(std::size_t row) const;

  std::vector<Row> m_rows;  ///< made when the data or the width change
  QPixmap m_picture;        ///< of the rows, so that a paint does not cost what there are buses
  bool m_pictureOld = true;
  std::size_t m_wires = 0;  ///< that move, when not all of them have a row
  std::vector<int> m_matches;
  Grip m_grip = Grip::None;
  Picoseconds m_grabbed{0};
  TimeRange m_spanAtGrab;
};

}  // namespace bexto::ui
