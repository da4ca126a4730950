#pragma once

#include <QAbstractTableModel>
#include <memory>
#include <optional>
#include <vector>

#include "core/check/check.h"

namespace bexto::ui {

/// The rules of one rulebook while it is written: each limit beside the original's, and what the traffic makes of it.
class BookModel : public QAbstractTableModel {
  Q_OBJECT
 public:
  enum Column { Rule, Limit, Original, Worst, Verdict, Columns };
  using QAbstractTableModel::QAbstractTableModel;

  void setBook(const Rulebook& book, const Bus& bus);
  /// What the traffic makes of it; nothing: it is being measured.
  void setCheck(std::optional<BusCheck> check);
  void clear();
  /// Where in the text the rule stands; 0: it is not there, because it is the original's.
  int lineOf(int row) const { return m_rows.at(static_cast<std::size_t>(row)).line; }
  /// Limits that are not the original's, and rules that it does not have.
  int ownRules() const;

  int rowCount(const QModelIndex& parent = {}) const override;
  int columnCount(const QModelIndex& /*parent*/ = {}) const override { return Columns; }
  QVariant data(const QModelIndex& index, int role) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

 private:
  struct Row {
    RuleResult rule;                 ///< as it was judged; before that its name and limits only
    std::optional<Limits> original;  ///< where it is another; without any limit: the original has none
    int line = 0;
  };
  QString cell(const Row& row, int column) const;

  std::vector<Row> m_rows;
  bool m_judged = false;
};

}  // namespace bexto::ui
