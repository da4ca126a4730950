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
          return !row.seen || row.field ? QString()
                 : row.written          ? tr("set")
                 : row.isRegister       ? tr("read")
                                        : tr("said");
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
  m_memory = {};
  m_units = history.unitsOf(subject);
  m_subject = subject;
  m_field = field;
  endResetModel();
}

void AccessModel::show(const MemoryTrace& memory)
{
  beginResetModel();
  m_history = {};
  m_memory = memory;
  m_units = memory.units();
  endResetModel();
}

void AccessModel::clear()
{
  beginResetModel();
  m_history = {};
  m_memory = {};
  m_units = {};
  endResetModel();
}

int AccessModel::rowAt(Picoseconds t) const
{
  int low = 0;
  int high = rowCount();
  while (low < high) {
    const int middle = low + (high - low) / 2;
    if (frames().frame(reading().framesOf(unitAt(middle)).end - 1).time.end <= t)
      low = middle + 1;
    else
      high = middle;
  }
  return low - 1;
}

int AccessModel::rowCount(const QModelIndex& parent) const
{
  return parent.isValid() ? 0 : static_cast<int>(std::min<std::uint64_t>(m_units.size(), 1'000'000'000));
}

QString AccessModel::textOf(std::uint64_t unit) const
{
  if (!m_memory.empty())
    return toQString(m_memory.textOf(unit));
  const DeviceHistory::Said said = m_history.saidIn(m_subject, unit);
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

QVariant AccessModel::data(const QModelIndex& index, int role) const
{
  if (role == Qt::FontRole)
    return theme().data(12);
  if (role == Qt::ForegroundRole)
    return index.column() == Time ? theme().colours().muted : theme().colours().device;
  if (role != Qt::DisplayRole)
    return {};
  if (index.column() == Time)
    return toQString(momentText(frames().frame(frameAt(index.row())).time.begin, 6)) + QStringLiteral(" s");
  return textOf(unitAt(index.row()));
}

QVariant AccessModel::headerData(int section, Qt::Orientation orientation, int role) const
{
  if (orientation != Qt::Horizontal || role != Qt::DisplayRole)
    return {};
  return section == Time ? tr("When") : tr("What was said");
}

void MemoryModel::show(const MemoryTrace& memory, MemoryState state)
{
  const bool same = memory.size() == m_memory.size();
  if (!same)
    beginResetModel();
  m_memory = memory;
  m_state = std::move(state);
  if (!same)
    endResetModel();
  else if (rowCount() > 0)
    Q_EMIT dataChanged(index(0, 0), index(rowCount() - 1, columnCount() - 1));
}

int MemoryModel::rowCount(const QModelIndex& parent) const
{
  // A view cannot scroll over more than that.
  constexpr std::uint64_t kMost = 80'000'000;
  return parent.isValid() ? 0 : static_cast<int>(std::min<std::uint64_t>((m_memory.size() + kWrap - 1) / kWrap, kMost));
}

QVariant MemoryModel::data(const QModelIndex& index, int role) const
{
  const Palette& c = theme().colours();
  if (role == Qt::FontRole)
    return theme().data(12);
  if (role == Qt::ForegroundRole)
    return index.column() == Address ? c.muted : c.device;
  if (role != Qt::DisplayRole && role != kHow)
    return {};
  const auto address = static_cast<std::uint32_t>(index.row()) * kWrap;
  if (index.column() == Address)
    return QStringLiteral("%1").arg(address, m_memory.size() > 0x10000 ? 6 : 4, 16, QLatin1Char('0')).toUpper();
  QString text;
  for (const MemoryByte& byte : m_memory.bytesOf(m_state, address, kWrap)) {
    const QChar letter = byte.value >= 0x20 && byte.value < 0x7f ? QChar(char16_t{byte.value}) : QChar(0xb7);
    if (role == kHow)
      text += !byte.seen ? QLatin1Char(' ') : byte.written ? QLatin1Char('w') : QLatin1Char('r');
    else if (index.column() == Letters)
      text += byte.seen ? letter : QLatin1Char(' ');
    else
      text +=
          (text.isEmpty() ? QString() : QStringLiteral(" ")) +
          (byte.seen ? QStringLiteral("%1").arg(byte.value, 2, 16, QLatin1Char('0')).toUpper() : QStringLiteral("··"));
  }
  return text;
}

QVariant MemoryModel::headerData(int section, Qt::Orientation orientation, int role) const
{
  if (orientation != Qt::Horizontal || role != Qt::DisplayRole)
    return {};
  return section == Address ? tr("Address") : section == Bytes ? tr("Last read or written") : tr("Letters");
}

}  // namespace bexto::ui
