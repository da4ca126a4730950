#include "ui/query/filter_bar.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QScrollArea>
#include <QSettings>
#include <QToolButton>

#include "core/base/number_text.h"
#include "ui/text/elided_label.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

constexpr qsizetype kMostChipText = 32;

const QString& historyKey()
{
  static const QString kKey = QStringLiteral("filter/history");
  return kKey;
}

QToolButton* makeStep(const QString& text, const QString& name)
{
  auto* button = new QToolButton;
  button->setText(text);
  button->setAccessibleName(name);
  button->setToolTip(name);
  button->setProperty("flat", true);
  return button;
}

}  // namespace

FilterBar::FilterBar(Engine& engine, Lookup& filter, Lookup& search, QWidget* parent)
    : QWidget(parent), m_filter(filter), m_search(search), m_occurrences(new Occurrences(engine, this))
{
  setAutoFillBackground(true);
  setBackgroundRole(QPalette::Base);
  m_filterEdit = new QueryEdit(filter, *m_occurrences);
  m_filterEdit->setObjectName(QStringLiteral("filter"));
  m_filterEdit->setAccessibleName(tr("Filter"));
  m_filterEdit->setPlaceholderText(tr("Filter: address:2A nack     (F)"));
  m_searchEdit = new QueryEdit(search, *m_occurrences);
  m_searchEdit->setObjectName(QStringLiteral("search"));
  m_searchEdit->setAccessibleName(tr("Search"));
  m_searchEdit->setPlaceholderText(tr("Search     (/)"));
  auto* back = makeStep(QStringLiteral("↑"), tr("Previous match (comma)"));
  auto* on = makeStep(QStringLiteral("↓"), tr("Next match (full stop)"));
  connect(back, &QToolButton::clicked, this, [this] { Q_EMIT nextWanted(false); });
  connect(on, &QToolButton::clicked, this, [this] { Q_EMIT nextWanted(true); });
  m_below = new QWidget;
  auto* below = new QHBoxLayout(m_below);
  below->setContentsMargins(12, 0, 12, 5);
  below->setSpacing(6);
  // Many terms scroll under the keyboard rather than make the window wider.
  m_chipBox = new QScrollArea;
  m_chipBox->setWidgetResizable(true);
  sized(*m_chipBox, [this] { m_chipBox->setFixedHeight(px(24)); });
  m_chipBox->setFrameShape(QFrame::NoFrame);
  m_chipBox->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  m_chipBox->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  auto* chips = new QWidget;
  m_chipRow = new QHBoxLayout(chips);
  m_chipRow->setContentsMargins(0, 0, 0, 0);
  m_chipRow->setSpacing(4);
  m_chipBox->setWidget(chips);
  below->addWidget(m_chipBox);
  m_says = new ElidedLabel;
  setType(*m_says, Face::Words, 11);
  m_says->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  m_says->setObjectName(QStringLiteral("filterSays"));
  m_searchSays = new QLabel;
  m_searchSays->setObjectName(QStringLiteral("searchSays"));
  setType(*m_searchSays, Face::Words, 11);
  below->addWidget(m_says, 1);
  below->addWidget(m_searchSays);
  auto* row = new QHBoxLayout;
  row->setContentsMargins(12, 0, 12, 5);
  row->setSpacing(4);
  row->addWidget(m_filterEdit, 3);
  row->addSpacing(6);
  row->addWidget(m_searchEdit, 2);
  row->addWidget(back);
  row->addWidget(on);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addLayout(row);
  column->addWidget(m_below);
  m_below->hide();
  for (Lookup* lookup : {&filter, &search}) {
    connect(lookup, &Lookup::textChanged, this, &FilterBar::refresh);
    connect(lookup, &Lookup::resultChanged, this, &FilterBar::refresh);
  }
  connect(&search, &Lookup::textChanged, this, [this] { m_note.clear(); });
  connect(m_filterEdit, &QueryEdit::offerChanged, this, &FilterBar::refresh);
  connect(m_searchEdit, &QueryEdit::offerChanged, this, &FilterBar::refresh);
  connect(&theme(), &Theme::changed, this, &FilterBar::refresh);
  connect(m_filterEdit, &QueryEdit::done, this, [this] {
    remember();
    Q_EMIT listWanted();
  });
  connect(m_filterEdit, &QueryEdit::left, this, &FilterBar::listWanted);
  connect(m_searchEdit, &QueryEdit::left, this, &FilterBar::listWanted);
  connect(m_searchEdit, &QueryEdit::done, this, [this](bool backwards) { Q_EMIT nextWanted(!backwards); });
  connect(m_filterEdit, &QLineEdit::editingFinished, this, &FilterBar::remember);
}

QStringList FilterBar::history()
{
  return QSettings().value(historyKey()).toStringList();
}

void FilterBar::remember()
{
  constexpr qsizetype kMost = 30;
  const QString text = m_filter.text().trimmed();
  if (text.isEmpty() || m_filter.error())
    return;
  QStringList used = history();
  used.removeAll(text);
  used.prepend(text);
  QSettings().setValue(historyKey(), used.mid(0, kMost));
}

void FilterBar::addTerm(const QString& term, bool hide)
{
  QString text = m_filter.text().trimmed();
  const bool several = term.contains(QLatin1Char(' ')) && !term.startsWith(QLatin1Char('"'));
  const QString added = hide ? QStringLiteral("not ") + (several ? QStringLiteral("(%1)").arg(term) : term) : term;
  // "a or b" and a new term: the new one is to hold as well.
  if (text.contains(QStringLiteral(" or ")) && m_filter.terms().size() == 1)
    text = QStringLiteral("(%1)").arg(text);
  if (!m_filter.terms().contains(added) || m_filter.error())
    text = m_filter.error() ? added : (text.isEmpty() ? added : text + QLatin1Char(' ') + added);
  m_filter.setText(text);
  remember();
}

void FilterBar::setSearchNote(const QString& note)
{
  m_note = note;
  refresh();
}

QString FilterBar::explanation() const
{
  return m_says->text();
}

void FilterBar::refresh()
{
  const QStringList terms = m_filter.terms();
  // Chips are kept as long as their number is the same: one that has the keyboard keeps it.
  while (m_chips.size() > terms.size())
    delete m_chips.takeLast();
  while (m_chips.size() < terms.size()) {
    auto* chip = new QToolButton;
    const int number = static_cast<int>(m_chips.size());
    chip->setCheckable(true);
    chip->setProperty("chip", true);
    setType(*chip, Face::Data, 11);
    connect(chip, &QToolButton::clicked, this, [this, number] { m_filter.setOff(number, !m_filter.isOff(number)); });
    m_chipRow->addWidget(chip);
    m_chips << chip;
  }
  for (int i = 0; i < terms.size(); ++i) {
    const bool off = m_filter.isOff(i);
    const QString term =
        terms[i].size() > kMostChipText ? terms[i].left(kMostChipText - 1) + QStringLiteral("…") : terms[i];
    m_chips[i]->setText((off ? QStringLiteral("○ ") : QStringLiteral("● ")) + term);
    m_chips[i]->setChecked(!off);
    m_chips[i]->setAccessibleName(off ? tr("%1, off").arg(terms[i]) : tr("%1, on").arg(terms[i]));
    m_chips[i]->setToolTip(off ? tr("Off. Click to use it again") : tr("Click to switch it off without deleting it"));
  }
  QString says = m_filter.explanation();
  const bool mistake = m_filter.error() && !m_filterEdit->isUnfinished();
  if (const auto& error = m_filter.error(); mistake) {
    says = QStringLiteral("▲ ") + toQString(error->message) +
           (error->mend.empty() ? QString() : QStringLiteral("; ") + toQString(error->mend));
  } else if (m_filter.isScanning() && !m_filter.isIdle()) {
    says += QStringLiteral(" …");
  }
  m_says->setText(says);
  setInk(*m_says, (mistake ? Ink::Fault : Ink::Muted));
  const int wanted = m_chipBox->widget()->sizeHint().width() + 2;
  m_chipBox->setFixedWidth(std::min(wanted, std::max(px(160), width() * 62 / 100)));
  m_chipBox->setVisible(!m_chips.isEmpty());
  QString found;
  const bool searchMistake = m_search.error() && !m_searchEdit->isUnfinished();
  if (const auto& error = m_search.error(); searchMistake)
    found = QStringLiteral("▲ ") + toQString(error->message);
  else if (!m_search.isIdle() && m_search.result())
    found = countOf(m_search.result()->found(), {"{} match", "{} matches"}) +
            (m_search.isScanning() ? QStringLiteral(" …") : QString());
  if (!m_note.isEmpty())
    found = m_note;
  m_searchSays->setText(found);
  setInk(*m_searchSays, (searchMistake ? Ink::Fault : Ink::Muted));
  m_below->setVisible(!terms.isEmpty() || !says.isEmpty() || !found.isEmpty());
}

}  // namespace bexto::ui
