#include <QApplication>
#include <QSettings>
#include <QStandardPaths>
#include <QTemporaryDir>

#include "ui/theme/theme.h"

int main(int argc, char** argv)
{
  qputenv("QT_QPA_PLATFORM", "offscreen");
  // Where things are painted must not depend on the machine's settings.
  qputenv("FONTCONFIG_FILE", BEXTO_TEST_DATA "/fonts.conf");
  qputenv("TZ", "UTC");
  testing::InitGoogleTest(&argc, argv);
  QStandardPaths::setTestModeEnabled(true);
  QApplication app(argc, argv);
  QApplication::setCursorFlashTime(0);  // what is painted must not depend on the moment
  // What the window remembers belongs to the tests alone, and to one run.
  const QTemporaryDir settings;
  QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, settings.path());
  QApplication::setOrganizationName(QStringLiteral("bexto"));
  QApplication::setApplicationName(QStringLiteral("bexto"));
  bexto::ui::theme().apply(bexto::ui::ThemeMode::Light);
  return RUN_ALL_TESTS();
}
