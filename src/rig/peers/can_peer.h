#pragma once

#include <QCanBusDevice>
#include <QObject>
#include <QString>
#include <QTimer>
#include <memory>

namespace bexto::rig {

/// The drives on a CAN interface, as another node there sees them: each gate drive says its position every 20 ms, and
/// answers a command (122 or 124) and a remote frame (docs/rig.md).
class CanPeer : public QObject {
  Q_OBJECT
 public:
  CanPeer(const QString& plugin, const QString& interface, QObject* parent = nullptr);

  /// False: errorString() says why.
  bool connectDevice();
  QString errorString() const { return m_error; }

 private:
  void sayPositions();
  void answer();

  QString m_plugin;
  QString m_interface;
  QString m_error;
  std::unique_ptr<QCanBusDevice> m_device;
  QTimer m_timer;
  unsigned m_round = 0;
};

}  // namespace bexto::rig
