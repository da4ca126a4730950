#pragma once

#include <QDBusConnection>
#include <QDBusVariant>
#include <QObject>
#include <QVariant>

#include "ui/theme/theme.h"

namespace bexto::ui {

/// Knows what the desktop asks of its programs, and hears when that changes. It is asked by the settings portal of XDG
/// (org.freedesktop.portal.Settings, namespace org.freedesktop.appearance: color-scheme and contrast); where there is
/// none, by the palette that Qt took from it. Make one before the program sets a palette of its own; UI thread only.
class Desktop : public QObject {
  Q_OBJECT
 public:
  /// `portal`: what is called there by its well-known name; empty on a connection from peer to peer.
  explicit Desktop(const QDBusConnection& bus = QDBusConnection::sessionBus(),
                   QString portal = QStringLiteral("org.freedesktop.portal.Desktop"));

  /// What is known; at once without the portal's answer, which comes soon.
  const DesktopLook& look() const { return m_look; }

  /// `palette` as it speaks of dark and of strong contrast: only black and white say the latter.
  static DesktopLook lookOf(const QPalette& palette);
  /// Takes one setting of the portal's; what it does not know changes nothing.
  static void take(DesktopLook& look, const QString& group, const QString& key, const QVariant& value);

 Q_SIGNALS:
  void changed();

 protected:
  /// Programs hear so of another theme where no portal is.
  bool eventFilter(QObject* object, QEvent* event) override;

 private Q_SLOTS:
  void portalChanged(const QString& group, const QString& key, const QDBusVariant& value);

 private:
  void askPortal();
  void askText();
  void put(const DesktopLook& look);

  QDBusConnection m_bus;
  QString m_service;
  DesktopLook m_look;
  bool m_portal = false;  ///< it has answered
};

}  // namespace bexto::ui
