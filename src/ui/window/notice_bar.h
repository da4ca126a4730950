#pragma once

#include <QWidget>

class QLabel;
class QProgressBar;
class QPushButton;

namespace bexto::ui {

/// A line under the top bar: what went wrong and how to mend it, or what is under way and the button that stops it.
class NoticeBar : public QWidget {
  Q_OBJECT
 public:
  explicit NoticeBar(QWidget* parent = nullptr);

  void showError(const QString& text);
  /// Something went well, or was cancelled.
  void showNote(const QString& text);
  void showProgress(const QString& text);
  void setProgress(double fraction);
  QString text() const;

 Q_SIGNALS:
  void cancelWanted();

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  enum class Kind { Note, Error, Progress };
  void setKind(Kind kind, const QString& text);

  Kind m_kind = Kind::Note;
  QLabel* m_text;
  QProgressBar* m_progress;
  QPushButton* m_button;
};

}  // namespace bexto::ui
