#pragma once

#include <QAbstractScrollArea>

#include "core/view/byte_stream.h"
#include "ui/access/painted_rows.h"
#include "ui/focus/focus.h"
#include "ui/page/lower_page.h"
#include "ui/theme/theme.h"

class QComboBox;
class QLabel;

namespace bexto::ui {

/// The bytes themselves: addresses, hex and text; frames begin at a stroke. Selected bytes select the frame of the
/// first of them. Arrows, Page Up and Down, Home and End move, with Shift they extend; Ctrl+C copies hex.
class BytesView : public QAbstractScrollArea, public PaintedRows {
  Q_OBJECT
 public:
  explicit BytesView(QWidget* parent = nullptr);

  void setStream(ByteStream stream, const QString& hint);
  const ByteStream& stream() const { return m_stream; }
  void setWrap(int wrap);
  int wrap() const { return m_wrap; }
  /// From first to last address picked, both included; empty when none is.
  std::optional<std::pair<std::uint64_t, std::uint64_t>> picked() const;
  void pick(std::uint64_t address, bool extend);
  /// Marks the bytes of a frame and brings them into view; does not emit.
  void showFrame(std::uint64_t frame);
  void clearPicked();
  /// Where a byte's hex digits are in the viewport; empty when not in view.
  QRect byteRect(std::uint64_t address) const;
  QString pickedText() const;
  /// To the clipboard.
  void copy();

  // PaintedRows: address, hex, text.
  Sort spokenSort() const override { return Sort::Table; }
  int spokenRows() const override;
  int spokenColumns() const override { return 3; }
  QString spokenHead(int column) const override;
  QString spokenText(int row, int column) const override;
  QRect spokenRect(int row, int column) const override;
  int firstSpokenInView() const override;
  int spokenCurrent() const override;
  void pickSpoken(int row) override;

 Q_SIGNALS:
  /// Something that the user would not see, for people.
  void said(const QString& note);
  void framePicked(std::uint64_t frame);
  void pickedChanged();

 protected:
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

 private:
  static constexpr int kRow = 22;
  struct Grid {
    int digit = 8;
    int hex = 0;   ///< x of the first byte
    int text = 0;  ///< x of the text
    int addressDigits = 6;
  };
  Grid grid() const;
  int xOfByte(const Grid& g, int column) const;
  void updateScrollBar();
  void reveal(std::uint64_t address);
  std::optional<std::uint64_t> addressAt(QPoint pos) const;
  int rowsInView() const { return std::max(1, viewport()->height() / px(kRow)); }
  std::uint64_t firstAddress() const;

  ByteStream m_stream;
  QString m_hint;
  int m_wrap = 16;
  std::optional<std::uint64_t> m_anchor;
  std::uint64_t m_current = 0;
};

/// The Bytes page: which stream, how many bytes a line, and the view.
class BytesPage : public LowerPage {
  Q_OBJECT
 public:
  BytesPage(Engine& engine, Focus& focus, QWidget* parent = nullptr);

  BytesView& view() { return *m_view; }
  QComboBox& choice() { return *m_choice; }
  QString title() const override { return tr("Bytes"); }
  QString help() const override { return tr("The payload alone"); }
  QString key() const override { return QStringLiteral("bytes"); }
  /// Which bytes, how many a line, and what is picked.
  QWidget* controls() override { return m_controls; }
  QWidget& keyboard() override { return *m_view; }
  QString status() const;

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  struct Choice {
    StreamId stream;
    PayloadWay way = 0;
    bool operator==(const Choice&) const = default;
  };
  void follow(const EngineChange& change);
  void updateChoices();
  void load();
  void followSelection();
  void updateStatus();
  const Choice* chosen() const;

  Engine& m_engine;
  Focus& m_focus;
  BytesView* m_view;
  QWidget* m_controls;
  QComboBox* m_choice;
  QComboBox* m_wrap;
  QLabel* m_status;
  std::vector<Choice> m_choices;
  std::unique_ptr<Job> m_job;
  std::optional<Choice> m_loaded;  ///< what the view shows, when longer frames would continue it
  bool m_stale = true;
  bool m_picking = false;
};

}  // namespace bexto::ui
