#include "ui/checks/book_page.h"

#include <QComboBox>
#include <QDir>
#include <QFile>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QListWidget>
#include <QPainter>
#include <QPushButton>
#include <QSplitter>
#include <QStyledItemDelegate>
#include <QTreeView>
#include <algorithm>
#include <array>

#include "core/base/atomic_file.h"
#include "core/base/number_text.h"
#include "core/check/book_copy.h"
#include "core/check/rulebook_file.h"
#include "core/decode/protocol.h"
#include "ui/page/yaml_edit.h"
#include "ui/text/elided_label.h"
#include "ui/text/text.h"
#include "ui/theme/choices.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

constexpr int kPause = 300;  ///< ms

/// A row as the other lists of checks have it.
class BookRow : public QStyledItemDelegate {
 public:
  using QStyledItemDelegate::QStyledItemDelegate;

  QSize sizeHint(const QStyleOptionViewItem& /*option*/, const QModelIndex& /*index*/) const override
  {
    return {px(10), px(24)};
  }
  void paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& index) const override
  {
    p->save();
    if ((option.state & QStyle::State_Selected) != 0)
      p->fillRect(option.rect, theme().colours().selection);
    const QRect room = option.rect.adjusted(px(index.column() == 0 ? 12 : 6), 0, -px(4), 0);
    p->setFont(index.data(Qt::FontRole).value<QFont>());
    p->setPen(index.data(Qt::ForegroundRole).value<QColor>());
    p->drawText(room, static_cast<int>(Qt::AlignLeft | Qt::AlignVCenter),
                p->fontMetrics().elidedText(index.data().toString(), Qt::ElideRight, room.width()));
    p->restore();
  }
};

/// Where a team's books are kept; it may not be there yet.
QString ownFolder()
{
  return toQString(rulebookFolders({}).front());
}

QString fileText(const QString& path)
{
  QFile file(path);
  return file.open(QIODevice::ReadOnly) ? QString::fromUtf8(file.readAll()) : QString();
}

/// Whether a bus has that book from the program.
bool isShipped(const std::string& file)
{
  return file.ends_with(".yaml") && shippedBook(file.substr(0, file.size() - 5)) != nullptr;
}

/// Writes it whole. Returns what is wrong; empty: nothing.
QString written(const QString& path, const std::string& text)
{
  auto out = AtomicFile::create(path.toStdString());
  if (!out)
    return toQString(out.error().text());
  if (auto done = out->write(text); !done)
    return toQString(done.error().text());
  if (auto done = out->commit(); !done)
    return toQString(done.error().text());
  return {};
}

}  // namespace

BookPage::BookPage(SessionModel& session, Engine& engine, Verdicts& verdicts, QWidget* parent)
    : LowerPage(parent),
      m_session(session),
      m_engine(engine),
      m_verdicts(verdicts),
      m_controls(new QWidget),
      m_choice(new QComboBox),
      m_keep(new QPushButton(tr("Keep"))),
      m_status(new ElidedLabel),
      m_text(new YamlEdit),
      m_mistakes(new QListWidget),
      m_list(new QTreeView),
      m_rows(new BookModel(this)),
      m_job(std::make_unique<Job>())
{
  m_choice->setAccessibleName(tr("Rulebook"));
  m_choice->setObjectName(QStringLiteral("bookChoice"));
  m_choice->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  m_choice->setMinimumContentsLength(10);
  sized(*m_choice, [this] { m_choice->setMaximumWidth(px(220)); });
  m_keep->setObjectName(QStringLiteral("keepBook"));
  m_keep->setToolTip(tr("Judge the bus by it, and write its file"));
  m_keep->setEnabled(false);
  setType(*m_status, Face::Words, 11);
  auto* row = new QHBoxLayout(m_controls);
  row->setContentsMargins(0, 0, 12, 0);
  row->addWidget(m_choice, 2);
  row->addWidget(m_keep);
  row->addStretch(1);
  row->addWidget(m_status);

  m_text->setAccessibleName(tr("Text of the rulebook"));
  m_mistakes->setFrameShape(QFrame::NoFrame);
  m_mistakes->setAccessibleName(tr("Mistakes"));
  m_mistakes->viewport()->setBackgroundRole(QPalette::Window);
  m_mistakes->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  setType(*m_mistakes, Face::Words, 12);
  m_mistakes->hide();
  m_list->setModel(m_rows);
  m_list->setItemDelegate(new BookRow(m_list));
  m_list->setRootIsDecorated(false);
  m_list->setIndentation(0);
  m_list->setUniformRowHeights(true);
  m_list->setAllColumnsShowFocus(true);
  m_list->setFrameShape(QFrame::NoFrame);
  m_list->viewport()->setBackgroundRole(QPalette::Window);
  m_list->setAccessibleName(tr("Rules, and what the traffic makes of them"));
  m_list->header()->setSectionsMovable(false);
  m_list->header()->setStretchLastSection(true);
  setType(*m_list->header(), Face::Words, 11);
  m_list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  m_list->header()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  sized(*m_list, [this] {
    const std::array<int, BookModel::Columns> widths{104, 84, 84, 84, 60};
    for (int i = 0; i < BookModel::Columns; ++i)
      m_list->setColumnWidth(i, px(widths.at(static_cast<std::size_t>(i))));
  });

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
  both->addWidget(m_list);
  both->setSizes({px(340), px(430)});
  auto* whole = new QVBoxLayout(this);
  whole->setContentsMargins(0, 0, 0, 0);
  whole->addWidget(both);

  m_pause.setSingleShot(true);
  m_pause.setInterval(kPause);
  connect(&m_pause, &QTimer::timeout, this, &BookPage::understand);
  connect(m_text, &QPlainTextEdit::textChanged, this, &BookPage::edited);
  connect(m_keep, &QPushButton::clicked, this, &BookPage::keep);
  connect(m_choice, &QComboBox::activated, this,
          [this](int place) { open(m_choices.at(static_cast<std::size_t>(place))); });
  connect(m_mistakes, &QListWidget::itemClicked, this, [this](const QListWidgetItem* item) {
    m_text->goToLine(item->data(Qt::UserRole).toInt(), item->data(Qt::UserRole + 1).toInt());
  });
  const auto goToRule = [this](const QModelIndex& index) {
    if (m_rows->lineOf(index.row()) > 0)
      m_text->goToLine(m_rows->lineOf(index.row()), 1);
  };
  connect(m_list, &QTreeView::clicked, this, goToRule);
  connect(m_list, &QTreeView::activated, this, goToRule);
  connect(&engine, &Engine::changed, this, [this](const EngineChange& change) {
    if (change.busList || change.isDescribed())
      updateChoices();
    if (m_open && change.of(m_open->bus) != nullptr && change.of(m_open->bus)->hasNewFrames() && !m_pause.isActive())
      m_pause.start();
  });
  updateChoices();
  understand();
}

QWidget& BookPage::keyboard()
{
  return *m_text;
}

QString BookPage::status() const
{
  return m_status->text();
}

bool BookPage::isMeasuring() const
{
  return m_pause.isActive() || m_job->isRunning();
}

QStringList BookPage::mistakes() const
{
  QStringList lines;
  for (int i = 0; i < m_mistakes->count(); ++i)
    lines << m_mistakes->item(i)->text();
  return lines;
}

void BookPage::updateChoices()
{
  m_choices.clear();
  QStringList names;
  for (const SessionBus& bus : m_session.value().buses) {
    for (const SheetText& book : bus.bus.books.list()) {
      m_choices.push_back({bus.id, book.name, {}});
      names << tr("%1 · %2").arg(toQString(book.name), toQString(bus.bus.name));
    }
  }
  const SessionBus* const openBus = m_open ? m_session.value().find(m_open->bus) : nullptr;
  if (m_open && openBus != nullptr && std::find(m_choices.begin(), m_choices.end(), *m_open) == m_choices.end()) {
    m_choices.push_back(*m_open);
    names << (m_open->name.empty()
                  ? tr("new rulebook · %1").arg(toQString(openBus->bus.name))
                  : tr("%1 · %2, not used").arg(toQString(m_open->name), toQString(openBus->bus.name)));
  }
  if (!offers(*m_choice, names)) {
    m_choice->clear();
    m_choice->addItems(names);
  }
  const auto now = m_open ? std::find(m_choices.begin(), m_choices.end(), *m_open) : m_choices.end();
  m_choice->setCurrentIndex(now == m_choices.end() ? -1 : static_cast<int>(now - m_choices.begin()));
  m_choice->setVisible(!m_choices.empty());
  m_text->setPlaceholderText(m_choices.empty()
                                 ? tr("Begin one of your own in Checks, under Judged by.")
                                 : tr("Choose a rulebook above, or begin one of your own in Checks, under Judged by."));
  if (m_open && openBus == nullptr) {
    // Its bus is gone: what was typed stays with it, should it come back.
    m_open.reset();
    m_filling = true;
    m_text->clear();
    m_filling = false;
    understand();
  }
  // One that was changed elsewhere, by a step back for instance, and not here.
  const bool typed =
      m_open && std::any_of(m_drafts.begin(), m_drafts.end(), [this](const Draft& d) { return d.of == *m_open; });
  if (m_open && !typed && !m_open->name.empty()) {
    const QString text = textOf(*m_open);
    if (!text.isEmpty() && text != m_text->toPlainText())
      open(*m_open);
  }
}

QString BookPage::textOf(const Choice& choice) const
{
  const SessionBus* const bus = m_session.value().find(choice.bus);
  if (bus == nullptr)
    return {};
  for (const SheetText& book : bus->bus.books.list()) {
    if (book.name == choice.name)
      return toQString(book.text);
  }
  return choice.name.empty() ? toQString(bookToBeginWith(choice.base, bus->bus)) : QString();
}

void BookPage::edit(BusId bus, const QString& name)
{
  open({bus, name.toStdString(), {}});
  updateChoices();
}

void BookPage::begin(BusId bus, const QString& base)
{
  open({bus, {}, base.toStdString()});
  updateChoices();
}

void BookPage::open(const Choice& choice)
{
  m_open = choice;
  const auto draft = std::find_if(m_drafts.begin(), m_drafts.end(), [&](const Draft& d) { return d.of == choice; });
  m_filling = true;
  m_text->setPlainText(draft == m_drafts.end() ? textOf(choice) : draft->text);
  m_filling = false;
  understand();
}

void BookPage::edited()
{
  if (m_filling || !m_open)
    return;
  std::erase_if(m_drafts, [this](const Draft& d) { return d.of == *m_open; });
  if (m_text->toPlainText() != textOf(*m_open))
    m_drafts.push_back({*m_open, m_text->toPlainText()});
  m_pause.start();
}

void BookPage::understand()
{
  m_pause.stop();
  m_mistakes->clear();
  const SessionBus* const bus = m_open ? m_session.value().find(m_open->bus) : nullptr;
  m_text->setReadOnly(bus == nullptr);  // what is typed there would be nobody's
  if (bus == nullptr) {
    m_job->cancel();
    m_keep->setEnabled(false);
    m_mistakes->hide();
    m_rows->clear();
    m_text->showProblems({});
    say({}, false);
    return;
  }
  const RulebookRead read = readRulebook(m_text->toPlainText().toStdString());
  m_text->showProblems(read.problems);
  for (const SheetProblem& problem : read.problems) {
    auto* item = new QListWidgetItem(toQString(problem.text()), m_mistakes);
    item->setForeground(theme().colours().fault);
    item->setData(Qt::UserRole, problem.line);
    item->setData(Qt::UserRole + 1, problem.column);
    item->setToolTip(item->text());
  }
  m_mistakes->setVisible(!read.problems.empty());
  m_mistakes->setFixedHeight(std::min(static_cast<int>(read.problems.size()), 4) * px(23) + px(4));
  const bool other = read.book && read.book->protocol != bus->bus.protocol().name();
  m_keep->setEnabled(read.book != nullptr && !other);
  if (!read.book) {
    say(countOf(read.problems.size(), Noun{"{} mistake", "{} mistakes"}), true);
    return;  // the last good rules stay
  }
  if (other) {
    say(tr("It is for a bus of %1, and this one is of %2")
            .arg(toQString(read.book->protocol), toQString(bus->bus.protocol().name())),
        true);
    return;
  }
  m_rows->setBook(*read.book, bus->bus);
  if (read.book->base.empty())
    say(countOf(static_cast<std::uint64_t>(m_rows->rowCount()), Noun{"{} rule", "{} rules"}), false);
  else
    say(tr("from %1 · %2")
            .arg(toQString(read.book->base),
                 countOf(static_cast<std::uint64_t>(m_rows->ownRules()), Noun{"{} rule differs", "{} rules differ"})),
        false);
  measure(bus->bus);
}

/// As the bus would be judged by it alone.
void BookPage::measure(const Bus& shown)
{
  const BusView* const view = m_engine.find(m_open->bus);
  const std::shared_ptr<const Capture> capture = m_engine.capture();
  if (view == nullptr || view->streams.empty() || !capture) {
    m_job->cancel();
    return;
  }
  CheckInput input = checkInputOf(*view, capture->end);
  input.bus = shown;
  input.bus.books =
      SheetTexts({{m_open->name.empty() ? "new.yaml" : m_open->name, m_text->toPlainText().toStdString()}});
  m_job->start([this, capture, known = m_verdicts.period(), input = std::move(input)](JobRun& run) mutable {
    input.period = known ? *known : samplePeriodOf(*capture);
    auto check = checkBus(input, run.stop());
    if (!check)
      return;
    run.post([this, made = std::make_shared<BusCheck>(std::move(*check))] { m_rows->setCheck(std::move(*made)); });
  });
}

void BookPage::keep()
{
  const SessionBus* const bus = m_open ? m_session.value().find(m_open->bus) : nullptr;
  const std::string text = m_text->toPlainText().toStdString();
  const RulebookRead read = readRulebook(text);
  if (!read.book || bus == nullptr)
    return;
  Choice kept{m_open->bus, m_open->name, {}};
  if (shippedBook(read.book->name) != nullptr) {
    say(tr("%1 is one of the program's own; give yours another name").arg(toQString(read.book->name)), true);
    return;
  }
  const bool isNew = kept.name.empty() || isShipped(kept.name);
  if (isNew) {
    QString name;
    for (const QChar c : toQString(read.book->name))
      name += c.isLetterOrNumber() || c == QLatin1Char('-') || c == QLatin1Char('_') ? c : QLatin1Char('-');
    kept.name = name.toStdString() + ".yaml";
  }
  const QString path = QDir(ownFolder()).filePath(toQString(kept.name));
  const QString before = textOf({kept.bus, kept.name, {}});
  // A file that says something else is somebody's work, of another program or another session.
  if (QFile::exists(path) && (isNew || fileText(path) != before) && fileText(path) != m_text->toPlainText()) {
    say(tr("%1 is there already and says something else; give the rulebook another name").arg(path), true);
    return;
  }
  const bool hasFolder = QDir().mkpath(ownFolder());
  const QString trouble = hasFolder ? written(path, text) : tr("%1 cannot be made").arg(ownFolder());
  std::erase_if(m_drafts, [this](const Draft& d) { return d.of == *m_open; });
  Bus changed = bus->bus;
  // What it is made from judges no longer beside it.
  if (!read.book->base.empty())
    detachBook(changed, read.book->base + ".yaml");
  if (isNew)
    detachBook(changed, m_open->name);
  attachBook(changed, {kept.name, text});
  m_open = kept;
  m_session.setBooks(kept.bus, changed.books);
  updateChoices();
  say(trouble.isEmpty() ? tr("Kept in %1").arg(path) : tr("Used, and not written: %1").arg(trouble),
      !trouble.isEmpty());
}

void BookPage::say(const QString& text, bool wrong)
{
  m_status->setText(text);
  setInk(*m_status, wrong ? Ink::Fault : Ink::Muted);
}

}  // namespace bexto::ui
