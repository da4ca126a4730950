#include "ui/buses/device_rows.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>

#include "core/base/number_text.h"
#include "core/decode/protocol.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

constexpr std::size_t kMostOffers = 4;

QToolButton* makeButton(const QString& text, const QString& name)
{
  auto* button = new QToolButton;
  button->setText(text);
  button->setAccessibleName(name);
  button->setToolTip(name);
  button->setProperty("flat", true);
  setType(*button, Face::Words, 11);
  return button;
}

}  // namespace

DeviceRows::DeviceRows(SessionModel& session, Engine& engine, SheetLibrary& library, BusId bus, QWidget* parent)
    : QWidget(parent),
      m_session(session),
      m_engine(engine),
      m_library(library),
      m_bus(bus),
      m_rows(new QVBoxLayout(this)),
      m_job(std::make_unique<Job>())
{
  setObjectName(QStringLiteral("devices"));
  m_rows->setContentsMargins(0, 0, 0, 0);
  m_rows->setSpacing(2);
  connect(&library, &SheetLibrary::changed, this, [this] {
    rebuild();
    lookForOffers();
  });
  rebuild();
  lookForOffers();
}

void DeviceRows::refresh()
{
  const BusView* const view = m_engine.find(m_bus);
  // Twice as many frames may fit other sheets; each single one will not.
  const bool grown = view != nullptr && view->frameCount() > 2 * m_looked;
  if (grown || view == nullptr || m_lines.isEmpty())
    rebuild();
  if (grown)
    lookForOffers();
}

void DeviceRows::lookForOffers()
{
  if (const BusView* const view = m_engine.find(m_bus))
    m_job->start([this, look = m_library.offersFor(m_bus)](JobRun& run) {
      std::vector<SheetLibrary::Offer> offers = look(run.stop());
      run.post([this, offers = std::move(offers)] {
        if (offers == m_offers)
          return;
        m_offers = offers;
        rebuild();
      });
    });
}

/// Read once: a card is made anew at every change.
QString DeviceRows::deviceOf(const SheetText& sheet)
{
  const auto [known, isNew] = m_devices.try_emplace(sheet.text);
  if (isNew) {
    const SheetRead read = readSheet(sheet.text);
    known->second = toQString(read.sheet ? read.sheet->device : sheet.name);
  }
  return known->second;
}

void DeviceRows::rebuild()
{
  while (QLayoutItem* const item = m_rows->takeAt(0)) {
    if (item->widget() != nullptr) {
      item->widget()->hide();
      item->widget()->deleteLater();
    }
    delete item;
  }
  m_lines.clear();
  const BusView* const view = m_engine.find(m_bus);
  if (view == nullptr || view->wanted.protocol().facts().talkStyle == TalkStyle::None)
    return;
  m_looked = view->frameCount();
  const auto say = [&](const QString& text, Ink ink) {
    auto* label = new QLabel(text);
    label->setWordWrap(true);
    setType(*label, Face::Words, 11);
    setInk(*label, ink);
    label->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::MinimumExpanding);
    m_rows->addWidget(label);
    m_lines << text;
  };
  const auto row = [&](const QString& text, Ink ink, std::initializer_list<QToolButton*> buttons) {
    auto* line = new QWidget;
    auto* layout = new QHBoxLayout(line);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(2);
    auto* label = new QLabel(text);
    setType(*label, Face::Words, 12);
    setInk(*label, ink);
    label->setMinimumWidth(px(20));
    label->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    label->setToolTip(text);
    layout->addWidget(label, 1);
    for (QToolButton* const button : buttons)
      layout->addWidget(button);
    m_rows->addWidget(line);
    m_lines << text;
  };
  for (const SheetText& sheet : view->wanted.sheets.list()) {
    const QString name = deviceOf(sheet);
    auto* edit = makeButton(tr("Edit"), tr("Edit the sheet of %1").arg(name));
    auto* away = makeButton(QStringLiteral("×"), tr("Do without the sheet of %1").arg(name));
    connect(edit, &QToolButton::clicked, this, [this, file = toQString(sheet.name)] { Q_EMIT editWanted(file); });
    connect(away, &QToolButton::clicked, this, [this, file = sheet.name] { leave(file); });
    row(name, Ink::Device, {edit, away});
    // The file went on without the bus: it has a mistake.
    if (const FoundSheet* const found = m_library.find(sheet.name); found != nullptr && !found->read.problems.empty())
      say(tr("▲ %1, %2").arg(toQString(sheet.name), toQString(found->read.problems.front().text())), Ink::Fault);
  }
  std::size_t offered = 0;
  for (const SheetLibrary::Offer& offer : m_offers) {
    const auto& used = view->wanted.sheets.list();
    if (std::any_of(used.begin(), used.end(), [&](const SheetText& s) { return s.name == offer.sheet.name; }))
      continue;
    if (offered++ == kMostOffers)
      break;
    auto* add = makeButton(tr("Use"), tr("Read %1 by its sheet").arg(offer.device));
    connect(add, &QToolButton::clicked, this, [this, text = offer.sheet] { use(text); });
    row(tr("%1, heard %2 ×").arg(offer.device, toQString(countText(offer.fits))), Ink::Muted, {add});
  }
  if (!m_trouble.isEmpty())
    say(QStringLiteral("▲ ") + m_trouble, Ink::Fault);
  auto* file = makeButton(tr("File …"), tr("Read a device sheet from a file"));
  file->setObjectName(QStringLiteral("sheetFromFile"));
  auto* fresh = makeButton(tr("New …"), tr("Write a device sheet for this bus"));
  fresh->setObjectName(QStringLiteral("newSheet"));
  connect(fresh, &QToolButton::clicked, this, [this] { Q_EMIT editWanted({}); });
  connect(file, &QToolButton::clicked, this, [this] {
    const QString path = QFileDialog::getOpenFileName(window(), tr("Device sheet"), SheetLibrary::ownFolder(),
                                                      tr("Device sheets (*.yaml *.yml)"));
    if (!path.isEmpty())
      addFile(path);
  });
  auto* last = new QWidget;
  auto* layout = new QHBoxLayout(last);
  layout->setContentsMargins(0, 0, 0, 0);
  layout->addWidget(file);
  layout->addWidget(fresh);
  layout->addStretch();
  m_rows->addWidget(last);
}

void DeviceRows::addFile(const QString& path)
{
  const SessionBus* const bus = m_session.value().find(m_bus);
  if (bus == nullptr)
    return;
  const auto sheet = loadSheetFor(path.toStdString(), bus->bus);
  m_trouble = sheet ? QString() : toQString(sheet.error().text());
  if (sheet)
    use(*sheet);
  rebuild();
}

void DeviceRows::use(const SheetText& sheet)
{
  if (const SessionBus* const bus = m_session.value().find(m_bus)) {
    Bus changed = bus->bus;
    attachSheet(changed, sheet);
    m_session.setSheets(m_bus, changed.sheets);
  }
  rebuild();
}

void DeviceRows::leave(const std::string& name)
{
  if (const SessionBus* const bus = m_session.value().find(m_bus)) {
    Bus changed = bus->bus;
    detachSheet(changed, name);
    m_session.setSheets(m_bus, changed.sheets);
  }
  rebuild();
  lookForOffers();
}

}  // namespace bexto::ui
