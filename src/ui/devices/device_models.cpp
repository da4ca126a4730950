#include "ui/devices/device_models.h"

#include <algorithm>

#include "core/base/time_text.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

void RegisterModel::show(std::vector<DeviceRow> rows, Picoseconds at)
{
  m_at = at;
  // The same lines with other values: what is picked and how far it is scrolled stay.
  if (rows.size() == m_rows.size()) {
    m_rows = std::move(rows);
    if (!m_rows.empty())
      Q_EMIT dataChanged(index(0, 0), index(rowCount() - 1, columnCount() - 1));
    return;
  }
  beginResetModel();
  m_rows = std::move(rows);
  endResetModel();
}

int RegisterModel::rowCount(const QModelIndex& parent) const
{
  return parent.isValid() ? 0 : static_cast<int>(m_rows.size());
}

QVariant RegisterModel::data(const QModelIndex& index, int role) const
{
  const DeviceRow& row = m_rows[static_cast<std::size_t>(index.row())];
  const Palette& c = theme().colours();
  switch (role) {
    case Qt::DisplayRole:
      switch (index.column()) {
        case Name:
          return (row.field ? QStringLiteral("    ") : QString()) + toQString(row.name);
        case Value:
          if (!row.seen)
            return row.field ? QString() : tr("never seen");
          return (row.changed && !row.value.empty() ? QStringLiteral("● ") : QString()) + toQString(row.value) +
                 (row.wrong.empty() ? QString() : QStringLiteral("  ▲ ") + toQString(row.wrong));
        case Since:
          if (!row.seen || row.field)
            return QString();
          return row.at == m_at ? tr("just now") : tr("%1 ago").arg(toQString(lengthText(minus(m_at, row.at))));
        default:
          return !row.seen || row.field ? QString() : row.written ? tr("set") : tr("read");
      }
    case Qt::FontRole:
      return index.column() == Value || index.column() == Since
                 ? theme().data(12)
                 : theme().words(12, index.column() == Name && !row.field);
    case Qt::ForegroundRole:
      if (index.column() == Value)
        return !row.seen ? c.muted : row.wrong.empty() ? c.device : c.fault;
      return index.column() == Name ? c.ink : c.muted;
    case Qt::BackgroundRole:
      return row.changed && !row.value.empty() && index.column() == Value ? QVariant(c.selection) : QVariant();
    case Qt::ToolTipRole:
      return row.changed ? tr("Another than at the marker before") : QVariant();
    default:
      return {};
  }
}

QVariant RegisterModel::headerData(int section, Qt::Orientation orientation, int role) const
{
  if (orientation != Qt::Horizontal || role != Qt::DisplayRole)
    return {};
  switch (section) {
    case Name:
      return tr("Register or message");
    case Value:
      return tr("Last seen");
    case Since:
      return tr("When");
    default:
      return tr("How");
  }
}

void AccessModel::show(const DeviceHistory& history, std::size_t subject, std::optional<std::size_t> field)
{
  beginResetModel();
  m_history = history;
  m_subject = subject;
  m_field = field;
  m_count = static_cast<int>(std::min<std::uint64_t>(history.unitsOf(subject).size(), 1'000'000'000));
  endResetModel();
}

void AccessModel::clear()
{
  beginResetModel();
  m_history = {};
  m_count = 0;
  endResetModel();
}

std::uint64_t AccessModel::unitAt(int row) const
{
  return m_history.unitsOf(m_subject).at(static_cast<std::uint64_t>(row));
}

int AccessModel::rowAt(Picoseconds t) const
{
  if (m_count == 0)
    return -1;
  const auto unit = m_history.lastAt(m_subject, t);
  return unit ? static_cast<int>(m_history.unitsOf(m_subject).countBelow(*unit)) : -1;
}

int AccessModel::rowCount(const QModelIndex& parent) const
{
  return parent.isValid() ? 0 : m_count;
}

QVariant AccessModel::data(const QModelIndex& index, int role) const
{
  if (role == Qt::FontRole)
    return theme().data(12);
  if (role == Qt::ForegroundRole)
    return index.column() == Time ? theme().colours().muted : theme().colours().device;
  if (role != Qt::DisplayRole)
    return {};
  const DeviceHistory::Said said = m_history.saidIn(m_subject, unitAt(index.row()));
  if (index.column() == Time) {
    const FrameRange range = m_history.reading().framesOf(said.unit);
    return toQString(momentText(m_history.transactions().frames().frame(range.first).time.begin, 6)) +
           QStringLiteral(" s");
  }
  QString text;
  for (const ToldValue& value : said.values) {
    if (m_field && m_history.fieldsOf(m_subject)[*m_field].name != value.name)
      continue;
    const bool alone = m_field.has_value() || said.values.size() == 1;
    text += (text.isEmpty() ? QString() : QStringLiteral(", ")) +
            (alone ? QString() : toQString(shownName(value.name)) + QStringLiteral(" ")) +
            toQString(value.textWithUnit());
  }
  return (said.written ? tr("set ") : QString()) + text;
}

QVariant AccessModel::headerData(int section, Qt::Orientation orientation, int role) const
{
  if (orientation != Qt::Horizontal || role != Qt::DisplayRole)
    return {};
  return section == Time ? tr("When") : tr("What was said");
}

}  // namespace bexto::ui
