#pragma once

#include <QObject>
#include <QString>
#include <QTimer>
#include <QWidget>
#include <cstdint>
#include <vector>

#include "ui/engine/engine.h"
#include "ui/keeper/session_keeper.h"

namespace bexto::ui {

/// What a file looked like when it was open last: the Overview in small.
struct Glimpse {
  struct Row {
    QString bus;
    std::vector<std::uint8_t> density;  ///< as trafficDensity() has it, in kGlimpseColumns
    std::vector<int> faults;            ///< columns with a faulty frame
    bool operator==(const Row&) const = default;
  };
  std::vector<Row> rows;  ///< of the first few buses; without any, of the wires that do most
  std::size_t buses = 0;  ///< of all
  std::size_t channels = 0;
  Picoseconds length{0};

  bool operator==(const Glimpse&) const = default;
};

inline constexpr int kGlimpseColumns = 120;

Glimpse glimpseOf(const Engine& engine);

/// Glimpses of files, by their paths, among what may be made again (the XDG cache folder). What cannot be written or
/// read is not there.
namespace glimpses {
void keep(const QString& path, const Glimpse& glimpse);
/// Nothing when there is none.
std::optional<Glimpse> of(const QString& path);
}  // namespace glimpses

/// Keeps one of whatever is open: once it is decoded, so that it is there after a crash, when it is saved and when it
/// goes.
class GlimpseKeeper : public QObject {
  Q_OBJECT
 public:
  /// Both outlive it.
  GlimpseKeeper(Engine& engine, SessionKeeper& keeper, QObject* parent);
  ~GlimpseKeeper() override;

 private:
  void keep();

  Engine& m_engine;
  SessionKeeper& m_keeper;
  QTimer m_soon;
};

/// A glimpse as a picture.
class GlimpseView : public QWidget {
  Q_OBJECT
 public:
  explicit GlimpseView(Glimpse glimpse, QWidget* parent = nullptr);

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  Glimpse m_glimpse;
};

}  // namespace bexto::ui
