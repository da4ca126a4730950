#pragma once

#include <QWidget>

#include "core/decode/anatomy.h"
#include "ui/access/painted_rows.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

/// The bits of one stretch of a frame: each with its value, the point where it was sampled, and a bar for its actual
/// length against the nominal one. A row for each data wire; wraps when there are many bits. Left and Right walk along
/// them, and say of each what the pointer would.
class BitStrip : public QWidget, public PaintedRows {
  Q_OBJECT
 public:
  explicit BitStrip(QWidget* parent = nullptr);

  void show(std::vector<Bit> bits, Picoseconds nominal);
  const std::vector<Bit>& bits() const { return m_bits; }
  QSize sizeHint() const override { return {px(240), px(30) + px(kRowHeight) * rows()}; }
  /// When it was sampled and how long it really was.
  QString described(const Bit& bit) const;

  // PaintedRows: the bits.
  int spokenRows() const override { return static_cast<int>(m_bits.size()); }
  QString spokenText(int row, int column) const override;
  QRect spokenRect(int row, int column) const override;
  int spokenCurrent() const override { return m_current; }
  void pickSpoken(int row) override;

 protected:
  void paintEvent(QPaintEvent* event) override;
  bool event(QEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void focusInEvent(QFocusEvent* event) override;
  void focusOutEvent(QFocusEvent* event) override;

 private:
  static constexpr int kRowHeight = 44;
  int rows() const;
  QRectF cell(std::size_t i) const;

  std::vector<Bit> m_bits;
  Picoseconds m_nominal{0};
  int m_current = -1;  ///< for the keyboard
};

}  // namespace bexto::ui
