#pragma once

#include <QObject>
#include <memory>
#include <vector>

#include "core/decode/meaning.h"
#include "core/device/sheet.h"
#include "core/device/value_series.h"
#include "ui/engine/engine.h"

namespace bexto::ui {

/// A plot of the session, and what was found for it.
struct PlotView {
  Plot plot;
  QString name;                             ///< "level", or "drive 1 position" where its message is called otherwise
  QString valueName;                        ///< "position"
  QString subject;                          ///< "drive 1"; empty where it is called like the value
  std::shared_ptr<const Describer> sheets;  ///< that `field` is of
  const SheetField* field = nullptr;        ///< nullptr: no sheet of its bus has such a value, or the bus is gone
  StreamId stream = {};                     ///< that says it; of two directions, the one that says it more often
  ValueSeries series;
  bool making = true;  ///< the series is not there yet

  bool isFlag() const { return field != nullptr && field->form == FieldForm::Flag; }
  /// What the point says, as its sheet writes it, with its unit: "98.108 m".
  QString textOf(const Engine& engine, const ValueSeries::Point& point) const;
  /// A number on the scale: a word where the sheet has one for it.
  QString scaleText(double value, int decimals) const;
};

/// The series of all plots of the session, made in the background and kept up with what is decoded. UI thread only.
class PlotSeries : public QObject {
  Q_OBJECT
 public:
  PlotSeries(SessionModel& session, Engine& engine, QObject* parent);

  /// In the session's order.
  const std::vector<std::shared_ptr<const PlotView>>& views() const { return m_views; }

 Q_SIGNALS:
  /// Their list, or what one of them is.
  void changed();

 private:
  void follow(const EngineChange& change);
  /// What is drawn, as session and sheets say; series that still hold are kept.
  void list();
  void make();

  SessionModel& m_session;
  Engine& m_engine;
  std::vector<std::shared_ptr<const PlotView>> m_views;
  std::unique_ptr<Job> m_job;
  bool m_behind = false;  ///< more was decoded while a run was under way
};

}  // namespace bexto::ui
