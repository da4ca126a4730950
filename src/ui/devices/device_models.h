#pragma once

#include <QAbstractTableModel>

#include "core/view/device_table.h"
#include "ui/text/text.h"

namespace bexto::ui {

/// What a device last said, a row each.
class RegisterModel : public QAbstractTableModel {
  Q_OBJECT
 public:
  enum Column { Name, Value, Since, How };
  using QAbstractTableModel::QAbstractTableModel;

  /// `at`: the moment that they are of.
  void show(std::vector<DeviceRow> rows, Picoseconds at);
  const std::vector<DeviceRow>& rows() const { return m_rows; }

  int rowCount(const QModelIndex& parent = {}) const override;
  int columnCount(const QModelIndex& /*parent*/ = {}) const override { return 4; }
  QVariant data(const QModelIndex& index, int role) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

 private:
  std::vector<DeviceRow> m_rows;
  Picoseconds m_at{0};
};

/// Every access to one register, or every time that a message came; the first is the earliest.
class AccessModel : public QAbstractTableModel {
  Q_OBJECT
 public:
  enum Column { Time, Value };
  using QAbstractTableModel::QAbstractTableModel;

  void show(const DeviceHistory& history, std::size_t subject, std::optional<std::size_t> field);
  void clear();
  /// Requires: there is such a row.
  std::uint64_t unitAt(int row) const;
  const DeviceHistory& history() const { return m_history; }
  /// The last row at that moment; -1: none.
  int rowAt(Picoseconds t) const;

  int rowCount(const QModelIndex& parent = {}) const override;
  int columnCount(const QModelIndex& /*parent*/ = {}) const override { return 2; }
  QVariant data(const QModelIndex& index, int role) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

 private:
  DeviceHistory m_history;
  std::size_t m_subject = 0;
  std::optional<std::size_t> m_field;
  int m_count = 0;
};

}  // namespace bexto::ui
