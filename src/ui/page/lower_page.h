#pragma once

#include <QWidget>

namespace bexto::ui {

/// A page of the lower area: one way to read what was said, at the place where people read. It knows no other page and
/// not where it stands.
class LowerPage : public QWidget {
  Q_OBJECT
 public:
  using QWidget::QWidget;

  /// What stands on its tab.
  virtual QString title() const = 0;
  /// What it is for, in a line.
  virtual QString help() const = 0;
  /// What the settings file calls it; the same in every language.
  virtual QString key() const = 0;
  /// Its choices, beside the tabs. Made once; the area takes it over.
  virtual QWidget* controls() = 0;
  /// What gets the keyboard when the page is shown.
  virtual QWidget& keyboard() = 0;
};

}  // namespace bexto::ui
