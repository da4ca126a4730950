#include "ui/checks/rule_model.h"

#include "core/base/number_text.h"
#include "core/decode/protocol.h"
#include "core/export/check_writer.h"
#include "ui/text/text.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

QString verdictText(bexto::Verdict verdict)
{
  switch (verdict) {
    case bexto::Verdict::Pass:
      return RuleModel::tr("✓ pass");
    case bexto::Verdict::Fail:
      return RuleModel::tr("▲ fail");
    case bexto::Verdict::Undecided:
      return RuleModel::tr("≈ undecided");
    case bexto::Verdict::Measured:
      return RuleModel::tr("measured");
    case bexto::Verdict::NoEvidence:
      break;
  }
  return RuleModel::tr("– no evidence");
}

RuleModel::RuleModel(const Engine& engine, const Verdicts& verdicts, QObject* parent)
    : QAbstractTableModel(parent), m_engine(engine), m_verdicts(verdicts)
{
}

void RuleModel::refresh(bool openOnly)
{
  std::vector<Row> rows;
  for (int b = 0; b < m_engine.busCount(); ++b) {
    const BusId bus = m_engine.bus(b).id;
    rows.push_back({bus, -1});
    const BusCheck* const check = m_verdicts.of(bus);
    for (std::size_t i = 0; check != nullptr && i < check->rules.size(); ++i) {
      const bexto::Verdict verdict = check->rules[i].verdict;
      const bool isOpen = verdict == bexto::Verdict::Fail || verdict == bexto::Verdict::Undecided;
      if (isOpen || !openOnly)
        rows.push_back({bus, static_cast<int>(i)});
    }
  }
  beginResetModel();
  m_rows = std::move(rows);
  endResetModel();
}

const RuleResult* RuleModel::ruleOf(int row) const
{
  if (row < 0 || row >= rowCount())
    return nullptr;
  const Row& at = m_rows[static_cast<std::size_t>(row)];
  const BusCheck* const check = m_verdicts.of(at.bus);
  return at.rule < 0 || check == nullptr || at.rule >= static_cast<int>(check->rules.size())
             ? nullptr
             : &check->rules[static_cast<std::size_t>(at.rule)];
}

int RuleModel::rowOf(BusId bus, const std::string& rule, const std::string& book) const
{
  for (int row = 0; row < rowCount(); ++row) {
    const RuleResult* const here = busOf(row) == bus ? ruleOf(row) : nullptr;
    if (here != nullptr && here->rule == rule && here->book == book)
      return row;
  }
  return -1;
}

int RuleModel::rowCount(const QModelIndex& parent) const
{
  return parent.isValid() ? 0 : static_cast<int>(m_rows.size());
}

QString RuleModel::headText(BusId bus) const
{
  const BusView* const view = m_engine.find(bus);
  if (view == nullptr)
    return {};
  QStringList parts{toQString(view->shown.name), toQString(view->shown.protocol().label())};
  const BusCheck* const check = m_verdicts.of(bus);
  if (check == nullptr) {
    parts << (view->streams.empty() ? tr("not decoded") : tr("measuring …"));
  } else {
    QStringList books;
    for (const std::string& book : check->books)
      books << toQString(book);
    parts << (books.isEmpty() ? tr("no rulebook: measured only") : tr("by %1").arg(books.join(QStringLiteral(", "))));
    for (const std::string& note : check->notes)
      parts << QStringLiteral("▲ ") + toQString(note);
    if (m_verdicts.isRunning(bus))
      parts << tr("measuring …");
  }
  return parts.join(QStringLiteral(" · "));
}

QVariant RuleModel::cell(const RuleResult& rule, int column) const
{
  switch (column) {
    case Rule:
      return toQString(rule.rule) + (rule.differs ? QStringLiteral(" *") : QString());
    case Verdict:
      return verdictText(rule.verdict);
    case Limit:
      return rule.sort == RuleSort::Measure || rule.sort == RuleSort::Talk ? toQString(limitsText(rule)) : QString();
    case Count:
      return rule.failed > 0
                 ? tr("%1 of %2").arg(toQString(countText(rule.failed)), toQString(countText(rule.spread.count)))
             : rule.undecided > 0
                 ? tr("%1 of %2").arg(toQString(countText(rule.undecided)), toQString(countText(rule.spread.count)))
                 : toQString(countText(rule.spread.count));
    default:
      return {};
  }
}

QVariant RuleModel::data(const QModelIndex& index, int role) const
{
  const Palette& c = theme().colours();
  const RuleResult* const rule = ruleOf(index.row());
  if (rule == nullptr) {
    if (role == Qt::DisplayRole || role == Qt::AccessibleTextRole)
      return index.column() == 0 ? headText(busOf(index.row())) : QString();
    if (role == Qt::FontRole)
      return theme().words(12, true);
    return role == Qt::ForegroundRole ? QVariant(c.ink) : QVariant();
  }
  switch (role) {
    case Qt::DisplayRole:
      return cell(*rule, index.column());
    case Qt::AccessibleTextRole:
      return index.column() == Gauge && rule->worst
                 ? tr("worst %1").arg(toQString(valueText(*rule, rule->worst->value)))
                 : cell(*rule, index.column());
    case Qt::ToolTipRole:
      return toQString(rule->meaning) +
             (rule->clause.empty() ? QString() : QStringLiteral("\n") + toQString(rule->clause));
    case Qt::FontRole:
      return index.column() == Rule || index.column() == Verdict ? theme().words(12) : theme().data(11);
    case Qt::ForegroundRole:
      if (index.column() == Verdict || index.column() == Count) {
        return rule->verdict == bexto::Verdict::Fail                                ? c.fault
               : rule->verdict == bexto::Verdict::Undecided                         ? c.check
               : rule->verdict == bexto::Verdict::Pass && index.column() == Verdict ? c.payload
                                                                                    : c.muted;
      }
      return index.column() == Rule ? c.ink : c.muted;
    default:
      return {};
  }
}

/// A bus is current, so that its rulebooks can be asked for, and not marked like a rule.
Qt::ItemFlags RuleModel::flags(const QModelIndex& index) const
{
  const Qt::ItemFlags all = QAbstractTableModel::flags(index);
  return ruleOf(index.row()) == nullptr ? all & ~Qt::ItemFlags(Qt::ItemIsSelectable) : all;
}

QVariant RuleModel::headerData(int section, Qt::Orientation orientation, int role) const
{
  if (orientation != Qt::Horizontal || role != Qt::DisplayRole)
    return {};
  switch (section) {
    case Rule:
      return tr("rule");
    case Verdict:
      return tr("verdict");
    case Gauge:
      return tr("worst, limit");
    case Limit:
      return tr("limit");
    case Histogram:
      return tr("spread");
    default:
      return tr("count");
  }
}

}  // namespace bexto::ui
