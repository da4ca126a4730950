#include "ui/checks/book_model.h"

#include <algorithm>

#include "core/decode/protocol.h"
#include "core/export/check_writer.h"
#include "ui/checks/rule_model.h"
#include "ui/text/text.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

void BookModel::setBook(const Rulebook& book, const Bus& bus)
{
  beginResetModel();
  m_rows.clear();
  m_judged = false;
  const auto& measures = bus.protocol().facts().measures;
  for (const LimitRule& limit : book.limits) {
    Row row;
    row.rule.rule = limit.name;
    row.rule.book = book.name;
    row.rule.sort = limit.isError ? RuleSort::Error : RuleSort::Measure;
    row.rule.clause = limit.clause;
    row.rule.limits = limitsOn(bus, limit);
    const auto spec =
        std::find_if(measures.begin(), measures.end(), [&](const MeasureSpec& m) { return m.symbol == limit.name; });
    row.rule.measured = limit.isError || spec == measures.end() ? MeasureUnit::Count : spec->unit;
    if (limit.differs()) {
      LimitRule original = limit;
      original.limits = *limit.original;
      original.inBits = limit.originalInBits;
      row.original = limitsOn(bus, original);
    }
    row.line = limit.line;
    m_rows.push_back(std::move(row));
  }
  for (const TalkRule& talk : book.talk) {
    Row row;
    row.rule.rule = talk.name;
    row.rule.book = book.name;
    row.rule.sort = RuleSort::Talk;
    row.rule.clause = talk.clause;
    row.line = talk.line;
    m_rows.push_back(std::move(row));
  }
  endResetModel();
}

void BookModel::setCheck(std::optional<BusCheck> check)
{
  m_judged = check.has_value();
  for (Row& row : m_rows) {
    const auto judged = !check ? std::vector<RuleResult>::iterator()
                               : std::find_if(check->rules.begin(), check->rules.end(), [&](const RuleResult& r) {
                                   return r.rule == row.rule.rule && r.sort == row.rule.sort && r.book == row.rule.book;
                                 });
    if (check && judged != check->rules.end())
      row.rule = *judged;
  }
  if (!m_rows.empty())
    Q_EMIT dataChanged(index(0, 0), index(rowCount() - 1, Columns - 1));
}

void BookModel::clear()
{
  beginResetModel();
  m_rows.clear();
  endResetModel();
}

int BookModel::ownRules() const
{
  return static_cast<int>(std::count_if(m_rows.begin(), m_rows.end(), [](const Row& row) {
    return row.original.has_value() || row.rule.sort == RuleSort::Talk;
  }));
}

int BookModel::rowCount(const QModelIndex& parent) const
{
  return parent.isValid() ? 0 : static_cast<int>(m_rows.size());
}

QString BookModel::cell(const Row& row, int column) const
{
  const RuleResult& rule = row.rule;
  switch (column) {
    case Rule:
      return toQString(rule.rule) + (row.original ? QStringLiteral(" *") : QString());
    case Limit:
      return rule.limits.any() || row.original ? (rule.limits.any() ? toQString(limitsText(rule)) : tr("no limit"))
                                               : QString();
    case Original: {
      if (!row.original)
        return {};
      RuleResult original = rule;
      original.limits = *row.original;
      return original.limits.any() ? toQString(limitsText(original)) : tr("no limit");
    }
    case Worst:
      return rule.worst && rule.sort != RuleSort::Error ? toQString(valueText(rule, rule.worst->value)) : QString();
    case Verdict:
      return m_judged ? verdictText(rule.verdict) : QStringLiteral("…");
    default:
      return {};
  }
}

QVariant BookModel::data(const QModelIndex& index, int role) const
{
  const Row& row = m_rows.at(static_cast<std::size_t>(index.row()));
  const Palette& c = theme().colours();
  switch (role) {
    case Qt::DisplayRole:
    case Qt::AccessibleTextRole:
      return cell(row, index.column());
    case Qt::ToolTipRole: {
      QStringList lines{toQString(row.rule.rule)};
      if (!row.rule.meaning.empty() && row.rule.meaning != row.rule.rule)
        lines << toQString(row.rule.meaning);
      if (!row.rule.clause.empty())
        lines << toQString(row.rule.clause);
      return lines.join(QLatin1Char('\n'));
    }
    case Qt::FontRole:
      return index.column() == Rule || index.column() == Verdict ? theme().words(12) : theme().data(11);
    case Qt::ForegroundRole:
      if (index.column() == Verdict && m_judged) {
        return row.rule.verdict == bexto::Verdict::Fail        ? c.fault
               : row.rule.verdict == bexto::Verdict::Undecided ? c.check
               : row.rule.verdict == bexto::Verdict::Pass      ? c.payload
                                                               : c.muted;
      }
      return index.column() == Rule || (row.original && index.column() == Limit) ? c.ink : c.muted;
    default:
      return {};
  }
}

QVariant BookModel::headerData(int section, Qt::Orientation orientation, int role) const
{
  if (orientation != Qt::Horizontal || role != Qt::DisplayRole)
    return {};
  switch (section) {
    case Rule:
      return tr("rule");
    case Limit:
      return tr("limit");
    case Original:
      return tr("instead of");
    case Worst:
      return tr("worst here");
    default:
      return tr("verdict");
  }
}

}  // namespace bexto::ui
