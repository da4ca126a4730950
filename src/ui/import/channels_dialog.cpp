// Tested by tests/ui/setups_test.cpp.
#include "ui/import/channels_dialog.h"

#include <QComboBox>
#include <QCompleter>
#include <QFormLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>

#include "ui/text/text.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

/// The channel that is called nearly so, or of which one name is a part of the other: "SDA" for "SDA_1".
std::string likely(const std::string& wanted, const std::vector<std::string>& names)
{
  std::string best = nearest(wanted, names);
  if (!best.empty())
    return best;
  const QString asked = toQString(wanted);
  for (const std::string& name : names) {
    const QString known = toQString(name);
    const bool fits = asked.contains(known, Qt::CaseInsensitive) || known.contains(asked, Qt::CaseInsensitive);
    if (fits && name.size() > best.size())
      best = name;
  }
  return best;
}

}  // namespace

ChannelsDialog::ChannelsDialog(const std::vector<std::string>& wanted, const Capture& capture, QWidget* parent)
    : QDialog(parent)
{
  setObjectName(QStringLiteral("channels"));
  setWindowTitle(tr("Which channel is which?"));
  auto* title = new QLabel(tr("The capture has no channels of these names. Which are they?"));
  title->setWordWrap(true);
  setType(*title, Face::Words, 15, true);
  auto* content = new QWidget;
  auto* form = new QFormLayout(content);
  form->setContentsMargins(0, 0, 0, 0);
  std::vector<std::string> names;
  for (const Channel& channel : capture.channels)
    names.push_back(channel.name);
  for (const std::string& name : wanted) {
    auto* choice = new QComboBox;
    choice->setObjectName(QStringLiteral("channel ") + toQString(name));
    choice->setAccessibleName(tr("The channel that is %1").arg(toQString(name)));
    choice->setEditable(true);
    choice->setInsertPolicy(QComboBox::NoInsert);
    choice->completer()->setFilterMode(Qt::MatchContains);
    choice->completer()->setCompletionMode(QCompleter::PopupCompletion);
    choice->addItem(tr("none of them"));
    for (const Channel& channel : capture.channels)
      choice->addItem(toQString(channel.name), toQString(channel.path));
    const std::string near = likely(name, names);
    choice->setCurrentIndex(near.empty() ? 0 : choice->findText(toQString(near)));
    sized(*choice, [choice] { choice->setMinimumWidth(px(220)); });
    auto* label = new QLabel(toQString(name));
    label->setTextFormat(Qt::PlainText);
    setType(*label, Face::Data, 12);
    form->addRow(label, choice);
    m_choices[name] = choice;
  }
  auto* scroll = new QScrollArea;
  scroll->setWidgetResizable(true);
  scroll->setWidget(content);
  auto* put = new QPushButton(tr("Put it on"));
  put->setObjectName(QStringLiteral("putOn"));
  put->setProperty("primary", true);
  put->setDefault(true);
  auto* leave = new QPushButton(tr("Leave it"));
  connect(put, &QPushButton::clicked, this, &QDialog::accept);
  connect(leave, &QPushButton::clicked, this, &QDialog::reject);
  auto* buttons = new QHBoxLayout;
  buttons->addStretch();
  buttons->addWidget(leave);
  buttons->addWidget(put);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(20, 16, 20, 16);
  column->setSpacing(12);
  column->addWidget(title);
  column->addWidget(scroll, 1);
  column->addLayout(buttons);
  resize(px(480), px(std::min(560, 130 + 34 * static_cast<int>(wanted.size()))));
}

std::map<std::string, std::string> ChannelsDialog::chosen() const
{
  std::map<std::string, std::string> paths;
  for (const auto& [name, choice] : m_choices) {
    // What was typed and is no channel is none.
    const int at = choice->findText(choice->currentText());
    if (at > 0)
      paths[name] = choice->itemData(at).toString().toStdString();
  }
  return paths;
}

}  // namespace bexto::ui
