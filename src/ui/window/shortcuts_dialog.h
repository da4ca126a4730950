#pragma once

#include <QDialog>

namespace bexto::ui {

/// Every key: those of the actions given, then those that belong to a part of the window.
class ShortcutsDialog : public QDialog {
  Q_OBJECT
 public:
  ShortcutsDialog(const QList<QAction*>& actions, QWidget* parent);
};

/// The filter language on one page: its keys, its words, how they go together.
class FilterHelpDialog : public QDialog {
  Q_OBJECT
 public:
  explicit FilterHelpDialog(QWidget* parent);
};

}  // namespace bexto::ui
