#include "ui/theme/desktop.h"

#include <QApplication>
#include <QDBusMessage>
#include <QDBusPendingCallWatcher>
#include <QDBusPendingReply>
#include <QDBusVariant>
#include <QEvent>
#include <QFontDatabase>
#include <QFontInfo>
#include <QPalette>

namespace bexto::ui {

namespace {

const QString& path()
{
  static const QString kName = QStringLiteral("/org/freedesktop/portal/desktop");
  return kName;
}
const QString& interface()
{
  static const QString kName = QStringLiteral("org.freedesktop.portal.Settings");
  return kName;
}
const QString& appearance()
{
  static const QString kName = QStringLiteral("org.freedesktop.appearance");
  return kName;
}

}  // namespace

Desktop::Desktop(const QDBusConnection& bus, QString portal)
    : m_bus(bus), m_service(std::move(portal)), m_look(lookOf(QApplication::palette()))
{
  askText();
  if (m_bus.isConnected()) {
    qRegisterMetaType<QDBusVariant>();  // else no slot is found for the signal
    m_bus.connect(m_service, path(), interface(), QStringLiteral("SettingChanged"), this,
                  SLOT(portalChanged(QString, QString, QDBusVariant)));
    askPortal();
  }
  qApp->installEventFilter(this);
}

DesktopLook Desktop::lookOf(const QPalette& palette)
{
  const QColor ground = palette.color(QPalette::Window);
  const QColor ink = palette.color(QPalette::WindowText);
  DesktopLook look;
  look.dark = ground.lightness() < 110;
  const auto extreme = [](const QColor& c) { return c.lightness() == 0 || c.lightness() == 255; };
  look.highContrast = extreme(ground) && extreme(ink) && ground.lightness() != ink.lightness();
  return look;
}

void Desktop::take(DesktopLook& look, const QString& group, const QString& key, const QVariant& value)
{
  if (group != appearance())
    return;
  // color-scheme: 0 says nothing, 1 prefers dark, 2 light; contrast: 1 asks for more.
  if (key == QStringLiteral("color-scheme"))
    look.dark = value.toUInt() == 1;
  else if (key == QStringLiteral("contrast"))
    look.highContrast = value.toUInt() == 1;
}

void Desktop::put(const DesktopLook& look)
{
  if (look == m_look)
    return;
  m_look = look;
  Q_EMIT changed();
}

void Desktop::askText()
{
  DesktopLook look = m_look;
  look.textPixels = QFontInfo(QFontDatabase::systemFont(QFontDatabase::GeneralFont)).pixelSize();
  put(look);
}

void Desktop::askPortal()
{
  QDBusMessage ask = QDBusMessage::createMethodCall(m_service, path(), interface(), QStringLiteral("ReadAll"));
  ask << QStringList{appearance()};
  auto* answer = new QDBusPendingCallWatcher(m_bus.asyncCall(ask), this);
  connect(answer, &QDBusPendingCallWatcher::finished, this, [this, answer] {
    answer->deleteLater();
    const QDBusPendingReply<QMap<QString, QVariantMap>> reply = *answer;
    if (reply.isError())
      return;  // no portal: what Qt knows stays
    const QVariantMap settings = reply.value().value(appearance());
    if (!settings.contains(QStringLiteral("color-scheme")))
      return;
    m_portal = true;
    DesktopLook look = m_look;
    for (auto setting = settings.begin(); setting != settings.end(); ++setting)
      take(look, appearance(), setting.key(), setting.value());
    put(look);
  });
}

void Desktop::portalChanged(const QString& group, const QString& key, const QDBusVariant& value)
{
  DesktopLook look = m_look;
  take(look, group, key, value.variant());
  put(look);
  askText();  // desktops tell of their fonts under names of their own
}

bool Desktop::eventFilter(QObject* object, QEvent* event)
{
  if (event->type() == QEvent::ThemeChange) {
    askText();
    if (!m_portal) {
      // The palette in force is ours; an empty one brings the desktop's back for as long as it takes to ask.
      const QPalette ours = QApplication::palette();
      QApplication::setPalette(QPalette());
      DesktopLook look = lookOf(QApplication::palette());
      QApplication::setPalette(ours);
      look.textPixels = m_look.textPixels;
      put(look);
    }
  }
  return QObject::eventFilter(object, event);
}

}  // namespace bexto::ui
