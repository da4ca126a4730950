#include <QDir>
#include <QFileDialog>
#include <QMessageBox>
#include <QMimeData>

#include "core/signal/chunk_cache.h"
#include "core/store/session_recorder.h"
#include "ui/window/window_memory.h"

using namespace bexto;
using namespace bexto::test;
using namespace bexto::ui;

namespace {

class Keeping : public WindowTest {
 protected:
  void SetUp() override
  {
    WindowTest::SetUp();
    for (const UnsavedWork& work : keeper().left())
      UnsavedFolder::remove(work.path);
  }
  SessionKeeper& keeper() { return window().keeper(); }
  bool waitKept()
  {
    return waitFor([this] { return keeper().isIdle() && !keeper().isSaving(); });
  }
  static QStringList kept() { return QDir(UnsavedFolder().path()).entryList({QStringLiteral("*.bexto")}, QDir::Files); }
  /// What a killed program leaves: the files of the open window as they are now, under another name.
  static QString crashed()
  {
    const QDir folder(UnsavedFolder().path());
    for (const QString& name : folder.entryList(QDir::Files))
      QFile::copy(folder.filePath(name), folder.filePath(QStringLiteral("crashed-") + name));
    const QStringList found = folder.entryList({QStringLiteral("crashed-*.bexto")}, QDir::Files);
    return found.isEmpty() ? QString() : folder.filePath(found.front());
  }
  void saveAs(const QString& path)
  {
    keeper().saveAs(path);
    ASSERT_TRUE(waitFor([this] { return !keeper().isSaving(); }));
    ASSERT_TRUE(waitKept());
  }
  /// Clicks the button with that text in the question that comes up.
  void answer(const QString& wanted)
  {
    QTimer::singleShot(100, &window(), [this, wanted] {
      auto* const question = window().findChild<QMessageBox*>();
      ASSERT_NE(question, nullptr);
      for (QAbstractButton* const button : question->buttons()) {
        if (button->text() == wanted)
          return button->click();
      }
      question->reject();
      ADD_FAILURE() << "no such answer: " << wanted.toStdString();
    });
  }
  /// A demo in which something of everything was done.
  void workOnDemo()
  {
    openDemo();
    const MarkerId marker = session().addMarker(Picoseconds{3205207000000}, QStringLiteral("SCL falls"));
    session().renameMarker(marker, QStringLiteral("given up"));
    session().addNote(id(0), transactionsOf(0).beginOf(5), QStringLiteral("why twice?"));
    session().setConditioning({"SDA"}, {Picoseconds{30000}, false});
    LaneArrangement lanes = session().value().lanes;
    lanes.setHeight({id(0), {}, {}}, 99);
    lanes.setColour("SCL", WireColour::Yellow);
    session().setLanes(QStringLiteral("lanes"), lanes);
    session().setFilter({"nack", {}});
    ASSERT_TRUE(waitIdle());
    const Transactions& frames = transactionsOf(0);
    focus().select(selectionOf(streamId(0, 0), frames, 5));
    focus().zoomToSelection();
    ASSERT_TRUE(waitIdle());
  }
};

}  // namespace

TEST_F(Keeping, ASessionComesBackAsItWasLeft)
{
  workOnDemo();
  saveAs(file(QStringLiteral("work.bexto")));
  EXPECT_FALSE(keeper().isModified());
  const Session before = session().value();
  const Selection selection = focus().selection();
  const TimeRange span = focus().axis().span();
  const std::uint64_t shown = rows().shownCount();
  ASSERT_TRUE(selection.valid());
  // Something else in between.
  open(fileWith(QStringLiteral("other.vcd"),
                "$timescale 1 ns $end $var wire 1 ! X $end $enddefinitions $end #0 0! #9 1!"));
  keeper().discard();
  open(file(QStringLiteral("work.bexto")));
  ASSERT_TRUE(waitFor([&] { return focus().selection() == selection; }));
  // A scroll bar beside the Timeline that is there or not makes the span some pixels longer or shorter.
  EXPECT_EQ(focus().axis().span().begin, span.begin);
  EXPECT_NEAR(toSeconds(focus().axis().span().length()), toSeconds(span.length()), 0.03 * toSeconds(span.length()));
  Session after = session().value();
  after.view.span = before.view.span;
  EXPECT_TRUE(after == before);
  EXPECT_EQ(engine().busCount(), 2);
  EXPECT_EQ(engine().capture()->channels[1].conditioning.minPulse, Picoseconds{30000});
  ASSERT_TRUE(waitFor([&] { return rows().shownCount() == shown; })) << "the filter's list";
  EXPECT_FALSE(keeper().isModified()) << "what is found out again is no change";
  EXPECT_EQ(window().windowTitle(), QStringLiteral("work.bexto – Bexto"));
  EXPECT_EQ(engine().bus(1).shown.format, ValueFormat::Text);
}

TEST_F(Keeping, WhatIsWrittenAboutASessionIsKept)
{
  openDemo();
  saveAs(file(QStringLiteral("about.bexto")));
  const auto action = [this](const QString& text) {
    const QList<QAction*> all = window().actions();
    return *std::find_if(all.begin(), all.end(), [&](const QAction* a) { return a->text() == text; });
  };
  action(QStringLiteral("About this session …"))->trigger();
  auto* dialog = window().findChild<QDialog*>(QStringLiteral("session"));
  ASSERT_NE(dialog, nullptr);
  dialog->findChild<QLineEdit*>(QStringLiteral("title"))->setText(QStringLiteral(" Lock 3 "));
  dialog->findChild<QLineEdit*>(QStringLiteral("author"))->setText(QStringLiteral("M. Okonjo"));
  dialog->findChild<QPlainTextEdit*>(QStringLiteral("description"))->setPlainText(QStringLiteral("two\nlines"));
  dialog->findChild<QPushButton*>(QStringLiteral("keep"))->click();
  EXPECT_TRUE(keeper().isModified());
  keeper().save();
  ASSERT_TRUE(waitKept());
  const auto saved = SessionStore::open(file(QStringLiteral("about.bexto")).toStdString());
  ASSERT_TRUE(saved);
  EXPECT_EQ(saved->file.about, (About{"Lock 3", "two\nlines", "M. Okonjo"}));
  // The next session begins with who wrote the last one.
  open(demoPath());
  action(QStringLiteral("About this session …"))->trigger();
  QApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
  const auto dialogs = window().findChildren<QDialog*>(QStringLiteral("session"));
  ASSERT_FALSE(dialogs.empty());
  EXPECT_EQ(dialogs.back()->findChild<QLineEdit*>(QStringLiteral("author"))->text(), QStringLiteral("M. Okonjo"));
  EXPECT_EQ(dialogs.back()->findChild<QLineEdit*>(QStringLiteral("title"))->text(), QString());
  dialogs.back()->reject();
}

TEST_F(Keeping, TheMemoryForRecordingsIsASetting)
{
  const std::size_t before = ChunkCache::shared().limit();
  memory::setCacheMegabytes(64);
  EXPECT_EQ(ChunkCache::shared().limit(), std::size_t{64} << 20U);
  ChunkCache::shared().setLimit(before);
  memory::restoreCache();
  EXPECT_EQ(memory::cacheMegabytes(), 64);
  ChunkCache::shared().setLimit(before);
  QSettings().remove(QStringLiteral("cacheMegabytes"));
}

TEST_F(Keeping, ChangesAreSeenInTheTitleAndSavedByAKey)
{
  openDemo();
  saveAs(file(QStringLiteral("a.bexto")));
  session().addMarker(Picoseconds{1000});
  EXPECT_TRUE(keeper().isModified());
  EXPECT_EQ(window().windowTitle(), QStringLiteral("a.bexto · not saved – Bexto"));
  session().undo();
  EXPECT_FALSE(keeper().isModified()) << "going back to what was saved is no change";
  session().redo();
  QTest::keyClick(&window(), Qt::Key_S, Qt::ControlModifier);
  ASSERT_TRUE(waitKept());
  EXPECT_EQ(window().windowTitle(), QStringLiteral("a.bexto – Bexto"));
  EXPECT_EQ(window().notice().text(), QStringLiteral("Saved in a.bexto."));
  EXPECT_EQ(memory::recentFiles().value(0), file(QStringLiteral("a.bexto")));
  EXPECT_TRUE(window().isVisible()) << "saved twice is still no wish to close";
  session().undo();
  EXPECT_TRUE(session().markers().empty()) << "the way back leads across saving";
  EXPECT_TRUE(keeper().isModified());
}

TEST_F(Keeping, ACaptureIsKeptFromItsFirstMomentAndGoneWhenNobodyChangedIt)
{
  open(demoPath());
  ASSERT_TRUE(waitKept());
  EXPECT_EQ(kept().size(), 1);
  EXPECT_TRUE(keeper().left().empty()) << "it is open here";
  open(demoPath());
  ASSERT_TRUE(waitFor([this] { return keeper().isIdle() && kept().size() == 1; })) << kept().size();
}

TEST_F(Keeping, AfterAKillItIsOffered)
{
  workOnDemo();
  ASSERT_TRUE(waitKept());
  const Session before = session().value();
  const QString left = crashed();
  ASSERT_FALSE(left.isEmpty());
  keeper().discard();
  ASSERT_TRUE(waitKept());
  const std::vector<UnsavedWork> works = keeper().left();
  ASSERT_EQ(works.size(), 1U);
  EXPECT_EQ(works[0].name, QStringLiteral("lock-cycle.vcd"));
  keeper().restore(works[0].path);
  ASSERT_TRUE(waitIdle());
  Session after = session().value();
  EXPECT_EQ(after.buses, before.buses);
  EXPECT_EQ(after.markers, before.markers);
  EXPECT_EQ(after.lanes, before.lanes);
  EXPECT_EQ(engine().capture()->channels.size(), 3U);
  EXPECT_EQ(engine().capture()->channels[0].track.size(), cycle().capture.channels[0].track.size());
  EXPECT_TRUE(keeper().isModified());
  EXPECT_TRUE(keeper().path().isEmpty());
  EXPECT_TRUE(window().windowTitle().contains(QStringLiteral("not saved")));
  // It goes on being kept, and once it has a name it is in the folder no more.
  session().addMarker(Picoseconds{5});
  saveAs(file(QStringLiteral("saved.bexto")));
  ASSERT_TRUE(waitFor([] { return kept().isEmpty(); }));
  EXPECT_EQ(SessionStore::open(file(QStringLiteral("saved.bexto")).toStdString())->file.session.markers.size(), 3U);
}

TEST_F(Keeping, ChangesToASavedSessionAreOfferedWithIt)
{
  openDemo();
  saveAs(file(QStringLiteral("a.bexto")));
  session().addMarker(Picoseconds{777});
  ASSERT_TRUE(waitKept());
  ASSERT_FALSE(crashed().isEmpty());
  keeper().discard();
  open(demoPath());  // lets go of a.bexto
  keeper().discard();
  ASSERT_TRUE(waitKept());
  const std::vector<UnsavedWork> works = keeper().left();
  ASSERT_EQ(works.size(), 1U);
  EXPECT_EQ(works[0].name, QStringLiteral("a.bexto"));
  keeper().restore(works[0].path);
  ASSERT_TRUE(waitIdle());
  ASSERT_EQ(session().markers().size(), 1U);
  EXPECT_EQ(engine().capture()->channels.size(), 3U) << "the wires are those of the file";
  EXPECT_EQ(keeper().path(), file(QStringLiteral("a.bexto")));
  window().save();
  ASSERT_TRUE(waitFor([this] { return !keeper().isSaving(); }));
  EXPECT_FALSE(keeper().isModified());
  EXPECT_EQ(window().notice().text(), QStringLiteral("Saved in a.bexto."));
}

TEST_F(Keeping, OpeningAnotherKeepsWhatWasNotSaved)
{
  openDemo();
  ASSERT_TRUE(waitKept());
  open(fileWith(QStringLiteral("b.vcd"),
                "$timescale 1 ns $end $var wire 1 ! SCL $end $enddefinitions $end #0 0! #9 1!"));
  ASSERT_TRUE(waitKept());
  EXPECT_EQ(engine().busCount(), 2) << "another capture takes the buses over";
  ASSERT_EQ(keeper().left().size(), 1U);
  EXPECT_EQ(keeper().left()[0].name, QStringLiteral("lock-cycle.vcd"));
}

TEST_F(Keeping, AChangeYoungerThanASecondIsKeptToo)
{
  openDemo();
  saveAs(file(QStringLiteral("a.bexto")));
  session().addMarker(Picoseconds{4711});
  open(demoPath());
  ASSERT_TRUE(waitKept());
  const std::vector<UnsavedWork> works = keeper().left();
  ASSERT_EQ(works.size(), 1U);
  EXPECT_EQ(works[0].name, QStringLiteral("a.bexto"));
  keeper().discard();
  keeper().restore(works[0].path);
  ASSERT_TRUE(waitFor([this] { return session().markers().size() == 1; }));
  EXPECT_EQ(session().markers()[0].time, Picoseconds{4711});
  EXPECT_EQ(engine().capture()->channels.size(), 3U);
}

TEST_F(Keeping, OpeningSomethingElseWhileUnsavedWorkOpensIsNoRestoring)
{
  openDemo();
  saveAs(file(QStringLiteral("a.bexto")));
  session().addMarker(Picoseconds{1});
  open(demoPath());
  ASSERT_TRUE(waitKept());
  keeper().discard();
  ASSERT_EQ(keeper().left().size(), 1U);
  keeper().restore(keeper().left()[0].path);
  open(file(QStringLiteral("a.bexto")));
  EXPECT_FALSE(keeper().isModified());
  EXPECT_TRUE(session().markers().empty());
  EXPECT_EQ(keeper().path(), file(QStringLiteral("a.bexto")));
}

TEST_F(Keeping, ASaveThatEndsLateIsNotTheNextOnes)
{
  openDemo();
  ASSERT_TRUE(waitKept());
  // Another capture comes before anybody hears of the save's end.
  keeper().saveAs(file(QStringLiteral("late.bexto")));
  engine().source().drop();
  Q_EMIT engine().sessionLeaving();
  ASSERT_TRUE(waitFor([this] { return !keeper().isSaving(); }));
  EXPECT_TRUE(keeper().path().isEmpty()) << "the next one would be saved over it";
  const auto saved = SessionStore::open(file(QStringLiteral("late.bexto")).toStdString());
  ASSERT_TRUE(saved);
  EXPECT_EQ(saved->file.session.buses.size(), 2U);
}

TEST_F(Keeping, ClosingAsksOnce)
{
  openDemo();
  answer(QStringLiteral("Go on working"));
  EXPECT_FALSE(window().close());
  EXPECT_TRUE(window().isVisible());
  answer(QStringLiteral("Close without saving"));
  EXPECT_TRUE(window().close());
  EXPECT_TRUE(window().close()) << "once is enough";
  ASSERT_TRUE(waitFor([] { return kept().isEmpty(); }));
}

TEST_F(Keeping, ClosingSavesAndCloses)
{
  openDemo();
  saveAs(file(QStringLiteral("a.bexto")));
  session().addMarker(Picoseconds{1});
  answer(QStringLiteral("Save"));
  EXPECT_FALSE(window().close()) << "not before it is written";
  ASSERT_TRUE(waitFor([this] { return !window().isVisible(); }));
  EXPECT_EQ(SessionStore::open(file(QStringLiteral("a.bexto")).toStdString())->file.session.markers.size(), 1U);
}

TEST_F(Keeping, WhatNobodyChangedAsksNothing)
{
  open(demoPath());
  EXPECT_TRUE(window().close());
}

TEST_F(Keeping, ASecondWindowLooksOnly)
{
  openDemo();
  saveAs(file(QStringLiteral("a.bexto")));
  Workspace second;
  second.engine.source().open(file(QStringLiteral("a.bexto")));
  ASSERT_TRUE(waitFor([&] { return second.engine.capture() != nullptr; }));
  EXPECT_EQ(second.keeper.readOnly(),
            QStringLiteral("it is open in another Bexto; it can be looked at here, and saved under another name"));
  EXPECT_EQ(second.engine.busCount(), 2);
}

TEST_F(Keeping, ASaveThatFailsSaysWhyAndStaysUnsaved)
{
  openDemo();
  ASSERT_TRUE(waitKept());
  keeper().saveAs(QStringLiteral("/nowhere/a.bexto"));
  ASSERT_TRUE(waitFor([this] { return !keeper().isSaving(); }));
  EXPECT_EQ(window().notice().text(),
            QStringLiteral("▲ /nowhere/a.bexto: cannot be written: No such file or directory; choose another place"));
  EXPECT_TRUE(keeper().isModified());
  EXPECT_TRUE(keeper().path().isEmpty());
  ASSERT_TRUE(waitKept());
  EXPECT_EQ(kept().size(), 1) << "it is in the folder of unsaved work as before";
}

TEST_F(Keeping, WithoutAPlaceForUnsavedWorkItSaysSoOnce)
{
  const QByteArray before = qgetenv("XDG_STATE_HOME");
  qputenv("XDG_STATE_HOME", "/proc/nowhere");
  {
    Workspace other;
    QStringList said;
    QObject::connect(&other.keeper, &SessionKeeper::failed, [&](const QString& text) { said << text; });
    other.engine.source().open(demoPath());
    ASSERT_TRUE(waitFor([&] { return !said.isEmpty(); }));
    other.session.addMarker(Picoseconds{1});
    QTest::qWait(1300);
    EXPECT_EQ(said.size(), 1);
    EXPECT_TRUE(said[0].startsWith(QStringLiteral("Unsaved work cannot be kept safe: /proc/nowhere/bexto/unsaved/")));
  }
  qputenv("XDG_STATE_HOME", before);
}

TEST_F(Keeping, AGrowingCaptureIsKeptAsItGrows)
{
  const QString path = fileWith(QStringLiteral("live.vcd"),
                                "$timescale 1 us $end $var wire 1 ! A $end $enddefinitions $end #0 0! #5 1!\n#9 0!\n");
  engine().source().follow(path);
  ASSERT_TRUE(waitFor([this] { return engine().isLive(); }));
  ASSERT_TRUE(waitFor([this] { return keeper().isIdle() && kept().size() == 1; }));
  std::ofstream(path.toStdString(), std::ios::app) << "#20 1!\n#30 0!\n#40 1!\n#50 0!\n";
  ASSERT_TRUE(waitFor([this] { return engine().capture()->channels[0].track.size() > 3; }));
  const QString kept1 = UnsavedFolder().path() + QLatin1Char('/') + kept().front();
  const auto recorded = [&] {
    const auto opened = SessionStore::open(kept1.toStdString());
    return opened && !opened->file.segments.empty() ? opened->file.segments[0].capture->channels[0].track.size() : 0U;
  };
  ASSERT_TRUE(waitFor([&] { return recorded() == engine().capture()->channels[0].track.size(); }));
  EXPECT_FALSE(SessionStore::open(kept1.toStdString())->file.segments[0].whole);
  // Saved before its end, it is not saved for long.
  saveAs(file(QStringLiteral("live.bexto")));
  EXPECT_FALSE(keeper().isModified());
  std::ofstream(path.toStdString(), std::ios::app) << "#60 1!\n#70 0!\n#80 1!\n";
  ASSERT_TRUE(waitFor([this] { return keeper().isModified(); }));
  engine().source().end();
  ASSERT_TRUE(waitFor([this] { return !engine().isLive(); }));
  keeper().save();
  ASSERT_TRUE(waitFor([this] { return !keeper().isSaving(); }));
  EXPECT_FALSE(keeper().isModified());
  const auto saved = SessionStore::open(file(QStringLiteral("live.bexto")).toStdString());
  ASSERT_TRUE(saved);
  EXPECT_TRUE(saved->file.segments[0].whole);
  EXPECT_EQ(saved->file.segments[0].capture->channels[0].track.size(), engine().capture()->channels[0].track.size());
}

TEST_F(Keeping, OnlySoManyAreLeft)
{
  for (int i = 0; i < 13; ++i)
    ASSERT_TRUE((*SessionRecorder::create(UnsavedFolder().newFile().toStdString()))->set({}));
  UnsavedFolder().prune();
  EXPECT_EQ(keeper().left().size(), 10U);
  keeper().forget(keeper().left()[0].path);
  EXPECT_EQ(keeper().left().size(), 9U);
}

TEST_F(Keeping, BusesAskedForComeToThoseOfASession)
{
  openDemo();
  saveAs(file(QStringLiteral("a.bexto")));
  const std::vector<Bus> asked{*parseBusSpec("sensors=i2c,scl=SCL,sda=SDA,spike=50ns"),
                               *parseBusSpec("more=uart,rx=CONSOLE_TX,baud=115200")};
  window().openWith(file(QStringLiteral("a.bexto")), asked);
  ASSERT_TRUE(waitFor([this] { return engine().busCount() == 3; }));
  EXPECT_EQ(engine().bus(0).wanted, asked[0]) << "in the place of the one of its name";
  EXPECT_EQ(engine().bus(1).wanted.name, "console");
  EXPECT_EQ(engine().bus(2).wanted, asked[1]);
  EXPECT_TRUE(keeper().isModified());
  EXPECT_EQ(window().notice().text(), QString()) << "nobody left it, and nobody else has it";
  // Once, and not for what is opened later.
  window().openCapture(file(QStringLiteral("a.bexto")));
  ASSERT_TRUE(waitFor([this] { return engine().busCount() == 2; }));
}

TEST_F(Keeping, TheSessionThatIsOpenCanBeOpenedAgain)
{
  openDemo();
  const QString path = file(QStringLiteral("a.bexto"));
  saveAs(path);
  session().removeBus(id(1));
  open(path);
  EXPECT_EQ(engine().busCount(), 2) << "as it was saved";
  EXPECT_EQ(keeper().readOnly(), QString()) << "nobody else has it";
  EXPECT_EQ(window().notice().text(), QString());
  session().removeBus(id(0));
  keeper().save();
  ASSERT_TRUE(waitFor([this] { return !keeper().isSaving() && !keeper().isModified(); }));
  open(demoPath());
  open(path);
  EXPECT_EQ(engine().busCount(), 1);
  EXPECT_EQ(engine().bus(0).wanted.name, "console");
}
