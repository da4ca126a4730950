#pragma once

#include "core/format/csv_reader.h"
#include "ui/import/import_page.h"

class QComboBox;
class QLineEdit;
class QTableWidget;

namespace bexto::ui {

/// Of rows of text: what separates fields, what each column is, the unit of the times; with the first rows as they are
/// understood.
class RowsPage : public ImportPage {
  Q_OBJECT
 public:
  explicit RowsPage(const CsvBegin& begin, QWidget* parent = nullptr);

  ReadHints hints() const override;
  QString problem() const override;
  QString outcome() const override;
  QTableWidget& table() { return *m_table; }

 private:
  void guessAgain();
  void showLayout();
  void showTable();
  void take();
  std::string lines() const;

  CsvBegin m_begin;
  CsvLayout m_layout;
  QString m_noRows;  ///< why there is no layout; empty: there is
  QComboBox* m_separator;
  QComboBox* m_decimal;
  QComboBox* m_unit;
  QLineEdit* m_rate;
  QWidget* m_unitField;
  QWidget* m_rateField;
  QTableWidget* m_table;
  QString m_problem;
  QString m_outcome;
  bool m_showing = false;
};

}  // namespace bexto::ui
