#include "ui/sheets/sheet_library.h"

#include <QDir>
#include <QFileInfo>
#include <QFileSystemWatcher>
#include <algorithm>

#include "ui/text/text.h"

namespace bexto::ui {

namespace {

constexpr int kReadAfter = 150;  ///< ms

std::vector<std::string> foldersOf(const Engine& engine)
{
  const QString path = engine.path();
  return sheetFolders(path.isEmpty() ? std::string() : QFileInfo(path).absolutePath().toStdString());
}

}  // namespace

SheetLibrary::SheetLibrary(SessionModel& session, Engine& engine, QObject* parent)
    : QObject(parent),
      m_session(session),
      m_engine(engine),
      m_watcher(new QFileSystemWatcher(this)),
      m_found(std::make_shared<const std::vector<FoundSheet>>()),
      m_job(std::make_unique<Job>())
{
  m_soon.setSingleShot(true);
  m_soon.setInterval(kReadAfter);
  connect(&m_soon, &QTimer::timeout, this, &SheetLibrary::lookSoon);
  const auto soon = [this] { m_soon.start(); };
  connect(m_watcher, &QFileSystemWatcher::directoryChanged, this, soon);
  connect(m_watcher, &QFileSystemWatcher::fileChanged, this, soon);
  connect(&engine, &Engine::captureChanged, this, soon);
  lookSoon();
}

const FoundSheet* SheetLibrary::find(const std::string& name) const
{
  const auto found =
      std::find_if(m_found->begin(), m_found->end(), [&](const FoundSheet& f) { return f.text.name == name; });
  return found == m_found->end() ? nullptr : &*found;
}

QString SheetLibrary::ownFolder()
{
  return toQString(sheetFolders({}).front());
}

void SheetLibrary::look()
{
  m_soon.stop();
  m_job->cancel();
  take(findSheets(foldersOf(m_engine)));
}

void SheetLibrary::lookSoon()
{
  m_job->start([this, folders = foldersOf(m_engine)](JobRun& run) {
    run.post([this, found = findSheets(folders)] { take(found); });
  });
}

void SheetLibrary::take(std::vector<FoundSheet> found)
{
  const auto before = std::exchange(m_found, std::make_shared<const std::vector<FoundSheet>>(std::move(found)));
  watch();
  const auto all = m_found;
  for (const FoundSheet& now : *all) {
    const auto was =
        std::find_if(before->begin(), before->end(), [&](const FoundSheet& f) { return f.path == now.path; });
    // A session's own copy may be older than the file: only what is written now is taken over.
    if (was == before->end() || was->text == now.text || !now.read.sheet)
      continue;
    for (const SessionBus& bus : std::vector<SessionBus>(m_session.value().buses)) {
      const auto& used = bus.bus.sheets.list();
      const bool uses = std::any_of(used.begin(), used.end(), [&](const SheetText& s) {
        return s.name == now.text.name && s.text != now.text.text;
      });
      if (uses)
        m_session.amend(bus.id, [&now](SessionBus& entry) { attachSheet(entry.bus, now.text); });
    }
  }
  Q_EMIT changed();
}

void SheetLibrary::watch()
{
  if (const QStringList all = m_watcher->files() + m_watcher->directories(); !all.isEmpty())
    m_watcher->removePaths(all);
  QStringList paths;
  for (const std::string& folder : foldersOf(m_engine)) {
    QString path = toQString(folder);
    // One's own folder may not be there yet: then it is waited for.
    while (!QDir(path).exists() && QFileInfo(path).path() != path)
      path = QFileInfo(path).path();
    if (!paths.contains(path) && !path.endsWith(QLatin1Char('/')))
      paths << path;
  }
  for (const FoundSheet& found : *m_found)
    paths << toQString(found.path);
  if (!paths.isEmpty())
    m_watcher->addPaths(paths);
}

std::function<std::vector<SheetLibrary::Offer>(const std::stop_token&)> SheetLibrary::offersFor(BusId bus) const
{
  const BusView* const view = m_engine.find(bus);
  if (view == nullptr)
    return [](const std::stop_token& /*stop*/) { return std::vector<Offer>(); };
  std::vector<FrameIndex> streams;
  for (const StreamView& stream : ofWires(view->streams))
    streams.push_back(stream.transactions.frames());
  return [found = m_found, streams = std::move(streams), shown = view->shown,
          used = view->wanted.sheets](const std::stop_token& stop) {
    constexpr std::uint64_t kMostFrames = 5000;
    std::vector<Offer> offers;
    for (const FoundSheet& one : *found) {
      const bool isUsed = std::any_of(used.list().begin(), used.list().end(),
                                      [&](const SheetText& s) { return s.name == one.text.name; });
      if (isUsed || !one.read.sheet)
        continue;
      if (stop.stop_requested())
        break;
      std::uint64_t fits = 0;
      for (const FrameIndex& frames : streams)
        fits += fitOf(one.text, shown, frames, kMostFrames);
      if (fits > 0)
        offers.push_back({one.text, toQString(one.read.sheet->device), fits});
    }
    std::stable_sort(offers.begin(), offers.end(), [](const Offer& a, const Offer& b) { return a.fits > b.fits; });
    return offers;
  };
}

}  // namespace bexto::ui
