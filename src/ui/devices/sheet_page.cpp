#include "ui/devices/sheet_page.h"

#include <QComboBox>
#include <QDir>
#include <QHBoxLayout>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QSplitter>
#include <algorithm>

#include "core/base/atomic_file.h"
#include "core/base/number_text.h"
#include "core/base/time_text.h"
#include "core/decode/protocol.h"
#include "core/decode/sentence.h"
#include "ui/page/yaml_edit.h"
#include "ui/text/elided_label.h"
#include "ui/theme/choices.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

constexpr int kCheckAfter = 300;  ///< ms
constexpr std::size_t kMostReadings = 60;
constexpr std::uint64_t kMostFrames = 50'000;

/// What one begins with.
QString skeleton(const Protocol& protocol)
{
  const QString head = QStringLiteral("sheet: 1\ndevice: \nabout: \nbus: %1\n").arg(toQString(protocol.name()));
  switch (protocol.facts().talkStyle) {
    case TalkStyle::Addressed:
      return head + QStringLiteral("address: \nregisters:\n  status:\n    at: 0x00\n    access: read\n");
    case TalkStyle::Exchanged:
      return head +
             QStringLiteral("commands:\n  read_id:\n    opcode: 0x9F\n    answered:\n      id: {byte: 1, hex: yes}\n");
    case TalkStyle::Characters:
      return head + QStringLiteral("framing: {end: \"\\r\\n\"}\nmessages:\n  line:\n    line: \"{words}\"\n");
    case TalkStyle::Named:
    case TalkStyle::None:
      break;
  }
  return head + QStringLiteral("messages:\n  state:\n    id: \n    fields:\n      value: {byte: 0}\n");
}

QListWidget* makeList(const QString& name)
{
  auto* list = new QListWidget;
  list->setFrameShape(QFrame::NoFrame);
  list->setAccessibleName(name);
  list->setUniformItemSizes(true);
  list->viewport()->setBackgroundRole(QPalette::Window);
  sized(*list, [list] {
    list->setStyleSheet(QStringLiteral("QListWidget::item { padding: %1px %2px; }").arg(px(3)).arg(px(10)));
  });
  list->setTextElideMode(Qt::ElideRight);
  list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  return list;
}

}  // namespace

SheetPage::SheetPage(SessionModel& session, Engine& engine, SheetLibrary& library, QWidget* parent)
    : LowerPage(parent),
      m_session(session),
      m_engine(engine),
      m_library(library),
      m_controls(new QWidget),
      m_choice(new QComboBox),
      m_keep(new QPushButton(tr("Keep"))),
      m_status(new ElidedLabel),
      m_text(new YamlEdit),
      m_mistakes(makeList(tr("Mistakes"))),
      m_readings(makeList(tr("The first transactions, as the sheet reads them"))),
      m_job(std::make_unique<Job>())
{
  m_text->setAccessibleName(tr("Text of the sheet"));
  m_choice->setAccessibleName(tr("Sheet"));
  m_choice->setObjectName(QStringLiteral("sheetChoice"));
  m_choice->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  m_choice->setMinimumContentsLength(4);
  sized(*m_choice, [this] { m_choice->setMaximumWidth(px(220)); });
  m_keep->setObjectName(QStringLiteral("keepSheet"));
  m_keep->setToolTip(tr("Use it on the bus, and write its file"));
  m_keep->setEnabled(false);
  setType(*m_status, Face::Words, 11);
  auto* row = new QHBoxLayout(m_controls);
  row->setContentsMargins(0, 0, 12, 0);
  row->addWidget(m_choice, 2);
  row->addWidget(m_keep);
  row->addStretch(1);
  row->addWidget(m_status);
  setType(*m_mistakes, Face::Words, 12);
  setType(*m_readings, Face::Words, 12);
  auto* left = new QWidget;
  auto* column = new QVBoxLayout(left);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(1);
  column->addWidget(m_text, 1);
  column->addWidget(m_mistakes);
  auto* both = new QSplitter(Qt::Horizontal);
  both->setHandleWidth(1);
  both->setChildrenCollapsible(false);
  both->addWidget(left);
  both->addWidget(m_readings);
  both->setSizes({px(430), px(340)});
  auto* whole = new QVBoxLayout(this);
  whole->setContentsMargins(0, 0, 0, 0);
  whole->addWidget(both);
  m_text->setPlaceholderText(
      tr("Choose a sheet above, or begin one in the card of a bus: its settings have Devices, New sheet."));
  m_mistakes->hide();

  m_pause.setSingleShot(true);
  m_pause.setInterval(kCheckAfter);
  connect(&m_pause, &QTimer::timeout, this, &SheetPage::understand);
  connect(m_text, &QPlainTextEdit::textChanged, this, &SheetPage::edited);
  connect(m_keep, &QPushButton::clicked, this, &SheetPage::keep);
  connect(m_choice, &QComboBox::activated, this,
          [this](int place) { open(m_choices.at(static_cast<std::size_t>(place))); });
  connect(m_mistakes, &QListWidget::itemClicked, this, [this](const QListWidgetItem* item) {
    m_text->goToLine(item->data(Qt::UserRole).toInt(), item->data(Qt::UserRole + 1).toInt());
  });
  connect(&engine, &Engine::changed, this, [this](const EngineChange& change) {
    if (change.busList || change.isDescribed())
      updateChoices();
    const bool more = m_open && change.of(m_open->bus) != nullptr && change.of(m_open->bus)->hasNewFrames();
    if (more && m_readings->count() < static_cast<int>(kMostReadings))
      m_pause.start();
  });
  connect(&library, &SheetLibrary::changed, this, &SheetPage::updateChoices);
  updateChoices();
  understand();
}

QWidget& SheetPage::keyboard()
{
  return *m_text;
}

QString SheetPage::status() const
{
  return m_status->text();
}

QStringList SheetPage::readings() const
{
  QStringList lines;
  for (int i = 0; i < m_readings->count(); ++i)
    lines << m_readings->item(i)->text();
  return lines;
}

QStringList SheetPage::mistakes() const
{
  QStringList lines;
  for (int i = 0; i < m_mistakes->count(); ++i)
    lines << m_mistakes->item(i)->text();
  return lines;
}

void SheetPage::updateChoices()
{
  m_choices.clear();
  QStringList names;
  for (const SessionBus& bus : m_session.value().buses) {
    for (const SheetText& sheet : bus.bus.sheets.list()) {
      m_choices.push_back({bus.id, sheet.name});
      names << tr("%1 · %2").arg(toQString(sheet.name), toQString(bus.bus.name));
    }
  }
  const SessionBus* const openBus = m_open ? m_session.value().find(m_open->bus) : nullptr;
  if (m_open && openBus != nullptr && std::find(m_choices.begin(), m_choices.end(), *m_open) == m_choices.end()) {
    m_choices.push_back(*m_open);
    names << (m_open->name.empty()
                  ? tr("new sheet · %1").arg(toQString(openBus->bus.name))
                  : tr("%1 · %2, not used").arg(toQString(m_open->name), toQString(openBus->bus.name)));
  }
  if (!offers(*m_choice, names)) {
    m_choice->clear();
    m_choice->addItems(names);
  }
  const auto now = m_open ? std::find(m_choices.begin(), m_choices.end(), *m_open) : m_choices.end();
  m_choice->setCurrentIndex(now == m_choices.end() ? -1 : static_cast<int>(now - m_choices.begin()));
  m_choice->setVisible(!m_choices.empty());
  // A sheet that was changed elsewhere, and not here.
  const bool typed =
      m_open && std::any_of(m_drafts.begin(), m_drafts.end(), [this](const Draft& d) { return d.of == *m_open; });
  if (m_open && !typed && !m_open->name.empty()) {
    const QString text = textOf(*m_open);
    if (!text.isEmpty() && text != m_text->toPlainText())
      open(*m_open);
  }
}

QString SheetPage::textOf(const Choice& choice) const
{
  const SessionBus* const bus = m_session.value().find(choice.bus);
  if (bus == nullptr)
    return {};
  for (const SheetText& sheet : bus->bus.sheets.list()) {
    if (sheet.name == choice.name)
      return toQString(sheet.text);
  }
  return skeleton(bus->bus.protocol());
}

void SheetPage::edit(BusId bus, const QString& name)
{
  open({bus, name.toStdString()});
  updateChoices();
}

void SheetPage::open(const Choice& choice)
{
  m_open = choice;
  const auto draft = std::find_if(m_drafts.begin(), m_drafts.end(), [&](const Draft& d) { return d.of == choice; });
  m_filling = true;
  m_text->setPlainText(draft == m_drafts.end() ? textOf(choice) : draft->text);
  m_filling = false;
  understand();
}

void SheetPage::edited()
{
  if (m_filling || !m_open)
    return;
  std::erase_if(m_drafts, [this](const Draft& d) { return d.of == *m_open; });
  if (m_text->toPlainText() != textOf(*m_open) || m_open->name.empty())
    m_drafts.push_back({*m_open, m_text->toPlainText()});
  m_pause.start();
}

void SheetPage::understand()
{
  m_pause.stop();
  const BusView* const view = m_open ? m_engine.find(m_open->bus) : nullptr;
  m_text->setReadOnly(view == nullptr);  // what is typed there would be nobody's
  if (view == nullptr) {
    m_keep->setEnabled(false);
    m_mistakes->hide();
    m_readings->clear();
    m_text->showProblems({});
    return;
  }
  const std::string text = m_text->toPlainText().toStdString();
  const SheetRead read = readSheet(text);
  m_text->showProblems(read.problems);
  m_mistakes->clear();
  for (const SheetProblem& problem : read.problems) {
    auto* item = new QListWidgetItem(toQString(problem.text()), m_mistakes);
    item->setForeground(theme().colours().fault);
    item->setData(Qt::UserRole, problem.line);
    item->setData(Qt::UserRole + 1, problem.column);
    item->setToolTip(item->text());
  }
  m_mistakes->setVisible(!read.problems.empty());
  const int lines = std::min(static_cast<int>(read.problems.size()), 4);
  m_mistakes->setFixedHeight(lines * px(23) + px(4));
  const SessionBus* const bus = m_session.value().find(m_open->bus);
  const bool other = read.sheet && bus != nullptr && read.sheet->protocol != bus->bus.protocol().name();
  m_keep->setEnabled(read.sheet != nullptr && !other);
  if (!read.sheet) {
    say(countOf(read.problems.size(), Noun{"{} mistake", "{} mistakes"}), true);
    return;  // the last good readings stay
  }
  if (other) {
    say(tr("It is for a bus of %1, and this one is of %2")
            .arg(toQString(read.sheet->protocol), toQString(bus->bus.protocol().name())),
        true);
    return;
  }
  // As the bus would read with it alone.
  Bus tried = view->shown;
  tried.sheets = SheetTexts({{m_open->name, text}});
  std::vector<FrameIndex> streams;
  for (const StreamView& stream : ofWires(view->streams))
    streams.push_back(stream.transactions.frames());
  m_job->start([this, tried, streams](JobRun& run) {
    QStringList found;
    std::uint64_t count = 0;
    std::uint64_t wrong = 0;
    bool all = true;
    for (const FrameIndex& frames : streams) {
      std::vector<std::shared_ptr<const FrameChunk>> begin;
      for (const auto& chunk : frames.chunks()) {
        if (chunk->first < kMostFrames)
          begin.push_back(chunk);
        else
          all = false;
      }
      Transactions read(tried, FrameIndex(std::move(begin)));
      // Messages that come in parts are what a sheet with a transport is about.
      if (auto wholes = Transactions::wholesIn(tried, read, {}, true); wholes && wholes->size() > 0)
        read = std::move(*wholes);
      if (!read.meaning())
        continue;
      for (std::uint64_t i = 0; i < read.size(); ++i) {
        if (run.stop().stop_requested())
          return;
        if (!read.meaning()->says(read.framesOf(i)))
          continue;
        ++count;
        wrong += read.meaning()->isFaulty(read.framesOf(i)) ? 1U : 0U;
        if (static_cast<std::size_t>(found.size()) < kMostReadings)
          found << toQString(momentText(read.beginOf(i), 6)) + QStringLiteral("   ") +
                       toQString(sentenceOf(tried, read, i, 16).text());
      }
    }
    run.post([this, found, count, wrong, all] {
      m_readings->clear();
      m_readings->addItems(found);
      QString text =
          count == 0 ? tr("No transaction is read by it yet") : tr("%1 read").arg(toQString(countText(count)));
      if (wrong > 0)
        text += tr(", %1 with something that cannot be").arg(toQString(countText(wrong)));
      if (!all)
        text += tr(", of the begin of the capture");
      say(text, false);
    });
  });
}

void SheetPage::keep()
{
  if (!m_open)
    return;
  const std::string text = m_text->toPlainText().toStdString();
  const SheetRead read = readSheet(text);
  const SessionBus* const bus = m_session.value().find(m_open->bus);
  if (!read.sheet || bus == nullptr)
    return;
  Choice kept = *m_open;
  if (kept.name.empty()) {
    // A name of its own, made of the device's.
    QString name;
    for (const QChar c : toQString(read.sheet->device))
      name += c.isLetterOrNumber() || c == QLatin1Char('-') ? c : QLatin1Char('_');
    kept.name = name.toStdString() + ".yaml";
  }
  const FoundSheet* const file = m_library.find(kept.name);
  const QString folder = SheetLibrary::ownFolder();
  const QString path = file != nullptr ? toQString(file->path) : QDir(folder).filePath(toQString(kept.name));
  const bool fresh = m_open->name.empty() && file != nullptr;
  if (fresh) {
    say(tr("%1 is there already; give the device another name").arg(path), true);
    return;
  }
  QString trouble;
  if (file == nullptr && !QDir().mkpath(folder))
    trouble = tr("%1 cannot be made").arg(folder);
  auto out = AtomicFile::create(path.toStdString());
  if (!out)
    trouble = toQString(out.error().text());
  else if (auto written = out->write(text); !written)
    trouble = toQString(written.error().text());
  else if (auto done = out->commit(); !done)
    trouble = toQString(done.error().text());
  std::erase_if(m_drafts, [this](const Draft& d) { return d.of == *m_open; });
  Bus changed = bus->bus;
  attachSheet(changed, {kept.name, text});
  m_open = kept;
  m_session.setSheets(kept.bus, changed.sheets);
  m_library.look();
  updateChoices();
  say(trouble.isEmpty() ? tr("Kept in %1").arg(path) : tr("Used, and not written: %1").arg(trouble),
      !trouble.isEmpty());
}

void SheetPage::say(const QString& text, bool wrong)
{
  m_status->setText(text);
  setInk(*m_status, wrong ? Ink::Fault : Ink::Muted);
}

}  // namespace bexto::ui
