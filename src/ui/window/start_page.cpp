#include "ui/window/start_page.h"

#include <QDir>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QLocale>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>

#include "core/format/capture_format.h"
#include "ui/text/elided_label.h"
#include "ui/text/text.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

constexpr int kWidth = 620;
constexpr qsizetype kMostFiles = 6;

QString dayOf(const QDateTime& time)
{
  return QLocale().toString(time, QLocale::ShortFormat);
}

}  // namespace

StartPage::StartPage(QWidget* parent) : QWidget(parent)
{
  auto* middle = new QWidget;
  sized(*middle, [middle] { middle->setFixedWidth(px(kWidth)); });
  auto* column = new QVBoxLayout(middle);
  column->setSpacing(12);
  auto* title = new QLabel(tr("What did the two ends say to each other?"));
  setType(*title, Face::Words, 20, true);
  auto* text = new QLabel(
      tr("Open or drop a capture (%1) or a session, or take one from an instrument.").arg(toQString(suffixList())));
  text->setWordWrap(true);
  auto* open = new QPushButton(tr("Open …"));
  open->setProperty("primary", true);
  open->setObjectName(QStringLiteral("startOpen"));
  connect(open, &QPushButton::clicked, this, &StartPage::openWanted);
  auto* capture = new QPushButton(tr("Capture from an instrument …"));
  capture->setObjectName(QStringLiteral("startCapture"));
  connect(capture, &QPushButton::clicked, this, &StartPage::captureWanted);
  m_demo = new QPushButton(tr("Try the lock cycle"));
  m_demo->setObjectName(QStringLiteral("startDemo"));
  m_demo->setToolTip(tr("Eight seconds at a lock's gate controller, with seven buses and faults to be found"));
  m_demo->hide();
  connect(m_demo, &QPushButton::clicked, this, &StartPage::demoWanted);
  auto* buttons = new QHBoxLayout;
  buttons->addWidget(open);
  buttons->addWidget(capture);
  buttons->addWidget(m_demo);
  buttons->addStretch();
  column->addStretch(2);
  column->addWidget(title);
  column->addWidget(text);
  column->addLayout(buttons);
  m_unsaved = addSection(*column, tr("Left unsaved"));
  m_files = addSection(*column, tr("Opened before"));
  column->addStretch(3);
  // With much to offer and large text it is higher than a small screen.
  auto* scroll = new QScrollArea;
  scroll->setFrameShape(QFrame::NoFrame);
  scroll->setWidgetResizable(true);
  scroll->viewport()->setAutoFillBackground(false);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addWidget(scroll);
  auto* page = new QWidget;
  page->setAutoFillBackground(false);
  scroll->setWidget(page);
  auto* row = new QHBoxLayout(page);
  row->addStretch();
  row->addWidget(middle);
  row->addStretch();
}

StartPage::Section StartPage::addSection(QVBoxLayout& column, const QString& title)
{
  Section section;
  section.whole = new QWidget;
  auto* whole = new QVBoxLayout(section.whole);
  whole->setContentsMargins(0, 16, 0, 0);
  whole->setSpacing(4);
  auto* heading = new QLabel(title);
  setType(*heading, Face::Words, 13, true);
  whole->addWidget(heading);
  section.rows = new QVBoxLayout;
  section.rows->setSpacing(0);
  whole->addLayout(section.rows);
  section.whole->hide();
  column.addWidget(section.whole);
  return section;
}

void StartPage::clear(Section& section)
{
  while (QLayoutItem* const item = section.rows->takeAt(0)) {
    // It may be one of its own buttons that asks.
    item->widget()->hide();
    item->widget()->deleteLater();
    delete item;
  }
}

/// A row with a name over what is known of it, behind a picture if there is one; buttons are put behind.
QWidget* StartPage::addRow(Section& section, QWidget* picture, const QString& name, const QString& details)
{
  auto* row = new QWidget;
  auto* line = new QHBoxLayout(row);
  line->setContentsMargins(0, 3, 0, 3);
  line->setSpacing(12);
  if (picture != nullptr)
    line->addWidget(picture);
  auto* words = new QVBoxLayout;
  words->setSpacing(0);
  auto* label = new ElidedLabel;
  label->setText(name);
  auto* more = new ElidedLabel;
  more->setText(details);
  setType(*more, Face::Words, 12);
  setInk(*more, Ink::Muted);
  words->addWidget(label);
  words->addWidget(more);
  line->addLayout(words, 1);
  section.rows->addWidget(row);
  section.whole->show();
  return row;
}

/// "sensors, console and 5 more"; of a file without buses how many channels it has.
QString StartPage::whatWasIn(const Glimpse& glimpse)
{
  constexpr std::size_t kMostNames = 4;
  if (glimpse.buses == 0)
    return glimpse.channels == 0 ? QString() : countOf(glimpse.channels, {"{} channel", "{} channels"});
  QStringList names;
  for (std::size_t i = 0; i < std::min(kMostNames, glimpse.rows.size()); ++i)
    names << glimpse.rows[i].bus;
  const std::size_t more = glimpse.buses - std::min(glimpse.buses, static_cast<std::size_t>(names.size()));
  const QString list = names.join(QStringLiteral(", "));
  return more == 0 ? list : tr("%1 and %2 more").arg(list).arg(more);
}

void StartPage::offerDemo()
{
  m_demo->show();
}

void StartPage::showFiles(const QStringList& paths)
{
  clear(m_files);
  for (const QString& path : paths.mid(0, kMostFiles)) {
    const QFileInfo file(path);
    QString folder = file.path();
    if (folder.startsWith(QDir::homePath()))
      folder.replace(0, QDir::homePath().size(), QStringLiteral("~"));
    const Glimpse glimpse = glimpses::of(path).value_or(Glimpse());
    QStringList details{whatWasIn(glimpse), dayOf(file.lastModified()), folder};
    details.removeAll(QString());
    QWidget* const row =
        addRow(m_files, new GlimpseView(glimpse), file.fileName(), details.join(QStringLiteral(" · ")));
    auto* open = new QPushButton(tr("Open"));
    open->setAccessibleName(tr("Open %1").arg(file.fileName()));
    connect(open, &QPushButton::clicked, this, [this, path] { Q_EMIT fileWanted(path); });
    row->layout()->addWidget(open);
  }
  m_files.whole->setVisible(!paths.isEmpty());
}

void StartPage::showUnsaved(const std::vector<UnsavedWork>& works)
{
  clear(m_unsaved);
  for (const UnsavedWork& work : works) {
    QWidget* const row = addRow(m_unsaved, nullptr, work.name, dayOf(work.when));
    auto* restore = new QPushButton(tr("Go on with it"));
    restore->setAccessibleName(tr("Go on with %1").arg(work.name));
    connect(restore, &QPushButton::clicked, this, [this, path = work.path] { Q_EMIT restoreWanted(path); });
    auto* forget = new QPushButton(tr("Drop it"));
    forget->setAccessibleName(tr("Drop %1").arg(work.name));
    connect(forget, &QPushButton::clicked, this, [this, path = work.path] { Q_EMIT forgetWanted(path); });
    row->layout()->addWidget(restore);
    row->layout()->addWidget(forget);
  }
  m_unsaved.whole->setVisible(!works.empty());
}

}  // namespace bexto::ui
