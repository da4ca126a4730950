#pragma once

#include <QWidget>

#include "core/decode/anatomy.h"

namespace bexto::ui {

/// The bits of one stretch of a frame: each with its value, the point where it was sampled, and a bar for its actual
/// length against the nominal one. A row for each data wire; wraps when there are many bits.
class BitStrip : public QWidget {
  Q_OBJECT
 public:
  explicit BitStrip(QWidget* parent = nullptr);

  void show(std::vector<Bit> bits, Picoseconds nominal);
  const std::vector<Bit>& bits() const { return m_bits; }
  QSize sizeHint() const override { return {240, 30 + kRowHeight * rows()}; }

 protected:
  void paintEvent(QPaintEvent* event) override;
  bool event(QEvent* event) override;

 private:
  static constexpr int kRowHeight = 44;
  int rows() const;
  QRectF cell(std::size_t i) const;

  std::vector<Bit> m_bits;
  Picoseconds m_nominal{0};
};

}  // namespace bexto::ui
