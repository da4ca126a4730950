#include <QApplication>
#include <QStandardPaths>

#include "ui/theme/theme.h"

int main(int argc, char** argv)
{
  qputenv("QT_QPA_PLATFORM", "offscreen");
  testing::InitGoogleTest(&argc, argv);
  QStandardPaths::setTestModeEnabled(true);
  QApplication app(argc, argv);
  bexto::ui::theme().apply(bexto::ui::ThemeMode::Light);
  return RUN_ALL_TESTS();
}
