#pragma once

#include <QWidget>
#include <array>
#include <string>
#include <vector>

class QLabel;
class QProgressBar;
class QPushButton;

namespace bexto::ui {

/// Lines under the top bar: one for each piece of work that is under way, with the button that stops it, and one for
/// what went wrong and how to mend it, or what went well. They do not replace one another.
class NoticeBar : public QWidget {
  Q_OBJECT
 public:
  enum class Work : std::uint8_t { Opening, Export, Saving };

  explicit NoticeBar(QWidget* parent = nullptr);

  void showError(const QString& text);
  /// What can be done about the error that is shown: a button that asks for actionWanted().
  void offer(const QString& action);
  /// Something went well, or was cancelled.
  void showNote(const QString& text);
  /// What a reader noted, a line each; of many the first. Nothing happens without any.
  void showNotes(const std::vector<std::string>& notes);
  /// What was said is over.
  void clearText();
  /// Of the line above; empty when there is none.
  QString text() const;

  void showProgress(Work work, const QString& text);
  void setProgress(Work work, double fraction);
  void endProgress(Work work);

 Q_SIGNALS:
  void cancelWanted(Work work);
  void actionWanted();

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  struct Line {
    QWidget* row = nullptr;
    QLabel* text = nullptr;
    QProgressBar* progress = nullptr;  ///< of work
    QPushButton* button = nullptr;
  };
  Line makeLine(const QString& button, const char* buttonName, bool hasProgress);
  void say(bool isError, const QString& text);
  void showLines();
  Line& lineOf(Work work) { return m_work[static_cast<std::size_t>(work)]; }

  Line m_said;
  QPushButton* m_action = nullptr;  ///< of what was said
  std::array<Line, 3> m_work;
  bool m_isError = false;
};

}  // namespace bexto::ui
