// What the Bench is made of: its rows and their fields.
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QStackedWidget>
#include <QVBoxLayout>

#include "ui/bench/advice_list.h"
#include "ui/bench/bench_panel.h"
#include "ui/text/elided_label.h"
#include "ui/text/text.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

QWidget* field(const QString& name, QWidget* widget)
{
  auto* both = new QWidget;
  auto* row = new QHBoxLayout(both);
  row->setContentsMargins(0, 0, 8, 0);
  row->setSpacing(6);
  auto* label = new QLabel(name);
  setInk(*label, Ink::Muted);
  setType(*label, Face::Words, 12);
  label->setBuddy(widget);
  row->addWidget(label);
  row->addWidget(widget);
  return both;
}

QLineEdit* dataEdit(const QString& name, const char* objectName, int width)
{
  auto* edit = new QLineEdit;
  edit->setAccessibleName(name);
  edit->setObjectName(QString::fromLatin1(objectName));
  setType(*edit, Face::Data, 12);
  if (width > 0)
    sized(*edit, [edit, width] { edit->setFixedWidth(px(width)); });
  return edit;
}

QComboBox* editableChoice(const QString& name, const char* objectName, const QStringList& items, int width)
{
  auto* choice = new QComboBox;
  choice->setEditable(true);
  choice->setInsertPolicy(QComboBox::NoInsert);
  choice->setAccessibleName(name);
  choice->setObjectName(QString::fromLatin1(objectName));
  choice->addItems(items);
  setType(*choice, Face::Data, 12);
  sized(*choice, [choice, width] { choice->setFixedWidth(px(width)); });
  return choice;
}

}  // namespace

void BenchPanel::makeSetting()
{
  m_setting = new QWidget;
  auto* column = new QVBoxLayout(m_setting);
  column->setContentsMargins(12, 8, 12, 8);
  column->setSpacing(6);
  column->addWidget(makeSourceRow());
  column->addWidget(makeStartRow());
  auto* below = new QHBoxLayout;
  below->setSpacing(16);
  m_adviceList = new AdviceList;
  m_adviceList->setAccessibleName(tr("What is to be said about it"));
  connect(m_adviceList, &AdviceList::taken, this, &BenchPanel::take);
  m_record = new QPushButton(tr("Record"));
  m_record->setProperty("primary", true);
  m_record->setObjectName(QStringLiteral("benchRecord"));
  m_record->setToolTip(tr("Record (Ctrl+R)"));
  connect(m_record, &QPushButton::clicked, this, &BenchPanel::record);
  below->addWidget(m_adviceList, 1);
  below->addWidget(m_record, 0, Qt::AlignBottom);
  column->addLayout(below);
}

QWidget* BenchPanel::makeSourceRow()
{
  auto* line = new QWidget;
  auto* row = new QHBoxLayout(line);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(8);
  m_source = dataEdit(tr("Source"), "benchSource", 300);
  m_source->setPlaceholderText(tr("scpi://192.168.1.20:5025"));
  m_source->setToolTip(toQString(live::sourceHelp()));
  connect(m_source, &QLineEdit::editingFinished, this, [this] {
    takePlan();
    if (!m_source->text().trimmed().isEmpty() && m_factsOf != m_source->text().trimmed())
      askSource();
  });
  m_sourceSays = new ElidedLabel;
  m_sourceSays->setObjectName(QStringLiteral("benchSourceSays"));
  setType(*m_sourceSays, Face::Words, 12);
  m_channels = new QPushButton;
  m_channels->setObjectName(QStringLiteral("benchChannels"));
  m_channels->setAccessibleName(tr("Channels"));
  connect(m_channels, &QPushButton::clicked, this, &BenchPanel::chooseChannels);
  m_rate = editableChoice(tr("Samples a second"), "benchRate",
                          {QStringLiteral("1 MHz"), QStringLiteral("2 MHz"), QStringLiteral("5 MHz"),
                           QStringLiteral("10 MHz"), QStringLiteral("20 MHz"), QStringLiteral("50 MHz"),
                           QStringLiteral("100 MHz"), QStringLiteral("200 MHz"), QStringLiteral("500 MHz")},
                          104);
  m_rate->setCurrentIndex(-1);
  m_rate->lineEdit()->setPlaceholderText(QStringLiteral("10 MHz"));
  connect(m_rate, &QComboBox::currentTextChanged, this, &BenchPanel::takePlan);
  row->addWidget(field(tr("Source"), m_source));
  row->addWidget(m_sourceSays, 1);
  row->addWidget(field(tr("Channels"), m_channels));
  row->addWidget(field(tr("Rate"), m_rate));
  return line;
}

QWidget* BenchPanel::makeStartRow()
{
  auto* line = new QWidget;
  auto* row = new QHBoxLayout(line);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(8);
  m_start = new QComboBox;
  m_start->setAccessibleName(tr("Begin"));
  m_start->setObjectName(QStringLiteral("benchStart"));
  m_start->addItems({tr("at once"), tr("when wires do"), tr("when a bus says")});
  connect(m_start, &QComboBox::currentIndexChanged, this, &BenchPanel::takePlan);
  m_wires = dataEdit(tr("What wires do"), "benchWires", 0);
  m_wires->setPlaceholderText(tr("SCL=falling   CS=low,CLK=high   TX=low:100us..2ms"));
  connect(m_wires, &QLineEdit::textChanged, this, &BenchPanel::takePlan);
  m_says = new QueryEdit(*m_event, *m_occurrences);
  m_says->setAccessibleName(tr("What a bus says"));
  m_says->setObjectName(QStringLiteral("benchEvent"));
  m_says->setPlaceholderText(tr("address:2A nack   text:timeout   error:crc"));
  connect(m_event, &Lookup::textChanged, this, &BenchPanel::takePlan);
  m_condition = new QStackedWidget;
  m_condition->addWidget(new QWidget);
  m_condition->addWidget(m_wires);
  m_condition->addWidget(m_says);
  m_length = editableChoice(tr("How long"), "benchLength",
                            {tr("until stopped"), QStringLiteral("100 ms"), QStringLiteral("1 s"),
                             QStringLiteral("10 s"), QStringLiteral("60 s")},
                            128);
  connect(m_length, &QComboBox::currentTextChanged, this, &BenchPanel::takePlan);
  m_before = dataEdit(tr("Kept before the start"), "benchBefore", 72);
  m_after = dataEdit(tr("Kept behind the start"), "benchAfter", 72);
  for (QLineEdit* const edit : {m_before, m_after})
    connect(edit, &QLineEdit::textChanged, this, &BenchPanel::takePlan);
  m_around = new QWidget;
  auto* around = new QHBoxLayout(m_around);
  around->setContentsMargins(0, 0, 0, 0);
  around->setSpacing(0);
  around->addWidget(field(tr("Keep before"), m_before));
  around->addWidget(field(tr("behind"), m_after));
  m_repeat = new QComboBox;
  m_repeat->setAccessibleName(tr("And then"));
  m_repeat->setObjectName(QStringLiteral("benchRepeat"));
  m_repeat->addItems({tr("end"), tr("again, keep the last"), tr("collect as segments")});
  connect(m_repeat, &QComboBox::currentIndexChanged, this, &BenchPanel::takePlan);
  m_startHelp = new ElidedLabel;
  m_startHelp->setObjectName(QStringLiteral("benchStartHelp"));
  setType(*m_startHelp, Face::Words, 12);
  m_lengthField = field(tr("for"), m_length);
  row->addWidget(field(tr("Begin"), m_start));
  row->addWidget(m_condition, 5);
  row->addWidget(m_startHelp, 2);
  row->addWidget(m_lengthField);
  row->addWidget(m_around);
  row->addWidget(field(tr("then"), m_repeat));
  return line;
}

void BenchPanel::makeRunning()
{
  m_running = new QWidget;
  auto* row = new QHBoxLayout(m_running);
  row->setContentsMargins(12, 4, 12, 4);
  row->setSpacing(12);
  m_status = new ElidedLabel;
  m_status->setObjectName(QStringLiteral("benchStatus"));
  setType(*m_status, Face::Data, 12);
  m_stop = new QPushButton(tr("Stop"));
  m_stop->setProperty("primary", true);
  m_stop->setObjectName(QStringLiteral("benchStop"));
  m_stop->setToolTip(tr("Stop, and keep what was recorded (Ctrl+.)"));
  connect(m_stop, &QPushButton::clicked, this, &BenchPanel::stop);
  m_showSend = new QPushButton(tr("Send"));
  m_showSend->setCheckable(true);
  m_showSend->setProperty("pill", true);
  m_showSend->setObjectName(QStringLiteral("benchShowSend"));
  m_showSend->setToolTip(tr("Say something on a bus while it is recorded"));
  connect(m_showSend, &QPushButton::toggled, this, &BenchPanel::updateState);
  row->addWidget(m_status, 1);
  row->addWidget(m_showSend);
  row->addWidget(m_stop);
}

}  // namespace bexto::ui
