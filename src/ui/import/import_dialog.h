#pragma once

#include <QDialog>

#include "ui/engine/capture_source.h"
#include "ui/import/import_page.h"

class QLabel;
class QPushButton;

namespace bexto::ui {

/// Asks how a file is to be read, and shows what comes of it. Accepted when the hints are to be used.
class ImportDialog : public QDialog {
  Q_OBJECT
 public:
  /// `before`: what was said of the file before it.
  ImportDialog(const HowToRead& question, const ReadHints& before, QWidget* parent);

  ReadHints hints() const { return m_page->hints(); }
  ImportPage& page() { return *m_page; }

 private:
  void update();

  ImportPage* m_page;
  QLabel* m_outcome;
  QPushButton* m_read;
};

}  // namespace bexto::ui
