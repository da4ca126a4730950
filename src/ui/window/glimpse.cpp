// Tested by tests/ui/start_page_test.cpp.
#include "ui/window/glimpse.h"

#include <QCryptographicHash>
#include <QDir>
#include <QFileInfo>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QPainter>
#include <QSaveFile>
#include <QStandardPaths>

#include "core/view/overview.h"
#include "core/view/wire_activity.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

constexpr std::size_t kLanesShown = 8;
constexpr int kLaneHeight = 4;  ///< with the space to the next

QString fileOf(const QString& path)
{
  const QByteArray key =
      QCryptographicHash::hash(QFileInfo(path).absoluteFilePath().toUtf8(), QCryptographicHash::Sha1);
  return QStandardPaths::writableLocation(QStandardPaths::CacheLocation) + QStringLiteral("/glimpses/") +
         QString::fromLatin1(key.toHex()) + QStringLiteral(".json");
}

/// The newest stay: a folder that may be made again need not grow for ever.
void prune(const QDir& folder)
{
  constexpr qsizetype kMost = 200;
  const QFileInfoList files = folder.entryInfoList({QStringLiteral("*.json")}, QDir::Files, QDir::Time);
  for (const QFileInfo& file : files.mid(kMost))
    QFile::remove(file.filePath());
}

/// Without buses, the wires that do most, as the Overview has them.
void addWires(const Capture& capture, TimeRange whole, Glimpse& glimpse)
{
  const std::vector<std::size_t> wires = busiestWires(capture.channels, kLanesShown);
  std::uint64_t most = 1;
  for (const std::size_t wire : wires)
    most = std::max(most, mostTransitions(capture.channels[wire].track, whole, kGlimpseColumns));
  for (const std::size_t wire : wires) {
    const Channel& channel = capture.channels[wire];
    glimpse.rows.push_back({toQString(channel.name), wireDensity(channel.track, whole, kGlimpseColumns, most), {}});
  }
}

}  // namespace

Glimpse glimpseOf(const Engine& engine)
{
  Glimpse glimpse;
  if (!engine.capture())
    return glimpse;
  glimpse.length = engine.whole().length();
  glimpse.channels = engine.capture()->channels.size();
  glimpse.buses = static_cast<std::size_t>(engine.busCount());
  const std::size_t rows = std::min(kLanesShown, glimpse.buses);
  for (std::size_t i = 0; i < rows; ++i) {
    const BusView& bus = engine.bus(static_cast<int>(i));
    Glimpse::Row row{toQString(bus.wanted.name), std::vector<std::uint8_t>(kGlimpseColumns), {}};
    for (const StreamView& stream : bus.streams) {
      const FrameIndex& frames = stream.transactions.frames();
      const auto density = trafficDensity(frames, engine.whole(), kGlimpseColumns);
      for (std::size_t c = 0; c < density.size(); ++c)
        row.density[c] = std::max(row.density[c], density[c]);
      const auto faults = faultColumns(frames, stream.faulty, engine.whole(), kGlimpseColumns);
      row.faults.insert(row.faults.end(), faults.begin(), faults.end());
    }
    std::sort(row.faults.begin(), row.faults.end());
    row.faults.erase(std::unique(row.faults.begin(), row.faults.end()), row.faults.end());
    glimpse.rows.push_back(std::move(row));
  }
  if (glimpse.buses == 0)
    addWires(*engine.capture(), engine.whole(), glimpse);
  return glimpse;
}

void glimpses::keep(const QString& path, const Glimpse& glimpse)
{
  QJsonArray rows;
  for (const Glimpse::Row& row : glimpse.rows) {
    QJsonArray density;
    for (const std::uint8_t d : row.density)
      density.append(static_cast<int>(d));
    QJsonArray faults;
    for (const int f : row.faults)
      faults.append(f);
    rows.append(QJsonObject{
        {QStringLiteral("bus"), row.bus}, {QStringLiteral("density"), density}, {QStringLiteral("faults"), faults}});
  }
  const QJsonObject json{{QStringLiteral("buses"), static_cast<qint64>(glimpse.buses)},
                         {QStringLiteral("channels"), static_cast<qint64>(glimpse.channels)},
                         {QStringLiteral("length_ps"), static_cast<qint64>(glimpse.length.count())},
                         {QStringLiteral("rows"), rows}};
  const QString name = fileOf(path);
  const QDir folder = QFileInfo(name).dir();
  QDir().mkpath(folder.path());
  QSaveFile file(name);
  if (!file.open(QIODevice::WriteOnly))
    return;
  file.write(QJsonDocument(json).toJson(QJsonDocument::Compact));
  file.commit();
  prune(folder);
}

std::optional<Glimpse> glimpses::of(const QString& path)
{
  constexpr qint64 kLongest = 1 << 20;
  QFile file(fileOf(path));
  if (!file.open(QIODevice::ReadOnly))
    return std::nullopt;
  const QJsonObject json = QJsonDocument::fromJson(file.read(kLongest)).object();
  if (json.isEmpty())
    return std::nullopt;
  Glimpse glimpse;
  glimpse.buses = static_cast<std::size_t>(std::max<qint64>(0, json.value(QStringLiteral("buses")).toInteger()));
  glimpse.channels = static_cast<std::size_t>(std::max<qint64>(0, json.value(QStringLiteral("channels")).toInteger()));
  glimpse.length = Picoseconds{json.value(QStringLiteral("length_ps")).toInteger()};
  const QJsonArray rows = json.value(QStringLiteral("rows")).toArray();
  for (const auto& value : rows) {
    const QJsonObject object = value.toObject();
    Glimpse::Row row;
    row.bus = object.value(QStringLiteral("bus")).toString();
    const QJsonArray density = object.value(QStringLiteral("density")).toArray();
    for (const auto& d : density)
      row.density.push_back(static_cast<std::uint8_t>(std::clamp(d.toInt(), 0, 255)));
    row.density.resize(kGlimpseColumns);
    const QJsonArray faults = object.value(QStringLiteral("faults")).toArray();
    for (const auto& f : faults)
      row.faults.push_back(std::clamp(f.toInt(), 0, kGlimpseColumns - 1));
    if (glimpse.rows.size() < kLanesShown)
      glimpse.rows.push_back(std::move(row));
  }
  return glimpse;
}

GlimpseKeeper::GlimpseKeeper(Engine& engine, SessionKeeper& keeper, QObject* parent)
    : QObject(parent), m_engine(engine), m_keeper(keeper)
{
  connect(&engine, &Engine::sessionLeaving, this, &GlimpseKeeper::keep);
  connect(&keeper, &SessionKeeper::saved, this, &GlimpseKeeper::keep);
  m_soon.setSingleShot(true);
  m_soon.setInterval(std::chrono::seconds{2});
  connect(&engine, &Engine::captureChanged, &m_soon, qOverload<>(&QTimer::start));
  connect(&m_soon, &QTimer::timeout, this, [this] { m_engine.isDecoding() ? m_soon.start() : keep(); });
}

GlimpseKeeper::~GlimpseKeeper()
{
  keep();
}

void GlimpseKeeper::keep()
{
  const QString path = m_keeper.path().isEmpty() ? m_engine.path() : m_keeper.path();
  if (m_engine.capture() && QFileInfo::exists(path))
    glimpses::keep(path, glimpseOf(m_engine));
}

GlimpseView::GlimpseView(Glimpse glimpse, QWidget* parent) : QWidget(parent), m_glimpse(std::move(glimpse))
{
  sized(*this, [this] { setFixedSize(px(kGlimpseColumns), px(kLaneHeight * static_cast<int>(kLanesShown))); });
  connect(&theme(), &Theme::changed, this, qOverload<>(&QWidget::update));
}

void GlimpseView::paintEvent(QPaintEvent* /*event*/)
{
  const Palette& c = theme().colours();
  QPainter p(this);
  if (m_glimpse.rows.empty())
    p.fillRect(rect(), tint(c.ink, 5));  // the place is kept, so that names stand below one another
  const double column = width() / static_cast<double>(kGlimpseColumns);
  const double high = px(static_cast<double>(kLaneHeight));
  // In the middle, however few there are.
  double y = (height() - high * static_cast<double>(m_glimpse.rows.size())) / 2.0;
  for (const Glimpse::Row& row : m_glimpse.rows) {
    for (std::size_t x = 0; x < row.density.size(); ++x) {
      if (row.density[x] > 0)
        p.fillRect(QRectF(static_cast<double>(x) * column, y, column, high - 1), tint(c.ink, 26 + row.density[x] / 5));
    }
    for (const int x : row.faults)
      p.fillRect(QRectF(x * column, y - 0.5, std::max(1.0, column), high), c.fault);
    y += high;
  }
}

}  // namespace bexto::ui
