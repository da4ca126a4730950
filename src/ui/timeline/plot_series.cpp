#include "ui/timeline/plot_series.h"

#include <fmt/format.h>

#include <QCoreApplication>
#include <algorithm>
#include <cmath>

#include "core/decode/sentence.h"
#include "core/device/bus_devices.h"
#include "ui/text/text.h"

namespace bexto::ui {

QString PlotView::textOf(const Engine& engine, const ValueSeries::Point& point) const
{
  const StreamView* const view = engine.find(stream);
  const BusView* const bus = engine.find(stream.bus);
  if (view == nullptr || bus == nullptr || !view->transactions.meaning() ||
      point.frame >= view->transactions.frames().size())
    return {};
  const FrameRange frames{point.frame, std::uint64_t{point.frame} + 1};
  for (const Told& told : view->transactions.meaning()->told(bus->shown, view->transactions.frames(), frames)) {
    for (const ToldValue& value : told.values) {
      if (value.name == plot.of.value)
        return toQString(value.textWithUnit());
    }
  }
  return {};
}

QString PlotView::scaleText(double value, int decimals) const
{
  if (field != nullptr && field->scale != 0.0) {
    const double raw = (value - field->offset) / field->scale;
    const std::string* const word = field->wordOf(std::llround(raw));
    if (word != nullptr && std::abs(raw - std::round(raw)) < 1e-9)
      return toQString(*word);
  }
  if (isFlag())
    return value > 0.5 ? QCoreApplication::translate("PlotView", "yes") : QCoreApplication::translate("PlotView", "no");
  return toQString(fmt::format("{:.{}f}", value == 0.0 ? 0.0 : value, decimals));
}

PlotSeries::PlotSeries(SessionModel& session, Engine& engine, QObject* parent)
    : QObject(parent), m_session(session), m_engine(engine), m_job(std::make_unique<Job>())
{
  connect(&session, &SessionModel::changed, this, [this](const SessionChange& change) {
    if (change.plots)
      list();
  });
  connect(&engine, &Engine::captureChanged, this, [this] {
    m_views.clear();
    list();
  });
  connect(&engine, &Engine::changed, this, &PlotSeries::follow);
  connect(m_job.get(), &Job::finished, this, [this] {
    if (m_behind)
      make();
  });
  list();
}

void PlotSeries::follow(const EngineChange& change)
{
  bool isOther = change.busList;
  bool isMore = false;
  for (std::shared_ptr<const PlotView>& view : m_views) {
    const BusChange* const bus = change.of(view->plot.bus);
    if (bus == nullptr)
      continue;
    isOther = isOther || bus->described;
    isMore = isMore || bus->hasNewFrames();
    if (bus->frames == BusChange::Frames::Replaced) {
      auto other = std::make_shared<PlotView>(*view);
      other->series = {};
      view = std::move(other);
    }
  }
  if (isOther)
    list();
  else if (isMore && m_job->isRunning())
    m_behind = true;
  else if (isMore)
    make();
}

void PlotSeries::list()
{
  std::vector<std::shared_ptr<const PlotView>> views;
  for (const Plot& plot : m_session.value().plots) {
    const auto before =
        std::find_if(m_views.begin(), m_views.end(), [&](const auto& v) { return v->plot.isSame(plot); });
    auto view = before == m_views.end() ? std::make_shared<PlotView>() : std::make_shared<PlotView>(**before);
    view->plot = plot;
    view->valueName = toQString(shownName(plot.of.value));
    view->subject = plot.of.subject == plot.of.value ? QString() : toQString(shownName(plot.of.subject));
    view->name = view->subject.isEmpty() ? view->valueName : view->subject + QLatin1Char(' ') + view->valueName;
    const BusView* const bus = m_engine.find(plot.bus);
    const std::shared_ptr<const Describer> sheets = bus == nullptr ? nullptr : describerOf(bus->shown);
    if (sheets != view->sheets) {
      view->series = {};
      view->making = true;
    }
    view->sheets = sheets;
    const auto* const devices = dynamic_cast<const BusDevices*>(sheets.get());
    view->field = devices == nullptr ? nullptr : fieldOf(*devices, plot.of);
    views.push_back(std::move(view));
  }
  m_views = std::move(views);
  Q_EMIT changed();
  make();
}

void PlotSeries::make()
{
  m_behind = false;
  struct Wanted {
    std::shared_ptr<const PlotView> view;
    Bus bus;
    std::vector<Transactions> streams;
  };
  std::vector<Wanted> all;
  for (const auto& view : m_views) {
    const BusView* const bus = m_engine.find(view->plot.bus);
    if (bus == nullptr)
      continue;
    Wanted wanted{view, bus->shown, {}};
    for (const StreamView& stream : bus->streams)
      wanted.streams.push_back(stream.transactions);
    all.push_back(std::move(wanted));
  }
  if (all.empty()) {
    m_job->cancel();
    return;
  }
  m_job->start([this, all = std::move(all)](JobRun& run) {
    std::vector<std::shared_ptr<const PlotView>> made;
    for (const Wanted& wanted : all) {
      auto view = std::make_shared<PlotView>(*wanted.view);
      view->making = false;
      std::size_t best = 0;
      ValueSeries most;
      for (std::size_t s = 0; s < wanted.streams.size(); ++s) {
        const bool goesOn = wanted.view->stream.stream == static_cast<int>(s);
        auto series = ValueSeries::make(wanted.bus, wanted.streams[s], wanted.view->plot.of,
                                        goesOn ? wanted.view->series : ValueSeries(), run.stop());
        if (!series)
          return;
        if (series->size() > most.size()) {
          most = std::move(*series);
          best = s;
        }
      }
      view->series = std::move(most);
      view->stream = {wanted.view->plot.bus, static_cast<int>(best)};
      made.push_back(std::move(view));
    }
    run.post([this, made = std::move(made)] {
      for (const std::shared_ptr<const PlotView>& view : made) {
        for (std::shared_ptr<const PlotView>& here : m_views) {
          if (here->plot == view->plot && here->sheets == view->sheets)
            here = view;
        }
      }
      Q_EMIT changed();
    });
  });
}

}  // namespace bexto::ui
