#include "ui/access/painted_rows.h"

#include <QAccessibleWidget>
#include <QWidget>
#include <algorithm>
#include <limits>
#include <map>

namespace bexto::ui {

namespace {

class RowsAccess;

/// One cell, or one item of a list. Owned by the view's access.
class CellAccess final : public QAccessibleInterface,
                         public QAccessibleTableCellInterface,
                         public QAccessibleActionInterface {
 public:
  CellAccess(const RowsAccess& view, int row, int column) : m_view(view), m_row(row), m_column(column) {}

  bool isValid() const override;
  QObject* object() const override { return nullptr; }
  QAccessibleInterface* childAt(int /*x*/, int /*y*/) const override { return nullptr; }
  QAccessibleInterface* parent() const override;
  QAccessibleInterface* child(int /*index*/) const override { return nullptr; }
  int childCount() const override { return 0; }
  int indexOfChild(const QAccessibleInterface* /*child*/) const override { return -1; }
  QString text(QAccessible::Text what) const override;
  void setText(QAccessible::Text /*what*/, const QString& /*text*/) override {}
  QRect rect() const override;
  QAccessible::Role role() const override;
  QAccessible::State state() const override;
  void* interface_cast(QAccessible::InterfaceType type) override;

  int columnExtent() const override { return 1; }
  QList<QAccessibleInterface*> columnHeaderCells() const override { return {}; }
  int columnIndex() const override { return m_column; }
  int rowExtent() const override { return 1; }
  QList<QAccessibleInterface*> rowHeaderCells() const override { return {}; }
  int rowIndex() const override { return m_row; }
  bool isSelected() const override;
  QAccessibleInterface* table() const override { return parent(); }

  QStringList actionNames() const override { return {pressAction()}; }
  void doAction(const QString& /*name*/) override;
  QStringList keyBindingsForAction(const QString& /*name*/) const override { return {}; }

  int row() const { return m_row; }
  int column() const { return m_column; }

 private:
  const RowsAccess& m_view;
  int m_row;
  int m_column;
};

class RowsAccess final : public QAccessibleWidget, public QAccessibleTableInterface {
 public:
  RowsAccess(QWidget* widget, PaintedRows& rows)
      : QAccessibleWidget(widget,
                          rows.spokenSort() == PaintedRows::Sort::Table ? QAccessible::Table : QAccessible::List),
        m_rows(rows)
  {
  }
  ~RowsAccess() override
  {
    for (const auto& [place, id] : m_cells)
      QAccessible::deleteAccessibleInterface(id);
  }

  PaintedRows& rows() const { return m_rows; }
  bool isTable() const { return m_rows.spokenSort() == PaintedRows::Sort::Table; }
  int currentIndex() const { return m_rows.spokenCurrent() < 0 ? -1 : m_rows.spokenCurrent() * columnCount(); }

  void* interface_cast(QAccessible::InterfaceType type) override
  {
    if (type == QAccessible::TableInterface && isTable())
      return static_cast<QAccessibleTableInterface*>(this);
    return QAccessibleWidget::interface_cast(type);
  }
  int childCount() const override { return rowCount() * columnCount(); }
  QAccessibleInterface* child(int index) const override
  {
    return index < 0 || index >= childCount() ? nullptr : cellAt(index / columnCount(), index % columnCount());
  }
  int indexOfChild(const QAccessibleInterface* child) const override
  {
    const auto* const cell = dynamic_cast<const CellAccess*>(child);
    return cell == nullptr ? -1 : cell->row() * columnCount() + cell->column();
  }
  QAccessibleInterface* childAt(int x, int y) const override
  {
    // Those in view are few, and they follow one another.
    const QPoint at = widget()->mapFromGlobal(QPoint(x, y));
    for (int row = std::max(0, m_rows.firstSpokenInView()); row < rowCount() && !m_rows.spokenRect(row, 0).isEmpty();
         ++row) {
      for (int column = 0; column < columnCount(); ++column) {
        if (m_rows.spokenRect(row, column).contains(at))
          return cellAt(row, column);
      }
    }
    return nullptr;
  }
  QAccessibleInterface* focusChild() const override
  {
    return widget()->hasFocus() && currentIndex() >= 0 ? child(currentIndex()) : QAccessibleWidget::focusChild();
  }

  QAccessibleInterface* caption() const override { return nullptr; }
  QAccessibleInterface* summary() const override { return nullptr; }
  QAccessibleInterface* cellAt(int row, int column) const override
  {
    if (row < 0 || row >= rowCount() || column < 0 || column >= columnCount())
      return nullptr;
    const auto known = m_cells.find({row, column});
    if (known != m_cells.end())
      return QAccessible::accessibleInterface(known->second);
    // Who walks through millions does not get to keep them all.
    constexpr std::size_t kMostKept = 4096;
    if (m_cells.size() >= kMostKept) {
      for (const auto& [place, id] : m_cells)
        QAccessible::deleteAccessibleInterface(id);
      m_cells.clear();
    }
    auto* const cell = new CellAccess(*this, row, column);
    m_cells[{row, column}] = QAccessible::registerAccessibleInterface(cell);
    return cell;
  }
  int selectedCellCount() const override { return m_rows.spokenCurrent() < 0 ? 0 : columnCount(); }
  QList<QAccessibleInterface*> selectedCells() const override
  {
    QList<QAccessibleInterface*> cells;
    for (int column = 0; m_rows.spokenCurrent() >= 0 && column < columnCount(); ++column)
      cells << cellAt(m_rows.spokenCurrent(), column);
    return cells;
  }
  QString columnDescription(int column) const override { return m_rows.spokenHead(column); }
  QString rowDescription(int /*row*/) const override { return {}; }
  int selectedColumnCount() const override { return 0; }
  int selectedRowCount() const override { return m_rows.spokenCurrent() < 0 ? 0 : 1; }
  int columnCount() const override { return std::max(1, m_rows.spokenColumns()); }
  int rowCount() const override
  {
    return std::min(m_rows.spokenRows(), std::numeric_limits<int>::max() / columnCount());
  }
  QList<int> selectedColumns() const override { return {}; }
  QList<int> selectedRows() const override
  {
    return m_rows.spokenCurrent() < 0 ? QList<int>() : QList<int>{m_rows.spokenCurrent()};
  }
  bool isColumnSelected(int /*column*/) const override { return false; }
  bool isRowSelected(int row) const override { return row == m_rows.spokenCurrent(); }
  bool selectRow(int row) override
  {
    if (row < 0 || row >= rowCount())
      return false;
    m_rows.pickSpoken(row);
    return true;
  }
  bool selectColumn(int /*column*/) override { return false; }
  bool unselectRow(int /*row*/) override { return false; }
  bool unselectColumn(int /*column*/) override { return false; }
  void modelChange(QAccessibleTableModelChangeEvent* /*event*/) override {}

 private:
  PaintedRows& m_rows;
  mutable std::map<std::pair<int, int>, QAccessible::Id> m_cells;
};

bool CellAccess::isValid() const
{
  return m_view.isValid() && m_row < m_view.rowCount() && m_column < m_view.columnCount();
}

QAccessibleInterface* CellAccess::parent() const
{
  return QAccessible::queryAccessibleInterface(m_view.object());
}

QString CellAccess::text(QAccessible::Text what) const
{
  return what == QAccessible::Name && isValid() ? m_view.rows().spokenText(m_row, m_column) : QString();
}

QRect CellAccess::rect() const
{
  const QRect inView = isValid() ? m_view.rows().spokenRect(m_row, m_column) : QRect();
  const auto* const widget = qobject_cast<QWidget*>(m_view.object());
  return inView.isEmpty() ? QRect() : QRect(widget->mapToGlobal(inView.topLeft()), inView.size());
}

QAccessible::Role CellAccess::role() const
{
  return m_view.isTable() ? QAccessible::Cell : QAccessible::ListItem;
}

QAccessible::State CellAccess::state() const
{
  QAccessible::State state;
  state.selectable = true;
  state.focusable = true;
  state.readOnly = true;
  state.selected = isSelected();
  state.focused = isSelected() && m_view.state().focused;
  state.offscreen = isValid() && m_view.rows().spokenRect(m_row, m_column).isEmpty();
  state.invalid = !isValid();
  return state;
}

bool CellAccess::isSelected() const
{
  return m_row == m_view.rows().spokenCurrent();
}

void* CellAccess::interface_cast(QAccessible::InterfaceType type)
{
  if (type == QAccessible::TableCellInterface && m_view.isTable())
    return static_cast<QAccessibleTableCellInterface*>(this);
  if (type == QAccessible::ActionInterface)
    return static_cast<QAccessibleActionInterface*>(this);
  return nullptr;
}

void CellAccess::doAction(const QString& /*name*/)
{
  if (isValid())
    m_view.rows().pickSpoken(m_row);
}

QAccessibleInterface* rowsAccess(const QString& /*className*/, QObject* object)
{
  auto* const widget = qobject_cast<QWidget*>(object);
  auto* const rows = dynamic_cast<PaintedRows*>(object);
  return widget != nullptr && rows != nullptr ? new RowsAccess(widget, *rows) : nullptr;
}

}  // namespace

void announcePaintedRows()
{
  static const bool kOnce = [] {
    QAccessible::installFactory(rowsAccess);
    return true;
  }();
  static_cast<void>(kOnce);
}

void sayCurrentRow(QWidget& view)
{
  if (!QAccessible::isActive() || !view.hasFocus())
    return;
  const auto* const access = dynamic_cast<RowsAccess*>(QAccessible::queryAccessibleInterface(&view));
  if (access == nullptr || access->currentIndex() < 0)
    return;
  QAccessibleEvent event(&view, QAccessible::Focus);
  event.setChild(access->currentIndex());
  QAccessible::updateAccessibility(&event);
}

}  // namespace bexto::ui
