#pragma once

#include <QObject>
#include <QString>
#include <memory>
#include <optional>
#include <vector>

#include "core/base/stream_id.h"
#include "core/decode/decoder.h"
#include "core/decode/transactions.h"
#include "core/view/ledger.h"
#include "ui/job/job.h"

namespace bexto::ui {

class LiveDecode;

/// One decoded direction of a bus, as the views read it.
struct StreamView {
  std::string line;  ///< the direction that it is; empty when the bus has one stream
  std::vector<std::size_t> channels;
  StreamInput input;
  Transactions transactions;
  std::vector<std::uint32_t> faulty;  ///< frames with errors
  double measuredHertz = 0.0;
};

/// A bus in the window. `id` is its own for as long as it lives, whatever it is called. `wanted` is what its card says;
/// `shown` is what `streams` were decoded with: while settings are wrong or a new decode has no frames yet, the last
/// good one stays.
struct BusView {
  BusId id = BusId::None;
  Bus wanted;
  Bus shown;
  std::vector<StreamView> streams;
  std::optional<Error> error;
  bool decoding = false;
  double progress = 0.0;

  std::uint64_t frameCount() const;
  std::uint64_t transactionCount() const;
  std::uint64_t faultCount() const;
};

/// The capture and its buses. UI thread only; loading and decoding run in jobs and arrive as signals.
class Document : public QObject {
  Q_OBJECT
 public:
  explicit Document(QObject* parent = nullptr);
  ~Document() override;

  /// Loads in the background. What is open stays open until the new capture is whole, and for good when it fails.
  void open(const QString& path);
  void cancelOpening();
  /// Reads a capture that somebody still writes, and goes on reading as it grows.
  void follow(const QString& path);
  /// Nothing more will come: what is there is the capture.
  void stopFollowing();
  /// The capture is growing.
  bool isLive() const { return m_live; }
  /// Also while a file that is to be followed has no header yet.
  bool isOpening() const { return m_loading->isRunning() || (m_following != nullptr && !m_live); }
  QString openingPath() const { return m_openingPath; }

  const std::shared_ptr<const Capture>& capture() const { return m_capture; }
  QString path() const { return m_path; }
  TimeRange whole() const;
  /// For tests and benches: takes a capture as if it had been loaded.
  void setCapture(std::shared_ptr<const Capture> capture, const QString& path);

  /// Changes how a channel is read; the buses on it are decoded again.
  void setConditioning(std::size_t channel, Conditioning how);

  /// In the order of their cards.
  int busCount() const { return static_cast<int>(m_buses.size()); }
  const BusView& bus(int place) const { return m_buses.at(static_cast<std::size_t>(place))->view; }
  /// nullptr when there is no such bus, or no longer.
  const BusView* find(BusId bus) const;
  /// nullptr when there is no such stream; after another decode a bus may have fewer.
  const StreamView* find(StreamId stream) const;
  /// A bus in hex whose payload may be text is shown as text when its first decode reads like it.
  BusId addBus(const Bus& bus);
  /// Checks at once, decodes in the background. Another name decodes nothing; another number format only groups what
  /// was decoded anew. Requires here and below: the bus is there.
  void changeBus(BusId bus, const Bus& changed);
  void removeBus(BusId bus);
  /// Stops a decode under way; what it has found stays.
  void stopDecoding(BusId bus);
  /// A bus of that protocol with a free name and, by their names, the likely channels.
  Bus suggestBus(const Protocol& protocol) const;
  bool isDecoding() const;

  /// All streams of all buses as the Ledger lists them.
  std::vector<LedgerSource> ledgerSources() const;

 Q_SIGNALS:
  void openingStarted();
  void openingProgressed(double fraction);
  void openingFailed(const QString& message);
  void openingCancelled();
  void captureChanged();
  /// The capture is the same, and longer.
  void captureGrew();
  void liveChanged();
  void conditioningChanged();
  void busListChanged();
  void busChanged(BusId bus);

 private:
  struct Entry {
    BusView view;
    std::unique_ptr<Job> job;
    bool guessFormat = false;          ///< nobody has said yet how its values are to be shown
    std::shared_ptr<LiveDecode> live;  ///< of a growing capture; the job's runs share it
    bool behind = false;               ///< the capture grew while a run was under way
  };
  struct Following;
  void askForMore();
  void grow(std::shared_ptr<const Capture> capture);
  void endLive();
  void leaveLive();
  void dropFollowing();
  void decodeLive(Entry& entry, ResolvedBus bus);
  void continueDecode(Entry& entry);
  void guessFormat(Entry& entry);
  void decode(Entry& entry);
  void group(Entry& entry);
  Entry& entryOf(BusId bus);

  std::shared_ptr<const Capture> m_capture;
  QString m_path;
  QString m_openingPath;
  std::vector<std::unique_ptr<Entry>> m_buses;
  std::uint32_t m_lastId = 0;
  std::unique_ptr<Job> m_loading;
  std::shared_ptr<Following> m_following;
  bool m_live = false;
};

}  // namespace bexto::ui
