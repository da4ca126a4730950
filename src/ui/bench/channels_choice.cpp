// Tested by tests/ui/bench_test.cpp.
#include "ui/bench/channels_choice.h"

#include <QDialogButtonBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>
#include <algorithm>

#include "ui/text/text.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

ChannelsChoice::ChannelsChoice(const std::vector<std::string>& inputs, const std::vector<PlannedChannel>& planned,
                               QWidget* parent)
    : QDialog(parent), m_inputs(inputs), m_table(new QTableWidget)
{
  setWindowTitle(tr("Channels of the source"));
  std::size_t count = inputs.size();
  for (const PlannedChannel& channel : planned)
    count = std::max<std::size_t>(count, channel.input);
  m_inputs.resize(count);
  m_table->setAccessibleName(tr("Channels of the source"));
  m_table->setColumnCount(2);
  m_table->setRowCount(static_cast<int>(count));
  m_table->setHorizontalHeaderLabels({tr("Input"), tr("What hangs on it")});
  m_table->verticalHeader()->hide();
  m_table->horizontalHeader()->setStretchLastSection(true);
  m_table->setShowGrid(false);
  m_table->setSelectionMode(QAbstractItemView::NoSelection);
  setType(*m_table, Face::Data, 12);
  for (std::size_t i = 0; i < count; ++i) {
    const auto found = std::find_if(planned.begin(), planned.end(),
                                    [i](const PlannedChannel& channel) { return channel.input == i + 1; });
    auto* input = new QTableWidgetItem(QString::number(i + 1));
    input->setFlags(Qt::ItemIsEnabled | Qt::ItemIsUserCheckable | Qt::ItemIsSelectable);
    input->setCheckState(planned.empty() || found != planned.end() ? Qt::Checked : Qt::Unchecked);
    const int row = static_cast<int>(i);
    m_table->setItem(row, 0, input);
    const bool named = found != planned.end() && !found->name.empty();
    m_table->setItem(row, 1, new QTableWidgetItem(toQString(named ? found->name : m_inputs[i])));
  }
  auto* all = new QPushButton(tr("All"));
  auto* none = new QPushButton(tr("None"));
  connect(all, &QPushButton::clicked, this, [this] { setAll(true); });
  connect(none, &QPushButton::clicked, this, [this] { setAll(false); });
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
  connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  auto* below = new QHBoxLayout;
  below->addWidget(all);
  below->addWidget(none);
  below->addStretch();
  below->addWidget(buttons);
  auto* column = new QVBoxLayout(this);
  column->addWidget(m_table, 1);
  column->addLayout(below);
  resize(px(420), px(520));
}

void ChannelsChoice::setAll(bool on)
{
  for (int row = 0; row < m_table->rowCount(); ++row)
    m_table->item(row, 0)->setCheckState(on ? Qt::Checked : Qt::Unchecked);
}

std::vector<PlannedChannel> ChannelsChoice::chosen() const
{
  std::vector<PlannedChannel> channels;
  bool asItIs = true;
  for (int row = 0; row < m_table->rowCount(); ++row) {
    const std::string name = m_table->item(row, 1)->text().trimmed().toStdString();
    if (m_table->item(row, 0)->checkState() != Qt::Checked) {
      asItIs = false;
      continue;
    }
    asItIs = asItIs && name == m_inputs[static_cast<std::size_t>(row)];
    channels.push_back({static_cast<std::uint32_t>(row + 1), name});
  }
  return asItIs ? std::vector<PlannedChannel>() : channels;
}

}  // namespace bexto::ui
