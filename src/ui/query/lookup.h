#pragma once

#include <QObject>
#include <memory>
#include <optional>
#include <vector>

#include "core/query/query.h"
#include "core/query/scan.h"
#include "core/view/ledger.h"
#include "ui/engine/engine.h"
#include "ui/job/job.h"

namespace bexto::ui {

/// What a query found: the streams as they were when it was asked, with the lines that it shows.
struct LookupResult {
  std::vector<LedgerSource> sources;
  bool whole = false;  ///< false: the scan goes on

  std::uint64_t found() const;
};

/// A query that is asked of the engine's traffic, in the background, and again whenever either changes. Of traffic that
/// grows only what is new is asked, and what was found stays until more is. Filter and search are one each. While a
/// text has a mistake, the last good query stands. UI thread only.
class Lookup : public QObject {
  Q_OBJECT
 public:
  explicit Lookup(Engine& engine, QObject* parent = nullptr);

  const QString& text() const { return m_text; }
  /// Understood at once, asked in the background. Terms that were off stay off.
  void setText(const QString& text);
  const std::optional<QueryError>& error() const { return m_error; }
  QString explanation() const;

  /// The terms that all have to hold, as typed.
  QStringList terms() const;
  bool isOff(int term) const { return m_off.at(static_cast<std::size_t>(term)); }
  void setOff(int term, bool off);
  void setAllOff(bool off);
  /// Text and what is off, as the session keeps it.
  LineFilter asked() const;
  /// Takes it over without saying that somebody asked.
  void take(const LineFilter& filter);

  /// Nothing is asked: no text, or all its terms are off.
  bool isIdle() const { return m_asked.empty(); }
  /// Null while idle, and until the first lines are found.
  const std::shared_ptr<const LookupResult>& result() const { return m_result; }
  bool isScanning() const { return m_job->isRunning(); }

 Q_SIGNALS:
  /// Text, error, or what is switched off.
  void textChanged();
  /// Somebody asked something else: asked() is other than it was.
  void askedOtherwise();
  /// result() or isScanning().
  void resultChanged();

 private:
  QueryNames names() const;
  void forget();
  void ask();
  /// The traffic has grown.
  void askOn();
  void startScan();
  void understand();

  Engine& m_engine;
  QString m_text;
  QString m_understood;  ///< the text of m_query
  Query m_query;
  Query m_asked;          ///< without what is off
  LineFilter m_question;  ///< as m_asked was made from it
  std::vector<bool> m_off;
  std::optional<QueryError> m_error;
  std::shared_ptr<const LookupResult> m_result;
  std::shared_ptr<GrowingScan> m_scan;  ///< the job's runs share it; they never overlap
  bool m_settled = false;               ///< m_result is all that m_asked found in some state of the traffic
  bool m_behind = false;                ///< the traffic grew while it was asked
  std::unique_ptr<Job> m_job;
};

}  // namespace bexto::ui
