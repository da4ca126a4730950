#pragma once

#include <QObject>
#include <QSocketNotifier>
#include <QString>
#include <QTimer>
#include <memory>

namespace bexto::rig {

/// The gate controller's console at the other end of a serial line, which is a pseudo-terminal: it says how it goes
/// every second, and answers "level?", "gates?" and "help" (docs/rig.md).
class SerialPeer : public QObject {
  Q_OBJECT
 public:
  explicit SerialPeer(QObject* parent = nullptr);
  ~SerialPeer() override;

  /// Makes the line; false: the system gives none.
  bool open();
  /// Of the end that is to be opened: "/dev/pts/3".
  const QString& port() const { return m_port; }

 private:
  void say(const QByteArray& line);
  void take();

  int m_end = -1;
  int m_other = -1;  ///< held open, so that the line is there while nobody listens
  QString m_port;
  QByteArray m_line;
  std::unique_ptr<QSocketNotifier> m_notifier;
  QTimer m_timer;
  unsigned m_seconds = 0;
};

}  // namespace bexto::rig
