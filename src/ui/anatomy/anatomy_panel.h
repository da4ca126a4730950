#pragma once

#include <QWidget>

#include "core/decode/sentence.h"
#include "ui/access/painted_rows.h"
#include "ui/focus/focus.h"
#include "ui/verdicts/verdicts.h"

class QLabel;
class QListWidget;
class QScrollArea;
class QToolButton;

namespace bexto::ui {

class BitStrip;
class FieldTable;

/// The Anatomy: the selected transaction opened up. Its fields with value, meaning and time; the bits of the one
/// pointed at, with sample points and actual lengths; its faults; the way to its neighbours.
class AnatomyPanel : public QWidget {
  Q_OBJECT
 public:
  AnatomyPanel(Engine& engine, Focus& focus, QWidget* parent = nullptr);

  BitStrip& bitStrip() { return *m_strip; }
  const BitStrip& bitStrip() const { return *m_strip; }
  FieldTable& fields() { return *m_fields; }
  QString title() const;
  /// What the field table says, line by line.
  QStringList fieldLines() const;
  /// Shows what was measured on the selected transaction, and what its findings are.
  void showFindings(const Verdicts& verdicts);
  QListWidget& intervals() { return *m_intervals; }
  /// Likely causes of what is wrong with it.
  QString causes() const;

 Q_SIGNALS:
  /// The answer to the request that is shown, or its request.
  void partnerWanted();
  /// The parts of the message that is shown, or the message that it is a part of.
  void kinWanted();

 private:
  void refresh();
  void showEmpty();
  void showStrip(const BusView& view, const StreamView& stream);
  void showMeasured(const BusView& view, const StreamView& stream, FrameRange frames);
  void showInterval(int row);

  Engine& m_engine;
  Focus& m_focus;
  QWidget* m_content = nullptr;
  QLabel* m_empty = nullptr;
  QLabel* m_title = nullptr;
  QLabel* m_place = nullptr;
  QLabel* m_stripTitle = nullptr;
  BitStrip* m_strip = nullptr;
  FieldTable* m_fields = nullptr;
  QToolButton* m_partner = nullptr;
  QToolButton* m_kin = nullptr;
  QLabel* m_faults = nullptr;
  QLabel* m_causes = nullptr;
  QLabel* m_intervalsTitle = nullptr;
  QListWidget* m_intervals = nullptr;
  std::vector<RuleResult> m_measured;  ///< a row of the list each
  const Verdicts* m_verdicts = nullptr;
  QToolButton* m_previous = nullptr;
  QToolButton* m_next = nullptr;
  QScrollArea* m_scroll = nullptr;
};

/// The rows of the Anatomy's fields. A click, or Up and Down, points at one.
class FieldTable : public QWidget, public PaintedRows {
  Q_OBJECT
 public:
  struct Row {
    Detail detail;
    QString when;
    Picoseconds at{0};
    bool current = false;
  };
  explicit FieldTable(QWidget* parent = nullptr);

  void show(std::vector<Row> rows, std::uint64_t notShown);
  const std::vector<Row>& rows() const { return m_rows; }
  QSize sizeHint() const override;
  static constexpr int kRowHeight = 20;

  // PaintedRows
  int spokenRows() const override { return static_cast<int>(m_rows.size()); }
  QString spokenText(int row, int column) const override;
  QRect spokenRect(int row, int column) const override;
  int spokenCurrent() const override;
  void pickSpoken(int row) override;

 Q_SIGNALS:
  void picked(std::uint64_t frame, Picoseconds at);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void focusInEvent(QFocusEvent* event) override;
  void focusOutEvent(QFocusEvent* event) override;

 private:
  std::vector<Row> m_rows;
  std::uint64_t m_notShown = 0;
};

}  // namespace bexto::ui
