#pragma once

#include <QLineEdit>

namespace bexto::ui {

/// Where a channel is looked for by typing: in the free corner left of the ruler, wider while it has the keyboard. It
/// shows itself when there are more channels than one sees at once, and when it is asked for. Escape empties it;
/// Return, down and up give the keyboard back and leave what was found.
class LaneFinder : public QLineEdit {
  Q_OBJECT
 public:
  explicit LaneFinder(QWidget* parent);

  void setChannels(std::size_t count);
  void open();

 Q_SIGNALS:
  /// Done, or given up: the keyboard may go.
  void left();

 protected:
  void keyPressEvent(QKeyEvent* event) override;
  void focusInEvent(QFocusEvent* event) override;
  void focusOutEvent(QFocusEvent* event) override;

 private:
  void place();

  std::size_t m_channels = 0;
};

}  // namespace bexto::ui
