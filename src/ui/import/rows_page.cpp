#include "ui/import/rows_page.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QScopedValueRollback>
#include <QTableWidget>
#include <QVBoxLayout>

#include "core/base/number_text.h"
#include "core/base/time_text.h"
#include "ui/text/text.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

constexpr int kUseRow = 0;
constexpr int kNameRow = 1;
constexpr int kFirstValues = 2;
constexpr int kMostValues = 50;

QComboBox* makeChoice(const QString& name, const QString& objectName)
{
  auto* choice = new QComboBox;
  choice->setAccessibleName(name);
  choice->setObjectName(objectName);
  return choice;
}

/// A field with its name before it, side by side with others.
QWidget* addField(QHBoxLayout& row, const QString& name, QWidget* field)
{
  auto* both = new QWidget;
  auto* line = new QHBoxLayout(both);
  line->setContentsMargins(0, 0, 12, 0);
  auto* label = new QLabel(name);
  setInk(*label, Ink::Muted);
  label->setBuddy(field);
  line->addWidget(label);
  line->addWidget(field);
  row.addWidget(both);
  return both;
}

}  // namespace

RowsPage::RowsPage(const CsvBegin& begin, QWidget* parent) : ImportPage(parent), m_begin(begin)
{
  m_separator = makeChoice(tr("What separates fields"), QStringLiteral("separator"));
  for (const auto& [character, name] :
       {std::pair{',', tr("comma")}, std::pair{';', tr("semicolon")}, std::pair{'\t', tr("tab")},
        std::pair{'|', tr("bar")}, std::pair{' ', tr("blank")}})
    m_separator->addItem(name, QChar::fromLatin1(character));
  m_decimal = makeChoice(tr("Decimals are behind a"), QStringLiteral("decimal"));
  m_decimal->addItem(tr("point"), QChar(u'.'));
  m_decimal->addItem(tr("comma"), QChar(u','));
  m_unit = makeChoice(tr("Unit of the times"), QStringLiteral("unit"));
  for (const auto& [name, power] :
       {std::pair{"s", 12}, std::pair{"ms", 9}, std::pair{"µs", 6}, std::pair{"ns", 3}, std::pair{"ps", 0}})
    m_unit->addItem(QString::fromUtf8(name), power);
  m_rate = new QLineEdit;
  m_rate->setObjectName(QStringLiteral("rate"));
  m_rate->setAccessibleName(tr("Samples a second"));
  m_rate->setPlaceholderText(tr("24 MHz"));
  setType(*m_rate, Face::Data, 12);
  sized(*m_rate, [this] { m_rate->setFixedWidth(px(96)); });
  m_table = new QTableWidget;
  m_table->setAccessibleName(tr("The first rows"));
  m_table->horizontalHeader()->hide();
  m_table->verticalHeader()->hide();
  m_table->setShowGrid(false);
  m_table->setSelectionMode(QAbstractItemView::NoSelection);
  m_table->setTabKeyNavigation(false);
  m_table->setHorizontalScrollMode(QAbstractItemView::ScrollPerPixel);
  setType(*m_table, Face::Data, 12);
  auto* fields = new QHBoxLayout;
  addField(*fields, tr("Separator"), m_separator);
  addField(*fields, tr("Decimal"), m_decimal);
  m_unitField = addField(*fields, tr("Times in"), m_unit);
  m_rateField = addField(*fields, tr("Samples a second"), m_rate);
  fields->addStretch();
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->addLayout(fields);
  column->addWidget(m_table, 1);
  const auto layout = guessCsvLayout(m_begin.text, m_begin.whole, 0);
  if (layout)
    m_layout = *layout;
  else
    m_noRows = toQString(layout.error().text());
  showLayout();
  showTable();
  take();
  connect(m_separator, &QComboBox::currentIndexChanged, this, &RowsPage::guessAgain);
  connect(m_decimal, &QComboBox::currentIndexChanged, this, &RowsPage::guessAgain);
  connect(m_unit, &QComboBox::currentIndexChanged, this, &RowsPage::take);
  connect(m_rate, &QLineEdit::textChanged, this, &RowsPage::take);
  connect(m_table, &QTableWidget::itemChanged, this, &RowsPage::take);
}

/// With another separator there are other columns.
void RowsPage::guessAgain()
{
  if (m_showing)
    return;
  const auto layout =
      guessCsvLayout(m_begin.text, m_begin.whole, m_layout.rate, m_separator->currentData().toChar().toLatin1(),
                     m_decimal->currentData().toChar().toLatin1());
  m_noRows = layout ? QString() : toQString(layout.error().text());
  m_layout = layout.value_or(CsvLayout());
  m_layout.separator = m_separator->currentData().toChar().toLatin1();
  m_layout.decimal = m_decimal->currentData().toChar().toLatin1();
  showLayout();
  showTable();
  take();
}

void RowsPage::showLayout()
{
  const QScopedValueRollback showing(m_showing, true);
  m_separator->setCurrentIndex(std::max(0, m_separator->findData(QChar::fromLatin1(m_layout.separator))));
  m_decimal->setCurrentIndex(std::max(0, m_decimal->findData(QChar::fromLatin1(m_layout.decimal))));
  m_unit->setCurrentIndex(std::max(0, m_unit->findData(m_layout.unitPower)));
  if (m_layout.rate > 0)
    m_rate->setText(rateText(m_layout.rate));
}

void RowsPage::showTable()
{
  const QScopedValueRollback showing(m_showing, true);
  m_table->clear();
  const auto lines = csvLines(m_begin.text, m_begin.whole);
  const auto columns = static_cast<int>(m_layout.columns.size());
  m_table->setColumnCount(columns);
  m_table->setRowCount(columns == 0 ? 0 : kFirstValues);
  if (columns == 0)
    return;
  for (int c = 0; c < columns; ++c) {
    const CsvColumn& column = m_layout.columns[static_cast<std::size_t>(c)];
    QComboBox* const use = makeChoice(tr("Column %1 is").arg(c + 1), QStringLiteral("use%1").arg(c));
    use->addItem(tr("time"), static_cast<int>(CsvUse::Time));
    use->addItem(tr("levels"), static_cast<int>(CsvUse::Level));
    use->addItem(tr("left out"), static_cast<int>(CsvUse::Ignored));
    use->setCurrentIndex(use->findData(static_cast<int>(column.use)));
    connect(use, &QComboBox::currentIndexChanged, this, &RowsPage::take);
    m_table->setCellWidget(kUseRow, c, use);
    auto* name = new QTableWidgetItem(toQString(column.name));
    name->setFont(theme().data(12, true));
    name->setToolTip(tr("What the channel is called; it can be changed"));
    m_table->setItem(kNameRow, c, name);
  }
  for (std::size_t i = m_layout.headLines; i < lines.size() && m_table->rowCount() < kMostValues; ++i) {
    const auto fields = csvFields(lines[i], m_layout.separator);
    if (fields.size() == 1 && fields.front().empty())
      continue;
    const int row = m_table->rowCount();
    m_table->insertRow(row);
    for (int c = 0; c < std::min(columns, static_cast<int>(fields.size())); ++c) {
      auto* item = new QTableWidgetItem(toQString(fields[static_cast<std::size_t>(c)]));
      item->setFlags(Qt::ItemIsEnabled);
      m_table->setItem(row, c, item);
    }
  }
  m_table->resizeColumnsToContents();
  for (int c = 0; c < columns; ++c)
    m_table->setColumnWidth(c, std::clamp(m_table->columnWidth(c) + px(12), px(92), px(260)));
  for (int row = 0; row < m_table->rowCount(); ++row)
    m_table->setRowHeight(row, px(row == kUseRow ? 34 : 24));
}

/// What the begin gives when it is read so. Whole lines only.
std::string RowsPage::lines() const
{
  return m_begin.whole ? m_begin.text : m_begin.text.substr(0, m_begin.text.rfind('\n') + 1);
}

void RowsPage::take()
{
  if (m_showing)
    return;
  {
    const QScopedValueRollback showing(m_showing, true);
    bool timed = false;
    for (std::size_t c = 0; c < m_layout.columns.size(); ++c) {
      const int at = static_cast<int>(c);
      const auto* const use = qobject_cast<QComboBox*>(m_table->cellWidget(kUseRow, at));
      CsvColumn& column = m_layout.columns[c];
      column.use = static_cast<CsvUse>(use->currentData().toInt());
      column.name = m_table->item(kNameRow, at)->text().trimmed().toStdString();
      timed = timed || column.use == CsvUse::Time;
      for (int row = kNameRow; row < m_table->rowCount(); ++row) {
        if (QTableWidgetItem* const item = m_table->item(row, at))
          item->setForeground(column.use == CsvUse::Ignored ? theme().colours().muted : theme().colours().ink);
      }
    }
    // Rows have times, or samples have a rate.
    m_unitField->setVisible(timed);
    m_rateField->setVisible(!timed);
    // Asking here is knowing.
    m_layout.unitKnown = true;
    m_layout.unitPower = m_unit->currentData().toInt();
    m_layout.rate = parseFrequency(m_rate->text().toStdString()).value_or(0);
  }
  m_problem = m_noRows.isEmpty() ? toQString(m_layout.problem()) : m_noRows;
  m_outcome.clear();
  if (m_problem.isEmpty()) {
    const auto capture = parseCsv(lines(), "", hints());
    if (capture) {
      std::uint64_t transitions = 0;
      for (const Channel& channel : capture->channels)
        transitions += channel.track.size();
      const QString wires = countOf(capture->channels.size(), {"{} channel", "{} channels"});
      const QString changes = countOf(transitions, {"{} transition", "{} transitions"});
      const QString length = toQString(lengthText(capture->end, 6));
      m_outcome = m_begin.whole ? tr("%1, %2 over %3.").arg(wires, changes, length)
                                : tr("%1; at its begin %2 over %3.").arg(wires, changes, length);
    } else {
      m_problem = toQString(capture.error().text());
    }
  }
  Q_EMIT changed();
}

ReadHints RowsPage::hints() const
{
  return {0, 0, m_layout};
}

QString RowsPage::problem() const
{
  return m_problem;
}

QString RowsPage::outcome() const
{
  return m_outcome;
}

}  // namespace bexto::ui
