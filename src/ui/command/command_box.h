#pragma once

#include <QLineEdit>
#include <QPointer>
#include <functional>
#include <vector>

class QListWidget;

namespace bexto::ui {

/// One thing that can be done or gone to.
struct Command {
  QString text;
  QString kind;  ///< "action", "bus", "marker", "filter", "go to"
  QString keys;  ///< its shortcut, if it has one
  std::function<void()> run;
};

/// What the box offers for what is typed; made anew each time.
using CommandSource = std::function<std::vector<Command>(const QString& typed)>;

/// How well `text` answers to what is typed: every word of it has to begin a word of the text; -1 when one does not.
/// Lower is better.
int matchRank(const QString& typed, const QString& text);

/// The command box: a line in which an action, a bus, a marker, a time or a frame number is found by typing a part of
/// it. Down and Up choose, Return does it, Escape leaves.
class CommandBox : public QLineEdit {
  Q_OBJECT
 public:
  explicit CommandBox(CommandSource source, QWidget* parent = nullptr);
  ~CommandBox() override;

  QSize sizeHint() const override;
  /// Takes the keyboard and offers everything.
  void open();
  /// What had the keyboard before; nullptr when that is gone.
  QWidget* before() const { return m_before; }
  QStringList offered() const;

 Q_SIGNALS:
  void closed();

 protected:
  void keyPressEvent(QKeyEvent* event) override;
  void focusOutEvent(QFocusEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;

 private:
  void offer();
  void leave();
  void run(int row);

  CommandSource m_source;
  std::vector<Command> m_commands;  ///< as offered
  QPointer<QListWidget> m_list;
  QPointer<QWidget> m_before;
};

}  // namespace bexto::ui
