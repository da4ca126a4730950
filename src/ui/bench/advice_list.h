#pragma once

#include <QWidget>
#include <vector>

#include "core/session/capture_advice.h"

class QVBoxLayout;

namespace bexto::ui {

/// What is to be said about a plan: a line each, what is wrong first; of what is good one line tells all.
class AdviceList : public QWidget {
  Q_OBJECT
 public:
  explicit AdviceList(QWidget* parent = nullptr);

  /// The first `buses` of it are about buses.
  void show(const std::vector<CaptureAdvice>& advice, std::size_t buses);

 Q_SIGNALS:
  /// The better plan of that line is wanted.
  void taken(std::size_t line);

 private:
  void add(CaptureAdvice::Gravity gravity, const QString& about, const QString& text, std::size_t line,
           const QString& mend);

  QVBoxLayout* m_column;
  std::vector<QWidget*> m_rows;
};

}  // namespace bexto::ui
