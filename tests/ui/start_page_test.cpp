// What stands in the window before anything is open.

#include <QDir>
#include <QLabel>
#include <QRegularExpression>
#include <QStandardPaths>

#include "core/store/session_recorder.h"
#include "ui/theme/theme.h"
#include "ui/window/start_page.h"

using namespace bexto;
using namespace bexto::test;
using namespace bexto::ui;

namespace {

class Start : public WindowTest {
 protected:
  StartPage* page() { return window().findChild<StartPage*>(); }
  QPushButton* button(const QString& accessibleName)
  {
    for (QPushButton* const found : page()->findChildren<QPushButton*>()) {
      if (found->isVisible() && (found->accessibleName() == accessibleName || found->text() == accessibleName))
        return found;
    }
    return nullptr;
  }
  static QString leave(const char* source)
  {
    const QString path = UnsavedFolder().newFile();
    SessionFile file;
    file.session.source = source;
    addMarker(file.session, Picoseconds{42});
    file.segments.push_back({"left", "", "", true, std::make_shared<const Capture>(cycle().capture)});
    auto recorder = SessionRecorder::create(path.toStdString());
    NoProgress progress;
    EXPECT_TRUE(recorder && (*recorder)->record(0, file.segments[0], {}, progress) && (*recorder)->set(file));
    return path;
  }
};

}  // namespace

TEST_F(Start, WhatWasLeftUnsavedIsGoneOnWithOrDropped)
{
  for (const UnsavedWork& work : window().keeper().left())
    UnsavedFolder::remove(work.path);
  const QString kept = leave("/bench/kept.vcd");
  const QString dropped = leave("/bench/dropped.vcd");
  page()->showUnsaved(window().keeper().left());
  QApplication::processEvents();
  ASSERT_NE(button(QStringLiteral("Drop dropped.vcd")), nullptr);
  QTest::mouseClick(button(QStringLiteral("Drop dropped.vcd")), Qt::LeftButton);
  EXPECT_FALSE(QFile::exists(dropped));
  QApplication::processEvents();
  EXPECT_EQ(button(QStringLiteral("Drop dropped.vcd")), nullptr);
  ASSERT_NE(button(QStringLiteral("Go on with kept.vcd")), nullptr);
  QTest::mouseClick(button(QStringLiteral("Go on with kept.vcd")), Qt::LeftButton);
  ASSERT_TRUE(waitFor([this] { return engine().capture() != nullptr; }));
  EXPECT_EQ(session().markers().size(), 1U);
  EXPECT_FALSE(page()->isVisible());
}

TEST_F(Start, FilesOfBeforeOpenAtAClick)
{
  page()->showFiles({demoPath()});
  QApplication::processEvents();
  ASSERT_NE(button(QStringLiteral("Open lock-cycle.vcd")), nullptr);
  QTest::mouseClick(button(QStringLiteral("Open lock-cycle.vcd")), Qt::LeftButton);
  ASSERT_TRUE(waitFor([this] { return engine().capture() != nullptr; }));
  EXPECT_EQ(engine().capture()->channels.size(), 3U);
}

TEST_F(Start, AFileOfBeforeShowsWhatWasInIt)
{
  openDemo();
  const Glimpse now = glimpseOf(engine());
  open(QStringLiteral(BEXTO_TEST_DATA "/i2c_10bit.vcd"));
  const auto kept = glimpses::of(demoPath());
  ASSERT_TRUE(kept) << "it is kept when another is opened";
  EXPECT_EQ(*kept, now);
  ASSERT_EQ(kept->rows.size(), 2U);
  EXPECT_EQ(kept->rows[0].bus, QStringLiteral("sensors"));
  EXPECT_GT(std::count_if(kept->rows[0].density.begin(), kept->rows[0].density.end(), [](int d) { return d > 0; }),
            100);
  EXPECT_FALSE(kept->rows[0].faults.empty());
  EXPECT_EQ(kept->channels, 3U);
  page()->showFiles({demoPath()});
  const auto labels = page()->findChildren<QLabel*>();
  EXPECT_TRUE(std::any_of(labels.begin(), labels.end(), [](const QLabel* label) {
    return label->text().startsWith(QStringLiteral("sensors, console · "));
  }));
  GlimpseView view(*kept);
  const QImage picture = view.grab().toImage();
  const QColor fault = theme().colours().fault;
  int faulty = 0;
  for (int x = 0; x < picture.width(); ++x) {
    for (int y = 0; y < picture.height(); ++y)
      faulty += picture.pixelColor(x, y) == fault ? 1 : 0;
  }
  EXPECT_GE(faulty, static_cast<int>(kept->rows[0].faults.size()));
}

TEST_F(Start, AFileWithoutBusesShowsItsWires)
{
  open(demoPath());
  const Glimpse now = glimpseOf(engine());
  EXPECT_EQ(now.buses, 0U);
  ASSERT_EQ(now.rows.size(), 3U);
  EXPECT_EQ(now.rows[0].bus, QStringLiteral("SCL"));
  EXPECT_GT(std::count_if(now.rows[0].density.begin(), now.rows[0].density.end(), [](int d) { return d > 0; }), 100);
  EXPECT_TRUE(waitFor([&now] { return glimpses::of(demoPath()) == now; })) << "it is there before the file is left";
  page()->showFiles({demoPath()});
  const auto labels = page()->findChildren<QLabel*>();
  EXPECT_TRUE(std::any_of(labels.begin(), labels.end(), [](const QLabel* label) {
    return label->text().startsWith(QStringLiteral("3 channels · "));
  }));
}

TEST_F(Start, AGlimpseThatCannotBeReadIsNone)
{
  EXPECT_FALSE(glimpses::of(QStringLiteral("/bench/never.vcd")));
  glimpses::keep(QStringLiteral("/bench/some.vcd"), {});
  EXPECT_TRUE(glimpses::of(QStringLiteral("/bench/some.vcd")));
  QDir folder(QStandardPaths::writableLocation(QStandardPaths::CacheLocation) + QStringLiteral("/glimpses"));
  for (const char* odd : {"", "nonsense", "[]", R"({"rows": 7, "buses": -3, "channels": "x"})",
                          R"({"rows": [{"density": [1, 999, -5, "x"], "faults": [100000, -1]}], "buses": 1})"}) {
    for (const QString& name : folder.entryList(QDir::Files)) {
      QFile file(folder.filePath(name));
      ASSERT_TRUE(file.open(QIODevice::WriteOnly));
      file.write(odd);
    }
    const auto read = glimpses::of(QStringLiteral("/bench/some.vcd"));
    if (read) {
      GlimpseView view(*read);
      EXPECT_FALSE(view.grab().isNull()) << odd;
    }
  }
  folder.removeRecursively();
}

TEST_F(Start, TheDemoIsThereForWhoIsNew)
{
  auto* const demo = window().findChild<QPushButton*>(QStringLiteral("startDemo"));
  EXPECT_FALSE(demo->isVisible()) << "nobody offered one";
  window().offerDemo([] {
    SessionFile file;
    bexto::addBus(file.session, *parseBusSpec("sensors=i2c,scl=SCL,sda=SDA"));
    file.segments.push_back({"lock cycle", "", "", true, std::make_shared<const Capture>(cycle().capture)});
    return file;
  });
  ASSERT_TRUE(demo->isVisible());
  QTest::mouseClick(demo, Qt::LeftButton);
  ASSERT_TRUE(waitFor([this] { return engine().busCount() == 1; }));
  ASSERT_TRUE(waitIdle());
  EXPECT_GT(transactionsOf(0).size(), 2000U);
  EXPECT_EQ(window().windowTitle(), QStringLiteral("lock-cycle.bexto – Bexto"));
  EXPECT_FALSE(window().keeper().isModified());
}

TEST_F(Start, ADemoThatCannotBeWrittenSaysSo)
{
  // A folder of that name is in the way.
  const QString path =
      QStandardPaths::writableLocation(QStandardPaths::CacheLocation) + QStringLiteral("/lock-cycle.bexto");
  QFile::remove(path);
  ASSERT_TRUE(QDir().mkpath(path));
  window().offerDemo([] { return SessionFile(); });
  QTest::mouseClick(window().findChild<QPushButton*>(QStringLiteral("startDemo")), Qt::LeftButton);
  EXPECT_TRUE(waitFor([this] { return window().notice().text().contains(QStringLiteral("cannot be written")); }));
  EXPECT_TRUE(QDir().rmdir(path));
}

TEST_F(Start, AFolderAtHomeIsWrittenShort)
{
  const QByteArray home = qgetenv("HOME");
  qputenv("HOME", QFileInfo(demoPath()).path().toUtf8());
  page()->showFiles({demoPath()});
  QApplication::processEvents();
  QStringList texts;
  for (const QLabel* const label : page()->findChildren<QLabel*>())
    texts << label->text();
  qputenv("HOME", home);
  EXPECT_EQ(texts.filter(QRegularExpression(QStringLiteral("· ~$"))).size(), 1)
      << texts.join(QLatin1Char('|')).toStdString();
}
