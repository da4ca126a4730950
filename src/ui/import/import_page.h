#pragma once

#include <QString>
#include <QWidget>

#include "core/format/read_hints.h"

namespace bexto::ui {

/// A rate as people write it, and as it is read again: "24 MHz".
QString rateText(double hertz);

/// What is asked of one kind of file, with what comes of it.
class ImportPage : public QWidget {
  Q_OBJECT
 public:
  using QWidget::QWidget;

  virtual ReadHints hints() const = 0;
  /// Why it cannot be read so; empty: it can.
  virtual QString problem() const = 0;
  /// What comes of it, in a sentence. Requires: no problem.
  virtual QString outcome() const = 0;

 Q_SIGNALS:
  void changed();
};

}  // namespace bexto::ui
