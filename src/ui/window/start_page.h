#pragma once

#include <QWidget>

namespace bexto::ui {

/// What stands in the middle while no capture is open: what to do, and the button that does it.
class StartPage : public QWidget {
  Q_OBJECT
 public:
  explicit StartPage(QWidget* parent = nullptr);

 Q_SIGNALS:
  void openWanted();
};

}  // namespace bexto::ui
