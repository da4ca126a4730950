#pragma once

#include <QDialog>

#include "core/store/session_file.h"

class QLineEdit;
class QPlainTextEdit;

namespace bexto::ui {

/// What people write about a session: its title, who made it, and a description.
class SessionDialog : public QDialog {
  Q_OBJECT
 public:
  SessionDialog(const About& about, const QString& facts, QWidget* parent);

  About about() const;

 private:
  QLineEdit* m_title;
  QLineEdit* m_author;
  QPlainTextEdit* m_description;
};

}  // namespace bexto::ui
