#include "ui/buses/bus_editor.h"

#include <QComboBox>
#include <QCompleter>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSignalBlocker>
#include <QStyle>
#include <QToolButton>
#include <QWheelEvent>

#include "core/base/time_text.h"
#include "core/decode/protocol.h"
#include "core/decode/sentence.h"
#include "ui/buses/device_rows.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

constexpr std::uint64_t kPreviewLines = 5;

void markWrong(QWidget* widget, bool wrong)
{
  if (widget->property("wrong").toBool() == wrong)
    return;
  widget->setProperty("wrong", wrong);
  widget->style()->unpolish(widget);
  widget->style()->polish(widget);
}

/// A wheel over a card scrolls the cards; it must not change a setting on its way.
class Combo : public QComboBox {
 protected:
  void wheelEvent(QWheelEvent* event) override { event->ignore(); }
};

QComboBox* makeCombo(bool editable)
{
  QComboBox* combo = new Combo;
  combo->setEditable(editable);
  combo->setInsertPolicy(QComboBox::NoInsert);
  combo->setMinimumContentsLength(6);
  combo->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  setType(*combo, Face::Data, 12);
  if (editable)
    setType(*combo->lineEdit(), Face::Data, 12);
  combo->setFocusPolicy(Qt::StrongFocus);
  return combo;
}

}  // namespace

BusEditor::BusEditor(SessionModel& session, Engine& engine, SheetLibrary& library, BusId bus, QWidget* parent)
    : QWidget(parent), m_session(session), m_engine(engine), m_bus(bus), m_draft(engine.find(bus)->wanted)
{
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(12, 4, 12, 8);
  column->setSpacing(6);
  m_form = new QFormLayout;
  QFormLayout* const form = m_form;
  form->setContentsMargins(0, 0, 0, 0);
  form->setHorizontalSpacing(8);
  form->setVerticalSpacing(4);
  form->setFieldGrowthPolicy(QFormLayout::AllNonFixedFieldsGrow);
  form->setRowWrapPolicy(QFormLayout::WrapLongRows);
  column->addLayout(form);
  m_name = new QLineEdit(toQString(m_draft.name));
  m_name->setAccessibleName(tr("Name of the bus"));
  m_name->setObjectName(QStringLiteral("name"));
  connect(m_name, &QLineEdit::textEdited, this, &BusEditor::edited);
  form->addRow(tr("Name"), m_name);
  addChannelFields(*form);
  addSettingFields(*form);

  m_devices = new DeviceRows(session, engine, library, bus);
  auto* devices = new QLabel(tr("Devices"));
  column->addWidget(devices);
  column->addWidget(m_devices);
  connect(m_devices, &DeviceRows::editWanted, this, &BusEditor::sheetWanted);
  m_books = new QToolButton;
  m_books->setObjectName(QStringLiteral("judgedBy"));
  m_books->setProperty("flat", true);
  m_books->setToolTip(tr("Show its checks, where its rulebooks are chosen and edited"));
  setType(*m_books, Face::Words, 11);
  connect(m_books, &QToolButton::clicked, this, &BusEditor::rulesWanted);
  column->addWidget(m_books, 0, Qt::AlignLeft);
  nameBooks();

  m_message = new QLabel;
  m_message->setWordWrap(true);
  m_message->setObjectName(QStringLiteral("message"));
  column->addWidget(m_message);
  m_preview = new QLabel;
  m_preview->setObjectName(QStringLiteral("preview"));
  m_preview->setTextFormat(Qt::PlainText);
  m_preview->setMinimumWidth(1);  // its lines give way
  setType(*m_preview, Face::Data, 10);
  column->addWidget(m_preview);

  auto* buttons = new QHBoxLayout;
  auto* remove = new QPushButton(tr("Remove"));
  remove->setProperty("flat", true);
  auto* done = new QPushButton(tr("Done"));
  done->setObjectName(QStringLiteral("done"));
  buttons->addWidget(remove);
  buttons->addStretch();
  buttons->addWidget(done);
  column->addLayout(buttons);
  connect(remove, &QPushButton::clicked, this, &BusEditor::removeWanted);
  connect(done, &QPushButton::clicked, this, [this] {
    apply();
    Q_EMIT closeWanted();
  });

  m_pause.setSingleShot(true);
  m_pause.setInterval(kPauseMilliseconds);
  connect(&m_pause, &QTimer::timeout, this, &BusEditor::apply);
  connect(&m_session, &SessionModel::settling, this, &BusEditor::finish);
  for (const QLabel* label : findChildren<QLabel*>()) {
    if (auto* field = qobject_cast<QWidget*>(label->buddy()); field != nullptr)
      field->setAccessibleName(label->text());
  }
  showWhatApplies(m_draft);
  refresh();
}

void BusEditor::addChannelFields(QFormLayout& form)
{
  for (const RoleSpec& role : m_draft.protocol().facts().roles) {
    QComboBox* combo = makeCombo(true);
    combo->setObjectName(toQString(role.name));
    combo->setAccessibleName(tr("Channel of %1").arg(toQString(role.label)));
    // Any part of a name finds it, among thousands too.
    combo->completer()->setFilterMode(Qt::MatchContains);
    combo->completer()->setCompletionMode(QCompleter::PopupCompletion);
    combo->completer()->setCaseSensitivity(Qt::CaseInsensitive);
    combo->completer()->setMaxVisibleItems(12);
    m_channels[role.name] = combo;
    form.addRow(toQString(role.label), combo);
  }
  fillChannels();
  for (const auto& [role, combo] : m_channels) {
    const std::string& now = m_draft.channelOf(role);
    combo->setCurrentText(now.empty() ? combo->itemText(0) : toQString(now));
    connect(combo, &QComboBox::currentTextChanged, this, &BusEditor::edited);
  }
  // Another capture has other channels; what stands in the fields is the user's.
  connect(&m_engine, &Engine::captureChanged, this, [this] {
    fillChannels();
    if (m_pause.isActive() || !m_good)
      edited();
  });
}

void BusEditor::fillChannels()
{
  for (const RoleSpec& role : m_draft.protocol().facts().roles) {
    QComboBox* combo = m_channels.at(role.name);
    const QSignalBlocker quiet(combo);
    const QString text = combo->currentText();
    combo->clear();
    combo->addItem(role.required ? QString() : tr("none"), QString());
    if (m_engine.capture()) {
      const auto linkType = m_draft.protocol().facts().linkType;
      for (const Channel& channel : m_engine.capture()->channels) {
        if (channel.isWire() || (role.mayBeRecords && channel.records->linkType() == linkType))
          combo->addItem(toQString(channel.name));
      }
    }
    combo->setCurrentText(text);
  }
}

void BusEditor::finish()
{
  if (m_pause.isActive())
    apply();
}

void BusEditor::addSettingFields(QFormLayout& form)
{
  for (const SettingSpec& spec : m_draft.settings.specs()) {
    QComboBox* combo = makeCombo(spec.kind != SettingKind::Choice);
    combo->setObjectName(toQString(spec.key));
    combo->setAccessibleName(toQString(say(spec.label)));
    combo->setToolTip(toQString(say(spec.help)));
    for (const std::string& choice : spec.choices)
      combo->addItem(toQString(choice));
    combo->setCurrentText(toQString(m_draft.settings.text(spec.key)));
    connect(combo, &QComboBox::currentTextChanged, this, &BusEditor::edited);
    m_settings[spec.key] = combo;
    form.addRow(toQString(say(spec.label)), combo);
  }
  m_format = makeCombo(false);
  m_format->setObjectName(QStringLiteral("format"));
  m_format->setAccessibleName(tr("Show values as"));
  for (int i = 0; i < kValueFormats; ++i)
    m_format->addItem(toQString(say(formatName(static_cast<ValueFormat>(i)))));
  m_format->setCurrentIndex(static_cast<int>(m_draft.format));
  connect(m_format, &QComboBox::currentTextChanged, this, &BusEditor::edited);
  form.addRow(tr("Show as"), m_format);
}

void BusEditor::edited()
{
  Bus next = m_draft;
  next.name = m_name->text().trimmed().toStdString();
  next.format = static_cast<ValueFormat>(m_format->currentIndex());
  QString message;
  bool nameGood = !next.name.empty();
  for (int i = 0; i < m_engine.busCount(); ++i)
    nameGood = nameGood && (m_engine.bus(i).id == m_bus || m_engine.bus(i).wanted.name != next.name);
  markWrong(m_name, !nameGood);
  if (!nameGood)
    message = next.name.empty() ? tr("The bus needs a name.") : tr("Another bus has this name.");
  for (const auto& [role, combo] : m_channels) {
    const bool none = combo->currentText().isEmpty() || combo->currentText() == tr("none");
    next.setChannel(role, none ? std::string() : combo->currentText().toStdString());
    const auto found = none || !m_engine.capture() ? Result<std::size_t>(0)
                                                   : m_engine.capture()->find(combo->currentText().toStdString());
    markWrong(combo, !found);
    if (!found && message.isEmpty())
      message = toQString(found.error().message + (found.error().mend.empty() ? "" : "; " + found.error().mend));
  }
  for (const auto& [key, combo] : m_settings) {
    const auto set = next.settings.set(key, combo->currentText().trimmed().toStdString());
    markWrong(combo, !set);
    if (!set && message.isEmpty())
      message = toQString(set.error().message + (set.error().mend.empty() ? "" : "; " + set.error().mend));
  }
  if (message.isEmpty()) {
    if (const auto complete = next.check(); !complete)
      message = toQString(complete.error().message + "; " + complete.error().mend);
  }
  m_good = message.isEmpty();
  showMessage(message);
  showWhatApplies(next);
  if (!m_good) {
    m_pause.stop();
    return;
  }
  m_draft = next;
  m_pause.start();
}

void BusEditor::showWhatApplies(const Bus& bus)
{
  for (const SettingSpec& spec : bus.settings.specs())
    m_form->setRowVisible(m_settings.at(spec.key), bus.applies(spec));
}

void BusEditor::apply()
{
  m_pause.stop();
  if (!m_good)
    return;
  if (const SessionBus* const now = m_session.value().find(m_bus)) {
    m_draft.sheets = now->bus.sheets;  // they are not typed here
    m_draft.books = now->bus.books;
  }
  m_session.changeBus(m_bus, m_draft);
}

void BusEditor::showMessage(const QString& text)
{
  m_message->setText(text);
  m_message->setVisible(!text.isEmpty());
  setInk(*m_message, Ink::Fault);
}

QString BusEditor::message() const
{
  return m_message->text();
}

/// The bus was changed by somebody else: a step back, or a format that was found out. Fields that say the same stay as
/// they were written.
void BusEditor::take(const Bus& bus)
{
  const auto put = [](QComboBox* combo, const QString& text) {
    const QSignalBlocker quiet(combo);
    combo->setCurrentText(text);
  };
  if (bus.name != m_draft.name)
    m_name->setText(toQString(bus.name));
  for (const auto& [role, combo] : m_channels) {
    const std::string& now = bus.channelOf(role);
    if (now != m_draft.channelOf(role))
      put(combo, now.empty() ? combo->itemText(0) : toQString(now));
  }
  for (const auto& [key, combo] : m_settings) {
    if (const std::string now = bus.settings.text(key); now != m_draft.settings.text(key))
      put(combo, toQString(now));
  }
  if (bus.format != m_draft.format) {
    const QSignalBlocker quiet(m_format);
    m_format->setCurrentIndex(static_cast<int>(bus.format));
  }
  if (bus.sheets != m_draft.sheets)
    m_devices->refreshNow();
  m_draft = bus;
  showWhatApplies(m_draft);
}

void BusEditor::nameBooks()
{
  QStringList names;
  for (const SheetText& book : m_engine.find(m_bus)->wanted.books.list())
    names << toQString(book.name);
  m_books->setText(names.isEmpty() ? tr("Judged as usual") : tr("Judged by %1").arg(names.join(QStringLiteral(", "))));
}

void BusEditor::refresh()
{
  const BusView& view = *m_engine.find(m_bus);
  m_devices->refresh();
  nameBooks();
  if (!m_pause.isActive() && m_good && m_draft != view.wanted)
    take(view.wanted);
  if (m_good)
    showMessage(view.error ? toQString(view.error->message + (view.error->mend.empty() ? "" : "; " + view.error->mend))
                           : QString());
  m_said.clear();
  std::vector<LedgerSource> sources;
  for (const StreamView& stream : view.streams)
    sources.push_back({view.shown, stream.line, stream.transactions});
  const MergedRows rows(std::move(sources));
  for (const LedgerRow& row : rows.rows(0, kPreviewLines))
    m_said << toQString(sentenceOf(view.shown, rows.sources()[row.source].transactions, row.number, 12).text());
  if (m_said.isEmpty() && m_engine.capture() && !view.decoding && !view.error)
    m_preview->setText(tr("No frames. Are the channels\nand the rate right?"));
  else
    fitPreview();
  setInk(*m_preview, Ink::Muted);
}

void BusEditor::fitPreview()
{
  const int room = std::max(60, std::max(width(), parentWidget() != nullptr ? parentWidget()->width() : 0) - 28);
  QStringList lines;
  for (const QString& line : m_said)
    lines << m_preview->fontMetrics().elidedText(line, Qt::ElideRight, room);
  m_preview->setText(lines.join(QLatin1Char('\n')));
}

void BusEditor::resizeEvent(QResizeEvent* event)
{
  QWidget::resizeEvent(event);
  if (!m_said.isEmpty())
    fitPreview();
}

}  // namespace bexto::ui
