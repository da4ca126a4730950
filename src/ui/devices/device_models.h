#pragma once

#include <QAbstractTableModel>

#include "core/device/memory_trace.h"
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

/// Every access to one register or to a memory, or every time that a message came; the first is the earliest.
class AccessModel : public QAbstractTableModel {
  Q_OBJECT
 public:
  enum Column { Time, Value };
  using QAbstractTableModel::QAbstractTableModel;

  void show(const DeviceHistory& history, std::size_t subject, std::optional<std::size_t> field);
  void show(const MemoryTrace& memory);
  void clear();
  /// Requires: there is such a row.
  std::uint64_t unitAt(int row) const { return m_units.at(static_cast<std::uint64_t>(row)); }
  /// Number of the frame that it begins with.
  std::uint64_t frameAt(int row) const { return reading().framesOf(unitAt(row)).first; }
  /// Requires: there is a row.
  const Reading& reading() const { return m_memory.empty() ? m_history.reading() : m_memory.reading(); }
  const FrameIndex& frames() const
  {
    return (m_memory.empty() ? m_history.transactions() : m_memory.transactions()).frames();
  }
  /// The last row at that moment; -1: none.
  int rowAt(Picoseconds t) const;

  int rowCount(const QModelIndex& parent = {}) const override;
  int columnCount(const QModelIndex& /*parent*/ = {}) const override { return 2; }
  QVariant data(const QModelIndex& index, int role) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

 private:
  QString textOf(std::uint64_t unit) const;

  DeviceHistory m_history;
  MemoryTrace m_memory;  ///< when it is the one that is shown
  UnitList m_units;
  std::size_t m_subject = 0;
  std::optional<std::size_t> m_field;
};

/// What a memory held, sixteen bytes a row; what was never seen is dots.
class MemoryModel : public QAbstractTableModel {
  Q_OBJECT
 public:
  enum Column { Address, Bytes, Letters };
  static constexpr int kWrap = 16;
  /// Of the Bytes: a letter a byte, 'r' read, 'w' written, ' ' never seen.
  static constexpr int kHow = Qt::UserRole;
  using QAbstractTableModel::QAbstractTableModel;

  void show(const MemoryTrace& memory, MemoryState state);
  int rowOf(std::uint32_t address) const { return static_cast<int>(address / kWrap); }

  int rowCount(const QModelIndex& parent = {}) const override;
  int columnCount(const QModelIndex& /*parent*/ = {}) const override { return 3; }
  QVariant data(const QModelIndex& index, int role) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

 private:
  MemoryTrace m_memory;
  MemoryState m_state;
};

}  // namespace bexto::ui
