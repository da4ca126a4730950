#pragma once

#include <QString>

class QWidget;

namespace bexto::ui {

/// A widget that is pressed but no button of Qt's is one to those who do not see it.
class SpokenButton {
 public:
  SpokenButton() = default;
  SpokenButton(const SpokenButton&) = delete;
  SpokenButton& operator=(const SpokenButton&) = delete;
  virtual ~SpokenButton() = default;

  virtual void pressSpoken() = 0;
  virtual bool isSpokenOpen() const { return false; }
};

/// Before the first window.
void announceSpokenButtons();
/// What stands in `where` is a notice. Before anybody asked what it is.
void makeAlert(QWidget& where);
/// The notice says something new.
void sayAlert(QWidget& where);

}  // namespace bexto::ui
