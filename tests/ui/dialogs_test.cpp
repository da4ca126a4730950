// What asks for a file, a name or a yes, from the window's own actions.
#include <QAction>
#include <QFile>
#include <QInputDialog>
#include <QMessageBox>
#include <QPrintDialog>

#include "core/signal/chunk_cache.h"
#include "support/answers.h"
#include "support/sessions.h"
#include "support/window_fixture.h"
#include "ui/segments/segment_row.h"
#include "ui/window/list_output.h"
#include "ui/window/window_memory.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;
using namespace Qt::StringLiterals;

namespace {

class Dialogs : public WindowTest {
 protected:
  void trigger(const QString& text)
  {
    for (QAction* const action : window().actions()) {
      if (action->text() == text)
        return action->trigger();
    }
    FAIL() << "there is no action " << text.toStdString();
  }
  /// What the dialog of that action was called and which kinds of files it shows, after a name was typed into it; ""
  /// leaves it without one.
  QString asked(const QString& action, const QString& path)
  {
    QString told;
    const bool came = answered<QFileDialog>([&] { trigger(action); },
                                            [&](QFileDialog& dialog) {
                                              told =
                                                  dialog.windowTitle() + u" | "_s + dialog.nameFilters().join(u" | "_s);
                                              m_proposed = dialog.findChild<QLineEdit*>(u"fileNameEdit"_s)->text();
                                              m_folder = dialog.directory().path();
                                              if (path.isEmpty())
                                                dialog.reject();
                                              else
                                                chooseFile(dialog, path);
                                            });
    EXPECT_TRUE(came);
    return told;
  }
  QString said() { return window().notice().text(); }
  QByteArray content(const QString& path)
  {
    QFile in(path);
    return in.open(QIODevice::ReadOnly) ? in.readAll() : QByteArray();
  }
  bool waitKept()
  {
    return waitFor([this] { return window().keeper().isIdle() && !window().keeper().isSaving(); });
  }
  QMenu* menu(const QString& title)
  {
    for (QMenu* const menu : window().findChildren<QMenu*>()) {
      if (menu->title() == title)
        return menu;
    }
    return nullptr;
  }
  QAction* entry(const QString& title, const QString& text)
  {
    for (QAction* const action : menu(title)->actions()) {
      if (action->text() == text)
        return action;
    }
    return nullptr;
  }

  QString m_proposed;
  QString m_folder;
};

}  // namespace

TEST_F(Dialogs, ACaptureIsChosenAndOpened)
{
  EXPECT_TRUE(asked(u"Open a capture …"_s, {}).startsWith(u"Open a capture | Captures and sessions (*.bexto *.vcd"_s));
  EXPECT_EQ(engine().capture(), nullptr) << "none was chosen";
  EXPECT_TRUE(asked(u"Open a capture …"_s, demoPath()).endsWith(u" | All files (*)"_s));
  ASSERT_TRUE(waitIdle());
  EXPECT_EQ(engine().path(), demoPath());
  asked(u"Open a capture …"_s, {});
  EXPECT_EQ(m_folder, QFileInfo(demoPath()).path()) << "the next is looked for where this one was";
  EXPECT_EQ(engine().path(), demoPath());
}

TEST_F(Dialogs, AFileIsChosenAndFollowed)
{
  EXPECT_TRUE(
      asked(u"Follow a growing capture …"_s, {}).startsWith(u"Follow a capture that is being written | Value"_s));
  EXPECT_FALSE(engine().source().isLive());
  asked(u"Follow a growing capture …"_s, demoPath());
  ASSERT_TRUE(waitFor([this] { return engine().source().isLive() && engine().capture() != nullptr; }));
  trigger(u"Add a capture to this session …"_s);
  EXPECT_EQ(said(), u"A capture grows; end that first (Ctrl+.)."_s);
  trigger(u"Stop recording, or following a file"_s);
  EXPECT_TRUE(waitFor([this] { return !engine().source().isLive(); }));
}

TEST_F(Dialogs, ACaptureIsAddedToTheSession)
{
  openDemo();
  EXPECT_TRUE(
      asked(u"Add a capture to this session …"_s, {}).startsWith(u"Add a capture to this session | Captures"_s));
  EXPECT_EQ(engine().segments().size(), 1U);
  asked(u"Add a capture to this session …"_s, demoPath());
  ASSERT_TRUE(waitFor([this] { return engine().segments().size() == 2; }));
  ASSERT_TRUE(waitIdle());
  EXPECT_EQ(engine().busCount(), 2) << "what is set up serves both";
}

TEST_F(Dialogs, ASessionIsNamedOnceAndNeverReplacesAFileUnasked)
{
  openDemo();
  EXPECT_TRUE(asked(u"Save the session"_s, {}).startsWith(u"Save the session | Sessions (*.bexto)"_s));
  EXPECT_EQ(m_proposed, u"lock-cycle.bexto"_s);
  EXPECT_EQ(said(), QString());
  asked(u"Save the session"_s, file(u"bench"_s));
  ASSERT_TRUE(waitKept());
  EXPECT_TRUE(QFile::exists(file(u"bench.bexto"_s))) << "the suffix that nobody typed";
  EXPECT_TRUE(waitFor([this] { return said() == u"Saved in bench.bexto."_s; })) << said().toStdString();
  session().addMarker(2ms);
  trigger(u"Save the session"_s);  // its name is known
  EXPECT_EQ(QApplication::activeModalWidget(), nullptr);
  ASSERT_TRUE(waitKept());

  const QString other = fileWith(u"other.bexto"_s, "what was there");
  asked(u"Save the session as …"_s, file(u"other"_s));
  EXPECT_EQ(said(), u"▲ other.bexto is there already; choose it to replace it"_s);
  EXPECT_EQ(content(other), "what was there");
  asked(u"Save the session as …"_s, file(u"second.bexto"_s));
  ASSERT_TRUE(waitKept());
  EXPECT_EQ(window().keeper().path(), file(u"second.bexto"_s));
  EXPECT_EQ(m_proposed, u"bench.bexto"_s);
  EXPECT_TRUE(QFile::exists(file(u"second.bexto"_s)));
}

TEST_F(Dialogs, BusesAreKeptAsASetUpAndPutOnAgain)
{
  open(demoPath());
  trigger(u"Keep the buses as a set-up …"_s);
  EXPECT_EQ(said(), u"There are no buses to be kept yet."_s);
  openDemo();
  EXPECT_TRUE(asked(u"Keep the buses as a set-up …"_s, {}).startsWith(u"Keep the buses as a set-up | Set-ups"_s));
  EXPECT_EQ(m_proposed, u"lock-cycle.setup.json"_s);
  EXPECT_EQ(m_folder, QFileInfo(demoPath()).path());
  asked(u"Keep the buses as a set-up …"_s, file(u"mine"_s));
  EXPECT_TRUE(content(file(u"mine.setup.json"_s)).contains("sensors"));
  asked(u"Keep the buses as a set-up …"_s, file(u"plain.json"_s));
  EXPECT_EQ(content(file(u"plain.json"_s)), content(file(u"mine.setup.json"_s))) << "a suffix of our own choice stays";

  while (engine().busCount() > 0)
    session().removeBus(id(0));
  EXPECT_TRUE(asked(u"Put a set-up on …"_s, {}).startsWith(u"Put a set-up on | Set-ups (*.json) | All files"_s));
  EXPECT_EQ(engine().busCount(), 0);
  asked(u"Put a set-up on …"_s, file(u"mine.setup.json"_s));
  ASSERT_TRUE(waitIdle());
  EXPECT_EQ(engine().busCount(), 2);
  EXPECT_EQ(said(), u"2 buses are set up."_s);
}

TEST_F(Dialogs, TheWholeListIsExportedWhateverTheFilterShows)
{
  openDemo();
  window().ledgers().filter().setText(u"address:5D"_s);
  ASSERT_TRUE(waitFor([this] { return rows().shownCount() < rows().allCount() / 2; }));
  const auto linesOf = [&](const QString& action, const QString& name) {
    EXPECT_TRUE(asked(action, file(name)).contains(u"Comma-separated values (*.csv)"_s));
    EXPECT_TRUE(waitFor([&] { return QFile::exists(file(name)) && !window().output().isWriting(); }));
    return content(file(name)).count('\n');
  };
  const auto all = linesOf(u"Export the whole list …"_s, u"all.csv"_s);
  EXPECT_EQ(m_proposed, u"lock-cycle.csv"_s);
  const auto shown = linesOf(u"Export the list as shown …"_s, u"shown.csv"_s);
  EXPECT_EQ(static_cast<std::uint64_t>(all), transactionsOf(0).size() + transactionsOf(1).size() + 1);
  EXPECT_LT(shown, all / 2);
  EXPECT_GT(shown, 1);
}

TEST_F(Dialogs, NothingIsPrintedThatWasNotWanted)
{
  openDemo();
  const bool came =
      answered<QPrintDialog>([&] { trigger(u"Print the list …"_s); }, [](QPrintDialog& dialog) { dialog.reject(); });
  EXPECT_TRUE(came);
  EXPECT_FALSE(window().output().isWriting());
  window().ledgers().filter().setText(u"address:7E"_s);
  ASSERT_TRUE(waitFor([this] { return rows().lines().empty(); }));
  QTimer::singleShot(300, &window(), [] {
    if (QWidget* const modal = QApplication::activeModalWidget()) {
      ADD_FAILURE() << "an empty list is printed";
      modal->close();
    }
  });
  trigger(u"Print the list …"_s);
  QTest::qWait(400);
}

TEST_F(Dialogs, ASegmentIsRenamedAndRemovedFromItsPill)
{
  SessionFile two;
  bexto::addBus(two.session, *parseBusSpec("talk=uart,rx=TALK,baud=100000"));
  two.segments.push_back({"first run", "2031-03-17T06:12:00Z", "", true, longTalk(100)});
  two.segments.push_back({"second <b>run", "2031-03-17T06:13:30Z", "", true, longTalk(300)});
  NoProgress progress;
  const QString path = file(u"two.bexto"_s);
  ASSERT_TRUE(writeSession(path.toStdString(), two, {}, progress));
  open(path);
  ui::SegmentRow& row = window().segments();
  ASSERT_EQ(row.pillCount(), 2);
  EXPECT_TRUE(row.pill(1).toolTip().contains(u" long, from "_s)) << row.pill(1).toolTip().toStdString();
  const auto menuEntry = [&](const QString& text) {
    return pickedFromMenu([&] { Q_EMIT row.pill(1).customContextMenuRequested({5, 5}); }, text);
  };
  const auto named = [&](const QString& name, bool good) {
    return answered<QInputDialog>([&] { EXPECT_TRUE(menuEntry(u"Rename …"_s)); },
                                  [&](QInputDialog& dialog) {
                                    m_proposed = dialog.textValue();
                                    dialog.setTextValue(name);
                                    good ? dialog.accept() : dialog.reject();
                                  });
  };
  EXPECT_TRUE(named(u"warm"_s, false));
  EXPECT_EQ(engine().segments()[1].name, "second <b>run");
  EXPECT_TRUE(named(u"warm"_s, true));
  EXPECT_EQ(m_proposed, u"second <b>run"_s);
  EXPECT_EQ(engine().segments()[1].name, "warm");
  EXPECT_TRUE(row.pill(1).text().endsWith(u" · warm"_s));

  const auto asksToRemove = [&](const std::function<void(QMessageBox&)>& answer) {
    return answered<QMessageBox>([&] { EXPECT_TRUE(menuEntry(u"Remove from the session …"_s)); },
                                 [&](QMessageBox& box) {
                                   m_proposed = box.text();
                                   answer(box);
                                 });
  };
  EXPECT_TRUE(asksToRemove([](QMessageBox& box) { QTest::keyClick(&box, Qt::Key_Return); }));
  EXPECT_EQ(engine().segments().size(), 2U) << "Return keeps it";
  EXPECT_TRUE(m_proposed.startsWith(u"Remove segment 2 · "_s)) << m_proposed.toStdString();
  EXPECT_TRUE(m_proposed.endsWith(u" · warm?"_s));
  EXPECT_TRUE(asksToRemove([](QMessageBox& box) { QTest::keyClick(&box, Qt::Key_Escape); }));
  EXPECT_EQ(engine().segments().size(), 2U);
  EXPECT_TRUE(asksToRemove([](QMessageBox& box) {
    for (QAbstractButton* const button : box.buttons()) {
      if (button->text() == u"Remove it"_s)
        return button->click();
    }
  }));
  ASSERT_TRUE(waitFor([this] { return engine().segments().size() == 1; }));
  EXPECT_EQ(engine().segments()[0].name, "first run");
  EXPECT_FALSE(row.isVisible());
}

TEST_F(Dialogs, TheLookIsChosenFromItsMenuAndKept)
{
  struct AsItWas {
    ~AsItWas()
    {
      ui::theme().setHighContrast(false);
      ui::theme().setTextSize(0);
      ui::theme().apply(ui::ThemeMode::Light);
    }
  } asItWas;
  entry(u"Look"_s, u"Dark"_s)->trigger();
  EXPECT_EQ(ui::theme().mode(), ui::ThemeMode::Dark);
  entry(u"Look"_s, u"Strong contrast"_s)->trigger();
  EXPECT_TRUE(ui::theme().isHighContrast());
  entry(u"Size of text"_s, u"150 %"_s)->trigger();
  EXPECT_EQ(ui::theme().textSize(), 150);
  // The next start of the program.
  ui::theme().setHighContrast(false);
  ui::theme().setTextSize(0);
  ui::theme().apply(ui::ThemeMode::Light);
  ui::memory::restoreLook();
  EXPECT_EQ(ui::theme().mode(), ui::ThemeMode::Dark);
  EXPECT_TRUE(ui::theme().isHighContrast());
  EXPECT_EQ(ui::theme().textSize(), 150);
  TearDown();
  const QSettings kept;
  EXPECT_EQ(kept.value(u"textSize"_s).toInt(), 150);
  const bool wasOn = kept.value(u"contrast"_s).toBool();
  EXPECT_TRUE(wasOn);
  SetUp();
  EXPECT_TRUE(entry(u"Look"_s, u"Dark"_s)->isChecked());
  EXPECT_FALSE(entry(u"Look"_s, u"Light"_s)->isChecked());
  EXPECT_TRUE(entry(u"Look"_s, u"Strong contrast"_s)->isChecked());
  EXPECT_TRUE(entry(u"Size of text"_s, u"150 %"_s)->isChecked());
  EXPECT_FALSE(entry(u"Size of text"_s, u"As the system"_s)->isChecked());
  entry(u"Look"_s, u"As the system"_s)->trigger();
  EXPECT_EQ(ui::theme().mode(), ui::ThemeMode::System);
  EXPECT_EQ(ui::memory::themeMode(), ui::ThemeMode::System);
  entry(u"Look"_s, u"Strong contrast"_s)->trigger();
  EXPECT_FALSE(ui::theme().isHighContrast());
}

TEST_F(Dialogs, TheMemoryForRecordingsIsChosenAndKept)
{
  const int before = ui::memory::cacheMegabytes();
  entry(u"Memory for recordings"_s, u"2 GB"_s)->trigger();
  EXPECT_EQ(ui::memory::cacheMegabytes(), 2048);
  entry(u"Memory for recordings"_s, u"512 MB"_s)->trigger();
  EXPECT_EQ(ui::memory::cacheMegabytes(), 512);
  ChunkCache::shared().setLimit(std::size_t{64} << 20U);
  ui::memory::restoreCache();
  EXPECT_EQ(ui::memory::cacheMegabytes(), 512);
  QSettings().setValue(u"cacheMegabytes"_s, 15);  // would not hold what is worked on
  ui::memory::restoreCache();
  EXPECT_EQ(ui::memory::cacheMegabytes(), 512);
  ui::memory::setCacheMegabytes(before);
}

TEST_F(Dialogs, WithoutWorkLeftTheMenuSaysSo)
{
  for (const ui::UnsavedWork& work : window().keeper().left())
    QFile::remove(work.path);
  Q_EMIT menu(u"Left unsaved"_s)->aboutToShow();
  ASSERT_EQ(menu(u"Left unsaved"_s)->actions().size(), 1);
  EXPECT_EQ(menu(u"Left unsaved"_s)->actions().constFirst()->text(), u"Nothing was left unsaved"_s);
  EXPECT_FALSE(menu(u"Left unsaved"_s)->actions().constFirst()->isEnabled());
}

TEST_F(Dialogs, EveryOpenedFileIsOfferedAgain)
{
  openDemo();
  ASSERT_NE(entry(u"Opened before"_s, u"lock-cycle.vcd"_s), nullptr);
  open(fileWith(u"other.vcd"_s, "$timescale 1 us $end\n$var wire 1 ! a $end\n$enddefinitions $end\n#0\n1!\n#9\n0!\n"));
  ASSERT_EQ(menu(u"Opened before"_s)->actions().size(), 2);
  EXPECT_EQ(menu(u"Opened before"_s)->actions().constFirst()->text(), u"other.vcd"_s) << "the last one first";
  entry(u"Opened before"_s, u"lock-cycle.vcd"_s)->trigger();
  ASSERT_TRUE(waitIdle());
  EXPECT_EQ(engine().path(), demoPath());
}
