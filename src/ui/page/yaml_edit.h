#pragma once

#include <QPlainTextEdit>
#include <vector>

#include "core/device/yaml_tree.h"

namespace bexto::ui {

/// A definition in YAML as text, with its lines numbered and its mistakes in place: their lines are marked at the side
/// and underlined.
class YamlEdit : public QPlainTextEdit {
  Q_OBJECT
 public:
  explicit YamlEdit(QWidget* parent = nullptr);

  void showProblems(const std::vector<SheetProblem>& problems);
  /// Puts the cursor there and the line into view.
  void goToLine(int line, int column);

 protected:
  void resizeEvent(QResizeEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

 private:
  class Margin;
  void paintMargin(QPaintEvent& event);
  int marginWidth() const;
  void layOut();

  QWidget* m_margin;
  std::vector<SheetProblem> m_problems;
};

}  // namespace bexto::ui
