#include "ui/query/query_edit.h"

#include <QKeyEvent>
#include <QListWidget>
#include <QPainter>
#include <QPainterPath>
#include <QStyle>
#include <QStyledItemDelegate>

#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

constexpr int kMostOffered = 9;
constexpr int kOfferRow = 22;
constexpr int kHelpRole = Qt::UserRole;

/// The text in the data's font, and what it means beside it.
class OfferDelegate : public QStyledItemDelegate {
 public:
  using QStyledItemDelegate::QStyledItemDelegate;
  QSize sizeHint(const QStyleOptionViewItem& /*option*/, const QModelIndex& /*index*/) const override
  {
    return {100, px(kOfferRow)};
  }
  void paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& index) const override
  {
    const Palette& c = theme().colours();
    p->fillRect(option.rect, option.state.testFlag(QStyle::State_Selected) ? c.selection : c.panel);
    p->setFont(theme().data(12));
    p->setPen(c.ink);
    const QString text = index.data().toString();
    p->drawText(option.rect.adjusted(px(8), 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter, text);
    const int after = std::max(px(120), p->fontMetrics().horizontalAdvance(text) + px(20));
    p->setFont(theme().words(11));
    p->setPen(c.muted);
    const QRect room = option.rect.adjusted(after, 0, -6, 0);
    p->drawText(room, Qt::AlignLeft | Qt::AlignVCenter,
                p->fontMetrics().elidedText(index.data(kHelpRole).toString(), Qt::ElideRight, room.width()));
  }
};

}  // namespace

Occurrences::Occurrences(Engine& engine, QObject* parent)
    : QObject(parent), m_engine(engine), m_job(std::make_unique<Job>())
{
  const auto stale = [this] { m_stale = true; };
  connect(&engine, &Engine::captureChanged, this, stale);
  connect(&engine, &Engine::changed, this, stale);
}

void Occurrences::refresh()
{
  if (!m_stale)
    return;
  m_stale = false;
  m_job->start([this, sources = m_engine.ledgerSources()](JobRun& run) {
    Occurring all;
    for (const LedgerSource& source : sources) {
      if (run.stop().stop_requested())
        return;
      countOccurring(source.bus, source.transactions, all);
    }
    sortOccurring(all);
    run.post([this, all = std::move(all)] {
      m_known = all;
      Q_EMIT changed();
    });
  });
}

QueryEdit::QueryEdit(Lookup& lookup, Occurrences& occurrences, QWidget* parent)
    : QLineEdit(parent), m_lookup(lookup), m_occurrences(occurrences)
{
  setType(*this, Face::Data, 12);
  setClearButtonEnabled(true);
  connect(this, &QLineEdit::textEdited, this, [this](const QString& text) {
    m_lookup.setText(text);
    offerForTyping();
  });
  // Cleared by its button, or set from elsewhere.
  connect(this, &QLineEdit::textChanged, this, [this](const QString& text) { m_lookup.setText(text); });
  connect(&lookup, &Lookup::textChanged, this, [this] {
    if (text() != m_lookup.text())
      setText(m_lookup.text());
    if (const bool wrong = m_lookup.error().has_value(); property("wrong").toBool() != wrong) {
      setProperty("wrong", wrong);
      style()->unpolish(this);  // or its look would not be asked for again
      style()->polish(this);
    }
    update();
  });
  connect(&occurrences, &Occurrences::changed, this, [this] {
    if (hasFocus() && (m_waiting || (m_list != nullptr && m_list->isVisible())))
      offer();
  });
}

QueryEdit::~QueryEdit()
{
  delete m_list;
}

QStringList QueryEdit::offered() const
{
  QStringList items;
  for (int i = 0; m_list != nullptr && m_list->isVisible() && i < m_list->count(); ++i)
    items << m_list->item(i)->text();
  return items;
}

void QueryEdit::offerForTyping()
{
  // Behind a blank anything could follow: only Down asks for all of that, so that the list below stays in view.
  const QString before = text().left(cursorPosition());
  if (before.isEmpty() || before.back().isSpace() || before.back() == QLatin1Char('('))
    closeOffer();
  else
    offer();
}

void QueryEdit::offer()
{
  m_occurrences.refresh();
  const QByteArray before = text().left(cursorPosition()).toUtf8();
  m_completions = completionsAt(text().toStdString(), static_cast<std::size_t>(before.size()), m_occurrences.known());
  // What is there already needs no offer.
  const QByteArray word =
      text().toUtf8().mid(static_cast<qsizetype>(m_completions.replaces.begin),
                          static_cast<qsizetype>(m_completions.replaces.end - m_completions.replaces.begin));
  const bool there =
      m_completions.items.size() == 1 &&
      word.compare(QByteArray::fromStdString(m_completions.items.front().insert), Qt::CaseInsensitive) == 0;
  closeOffer();
  m_waiting = m_completions.items.empty();  // values may still be counted
  if (m_waiting || there)
    return;
  if (m_list == nullptr) {
    m_list = new QListWidget(window());
    m_list->setFocusPolicy(Qt::NoFocus);
    m_list->setItemDelegate(new OfferDelegate(m_list));
    m_list->setAccessibleName(tr("What fits here"));
    m_list->setObjectName(QStringLiteral("offer"));
    m_list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    connect(m_list, &QListWidget::itemClicked, this, [this](QListWidgetItem* item) { take(m_list->row(item)); });
  }
  m_list->clear();
  for (const Completion& c : m_completions.items) {
    auto* item = new QListWidgetItem(toQString(c.insert), m_list);
    item->setData(kHelpRole, toQString(c.help));
  }
  m_list->setCurrentRow(-1);
  const int rows = std::min(kMostOffered, m_list->count());
  const int height = rows * px(kOfferRow) + 4;
  const QPoint below = mapTo(window(), QPoint(0, this->height() + 2));
  m_list->setGeometry(below.x(), below.y(), std::min(std::max(width(), px(460)), window()->width() - below.x() - 8),
                      height);
  if (below.y() + height > window()->height())
    m_list->move(below.x(), mapTo(window(), QPoint(0, 0)).y() - height - 2);
  m_list->show();
  m_list->raise();
  Q_EMIT offerChanged();
}

void QueryEdit::closeOffer()
{
  m_waiting = false;
  if (m_list == nullptr || !m_list->isVisible())
    return;
  m_list->hide();
  update();
  Q_EMIT offerChanged();
}

void QueryEdit::take(int row)
{
  if (row < 0 || static_cast<std::size_t>(row) >= m_completions.items.size())
    return;
  const QByteArray whole = text().toUtf8();
  const TextSpan at = m_completions.replaces;
  QByteArray insert = QByteArray::fromStdString(m_completions.items[static_cast<std::size_t>(row)].insert);
  // A key waits for its value; anything else is a whole term.
  const bool key = insert.endsWith(':');
  const QByteArray rest = whole.mid(static_cast<qsizetype>(at.end));
  if (!key && rest.isEmpty())
    insert += ' ';
  const QByteArray begin = whole.left(static_cast<qsizetype>(at.begin)) + insert;
  setText(QString::fromUtf8(begin + rest));
  setCursorPosition(static_cast<int>(QString::fromUtf8(begin).size()));
  m_lookup.setText(text());
  if (key)
    offer();
  else
    closeOffer();
}

bool QueryEdit::event(QEvent* event)
{
  // Letters are shortcuts in the rest of the window; here they are letters. Tab takes what is offered.
  if (event->type() == QEvent::KeyPress && static_cast<QKeyEvent*>(event)->key() == Qt::Key_Tab && m_list != nullptr &&
      m_list->isVisible()) {
    take(std::max(0, m_list->currentRow()));
    return true;
  }
  return QLineEdit::event(event);
}

void QueryEdit::keyPressEvent(QKeyEvent* event)
{
  const bool open = m_list != nullptr && m_list->isVisible();
  switch (event->key()) {
    case Qt::Key_Down:
      if (!open)
        return offer();
      m_list->setCurrentRow(std::min(m_list->currentRow() + 1, m_list->count() - 1));
      return;
    case Qt::Key_Up:
      if (open)
        m_list->setCurrentRow(std::max(m_list->currentRow() - 1, 0));
      return;
    case Qt::Key_Return:
    case Qt::Key_Enter:
      if (open && m_list->currentRow() >= 0)
        return take(m_list->currentRow());
      closeOffer();
      Q_EMIT done(event->modifiers().testFlag(Qt::ShiftModifier));
      return;
    case Qt::Key_Escape:
      if (open)
        return closeOffer();
      Q_EMIT left();
      return;
    default:
      QLineEdit::keyPressEvent(event);
  }
}

void QueryEdit::focusInEvent(QFocusEvent* event)
{
  QLineEdit::focusInEvent(event);
  m_occurrences.refresh();
}

void QueryEdit::focusOutEvent(QFocusEvent* event)
{
  QLineEdit::focusOutEvent(event);
  closeOffer();
}

bool QueryEdit::isUnfinished() const
{
  const auto& error = m_lookup.error();
  const auto cursor = static_cast<std::size_t>(text().left(cursorPosition()).toUtf8().size());
  return error && hasFocus() && m_list != nullptr && m_list->isVisible() && error->at.end >= cursor;
}

QRect QueryEdit::mistakeRect() const
{
  const auto& error = m_lookup.error();
  if (!error || text().isEmpty() || isUnfinished())
    return {};
  const QByteArray all = text().toUtf8();
  const auto widthUpTo = [&](std::size_t byte) {
    return fontMetrics().horizontalAdvance(QString::fromUtf8(all.left(static_cast<qsizetype>(byte))));
  };
  // Where the text begins follows from where the cursor is: a long text is scrolled.
  const QRect cursor = cursorRect();
  const int origin = cursor.center().x() - fontMetrics().horizontalAdvance(text().left(cursorPosition()));
  const int begin = origin + widthUpTo(error->at.begin);
  const int end = origin + widthUpTo(error->at.end);
  return QRect(begin, cursor.bottom() - 1, std::max(6, end - begin), 4).intersected(rect());
}

void QueryEdit::paintEvent(QPaintEvent* event)
{
  QLineEdit::paintEvent(event);
  const QRect mistake = mistakeRect();
  if (mistake.isEmpty())
    return;
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(QPen(theme().colours().fault, 1.4));
  QPainterPath wave(QPointF(mistake.left(), mistake.bottom()));
  for (int x = mistake.left(); x < mistake.right(); x += 3)
    wave.lineTo(x + 3, (x - mistake.left()) % 6 == 0 ? mistake.top() : mistake.bottom());
  p.drawPath(wave);
}

}  // namespace bexto::ui
