#pragma once

#include "ui/import/import_page.h"

class QLineEdit;

namespace bexto::ui {

/// Of packed samples: how many channels, and how fast.
class SamplesPage : public ImportPage {
  Q_OBJECT
 public:
  SamplesPage(const QString& path, const ReadHints& before, QWidget* parent = nullptr);

  ReadHints hints() const override;
  QString problem() const override;
  QString outcome() const override;

 private:
  qint64 m_bytes;
  bool m_packed;  ///< by gzip: how long it is shows when it is read
  QLineEdit* m_channels;
  QLineEdit* m_rate;
};

}  // namespace bexto::ui
