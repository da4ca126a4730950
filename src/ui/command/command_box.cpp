#include "ui/command/command_box.h"

#include <QApplication>
#include <QKeyEvent>
#include <QListWidget>
#include <QPainter>
#include <QStyledItemDelegate>
#include <algorithm>

#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

constexpr int kRow = 26;
constexpr int kRowsShown = 12;
constexpr int kKindRole = Qt::UserRole;
constexpr int kKeysRole = Qt::UserRole + 1;

class CommandDelegate : public QStyledItemDelegate {
 public:
  using QStyledItemDelegate::QStyledItemDelegate;
  QSize sizeHint(const QStyleOptionViewItem& /*option*/, const QModelIndex& /*index*/) const override
  {
    return {100, px(kRow)};
  }
  void paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& index) const override
  {
    const Palette& c = theme().colours();
    p->fillRect(option.rect, option.state.testFlag(QStyle::State_Selected) ? c.selection : c.panel);
    const QRect row = option.rect.adjusted(px(12), 0, -px(12), 0);
    p->setFont(theme().data(11));
    p->setPen(c.muted);
    p->drawText(row, Qt::AlignRight | Qt::AlignVCenter, index.data(kKeysRole).toString());
    p->setFont(theme().words(11));
    p->drawText(row, Qt::AlignLeft | Qt::AlignVCenter, index.data(kKindRole).toString());
    p->setFont(theme().words(13));
    p->setPen(c.ink);
    const QRect text = row.adjusted(px(64), 0, -px(90), 0);
    p->drawText(text, Qt::AlignLeft | Qt::AlignVCenter,
                p->fontMetrics().elidedText(index.data().toString(), Qt::ElideRight, text.width()));
  }
};

}  // namespace

int matchRank(const QString& typed, const QString& text)
{
  int rank = 0;
  for (const QString& word : typed.split(QLatin1Char(' '), Qt::SkipEmptyParts)) {
    int best = -1;
    for (qsizetype at = text.indexOf(word, 0, Qt::CaseInsensitive); at >= 0;
         at = text.indexOf(word, at + 1, Qt::CaseInsensitive)) {
      if (at == 0 || !text[at - 1].isLetterOrNumber()) {
        best = static_cast<int>(at);
        break;
      }
    }
    if (best < 0)
      return -1;
    rank += best;
  }
  return rank;
}

CommandBox::CommandBox(CommandSource source, QWidget* parent) : QLineEdit(parent), m_source(std::move(source))
{
  setPlaceholderText(tr("find, go to, or do …   (Ctrl+K)"));
  setAccessibleName(tr("Command box"));
  setObjectName(QStringLiteral("commandBox"));
  setSizePolicy(QSizePolicy::Maximum, QSizePolicy::Fixed);
  setMinimumWidth(px(120));
  connect(&theme(), &Theme::resized, this, &QWidget::updateGeometry);
  connect(this, &QLineEdit::textEdited, this, &CommandBox::offer);
  connect(qApp, &QApplication::focusChanged, this, [this](QWidget* old, QWidget* now) {
    if (now == this && old != nullptr)
      m_before = old;
  });
}

QSize CommandBox::sizeHint() const
{
  return {px(380), QLineEdit::sizeHint().height()};
}

CommandBox::~CommandBox()
{
  delete m_list;
}

void CommandBox::open()
{
  setFocus(Qt::ShortcutFocusReason);
  clear();
  offer();
}

QStringList CommandBox::offered() const
{
  QStringList texts;
  for (int i = 0; m_list != nullptr && m_list->isVisible() && i < m_list->count(); ++i)
    texts << m_list->item(i)->text();
  return texts;
}

void CommandBox::offer()
{
  if (m_list == nullptr) {
    m_list = new QListWidget(window());
    m_list->setFocusPolicy(Qt::NoFocus);
    m_list->setItemDelegate(new CommandDelegate(m_list));
    m_list->setAccessibleName(tr("What can be done"));
    connect(m_list, &QListWidget::itemClicked, this, [this](QListWidgetItem* item) { run(m_list->row(item)); });
  }
  struct Ranked {
    int rank;
    Command command;
  };
  std::vector<Ranked> ranked;
  for (Command& command : m_source(text())) {
    // What was made from the typed text itself leads.
    const int rank = command.kind == tr("go to") ? 0 : matchRank(text(), command.text);
    if (rank >= 0)
      ranked.push_back({rank, std::move(command)});
  }
  std::stable_sort(ranked.begin(), ranked.end(), [](const Ranked& a, const Ranked& b) { return a.rank < b.rank; });
  m_commands.clear();
  m_list->clear();
  for (Ranked& r : ranked) {
    auto* item = new QListWidgetItem(r.command.text, m_list);
    item->setData(kKindRole, r.command.kind);
    item->setData(kKeysRole, r.command.keys);
    m_commands.push_back(std::move(r.command));
  }
  if (m_commands.empty()) {
    m_list->hide();
    return;
  }
  m_list->setCurrentRow(0);
  const QPoint below = mapTo(window(), QPoint(0, height() + 2));
  m_list->setGeometry(below.x(), below.y(), std::max(width(), px(440)),
                      std::min(kRowsShown, m_list->count()) * px(kRow) + 4);
  m_list->show();
  m_list->raise();
}

void CommandBox::leave()
{
  if (m_list != nullptr)
    m_list->hide();
  clear();
}

void CommandBox::run(int row)
{
  if (row < 0 || static_cast<std::size_t>(row) >= m_commands.size())
    return;
  const std::function<void()> action = m_commands[static_cast<std::size_t>(row)].run;
  leave();
  Q_EMIT closed();  // the keyboard goes back first: an action may send it elsewhere
  action();
}

void CommandBox::keyPressEvent(QKeyEvent* event)
{
  const int row = m_list == nullptr ? -1 : m_list->currentRow();
  switch (event->key()) {
    case Qt::Key_Down:
    case Qt::Key_Up:
      if (m_list != nullptr && m_list->isVisible())
        m_list->setCurrentRow(std::clamp(row + (event->key() == Qt::Key_Down ? 1 : -1), 0, m_list->count() - 1));
      else
        offer();
      return;
    case Qt::Key_Return:
    case Qt::Key_Enter:
      if (m_list != nullptr && m_list->isVisible())
        run(row);
      return;
    case Qt::Key_Escape:
      leave();
      Q_EMIT closed();
      return;
    default:
      QLineEdit::keyPressEvent(event);
  }
}

void CommandBox::mousePressEvent(QMouseEvent* event)
{
  QLineEdit::mousePressEvent(event);
  offer();
}

void CommandBox::focusOutEvent(QFocusEvent* event)
{
  QLineEdit::focusOutEvent(event);
  leave();
}

}  // namespace bexto::ui
