#pragma once

#include <QAbstractTableModel>
#include <vector>

#include "ui/engine/engine.h"
#include "ui/verdicts/verdicts.h"

namespace bexto::ui {

/// Rules by bus: a row that names the bus and its rulebooks, then a row for each rule.
class RuleModel : public QAbstractTableModel {
  Q_OBJECT
 public:
  enum Column { Rule, Verdict, Gauge, Histogram, Limit, Count, Columns };
  RuleModel(const Engine& engine, const Verdicts& verdicts, QObject* parent = nullptr);

  /// Reads everything again. `openOnly`: without what passed or was only measured.
  void refresh(bool openOnly);
  BusId busOf(int row) const { return m_rows.at(static_cast<std::size_t>(row)).bus; }
  /// nullptr: the row is that of a bus.
  const RuleResult* ruleOf(int row) const;
  /// Where that rule is; −1: not shown.
  int rowOf(BusId bus, const std::string& rule, const std::string& book) const;

  int rowCount(const QModelIndex& parent = {}) const override;
  int columnCount(const QModelIndex& /*parent*/ = {}) const override { return Columns; }
  QVariant data(const QModelIndex& index, int role) const override;
  Qt::ItemFlags flags(const QModelIndex& index) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

 private:
  struct Row {
    BusId bus = BusId::None;
    int rule = -1;
  };
  QString headText(BusId bus) const;
  QVariant cell(const RuleResult& rule, int column) const;

  const Engine& m_engine;
  const Verdicts& m_verdicts;
  std::vector<Row> m_rows;
};

/// "✓ pass": a sign and a word.
QString verdictText(bexto::Verdict verdict);

}  // namespace bexto::ui
