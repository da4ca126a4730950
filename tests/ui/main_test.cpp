#include <QApplication>
#include <QProcess>
#include <QSettings>
#include <QStandardPaths>
#include <QTemporaryDir>

#include "ui/theme/theme.h"

namespace {

/// The walks (support/on_record.h) that failed, as a filter; empty when none did, or something else did too.
QString failedWalks()
{
  QStringList failed;
  const testing::UnitTest& all = *testing::UnitTest::GetInstance();
  for (int s = 0; s < all.total_test_suite_count(); ++s) {
    const testing::TestSuite& suite = *all.GetTestSuite(s);
    for (int t = 0; t < suite.total_test_count(); ++t) {
      const testing::TestInfo& test = *suite.GetTestInfo(t);
      if (!test.should_run() || test.result()->Passed() || test.result()->Skipped())
        continue;
      if (!QString::fromLatin1(suite.name()).endsWith(QLatin1String("Walk")))
        return {};
      failed << QStringLiteral("%1.%2").arg(QString::fromLatin1(suite.name()), QString::fromLatin1(test.name()));
    }
  }
  return failed.join(QLatin1Char(':'));
}

/// A walk compares each pixel's place, and a machine that is busy with something else may disturb one. What is really
/// another than on record is so each time.
int walkAgain(const char* program, const QString& walks)
{
  constexpr int kMost = 2;
  const int before = qEnvironmentVariableIntValue("BEXTO_WALKED");
  if (before >= kMost)
    return 1;
  qputenv("BEXTO_WALKED", QByteArray::number(before + 1));
  qunsetenv("GTEST_TOTAL_SHARDS");
  qunsetenv("GTEST_SHARD_INDEX");
  return QProcess::execute(QString::fromLocal8Bit(program), {QStringLiteral("--gtest_filter=") + walks}) == 0 ? 0 : 1;
}

}  // namespace

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
  const int result = RUN_ALL_TESTS();
  const QString walks = failedWalks();
  return result != 0 && !walks.isEmpty() ? walkAgain(argv[0], walks) : result;
}
