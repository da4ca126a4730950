#include "core/store/session_store.h"

#include <sqlite3.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <fmt/core.h>
#include <cmath>

#include <cmath>
#include <csignal>
#include <set>

#include "core/signal/sample_clock.h"
#include "core/store/schema.h"
#include "core/store/session_recorder.h"
#include "support/sessions.h"

using namespace bexto;
using namespace bexto::test;

namespace {

Result<void> written(const std::string& path, const SessionFile& file)
{
  NoProgress progress;
  return writeSession(path, file, {}, progress);
}

std::string openError(const std::string& path)
{
  const auto opened = SessionStore::open(path);
  return opened ? std::string() : opened.error().text();
}

/// Does SQL to a file, as somebody with a tool would.
void alter(const std::string& path, const std::string& sql)
{
  sqlite3* handle = nullptr;
  ASSERT_EQ(sqlite3_open(path.c_str(), &handle), SQLITE_OK);
  EXPECT_EQ(sqlite3_exec(handle, sql.c_str(), nullptr, nullptr, nullptr), SQLITE_OK) << sqlite3_errmsg(handle);
  sqlite3_close(handle);
}

}  // namespace

TEST(SessionStore, HoldsEverything)
{
  const Folder folder;
  const SessionFile file = fullSession();
  ASSERT_TRUE(written(folder / "a.bexto", file));
  const auto opened = SessionStore::open(folder / "a.bexto");
  ASSERT_TRUE(opened) << opened.error().text();
  const SessionFile& read = opened->file;
  EXPECT_EQ(read.about, file.about);
  EXPECT_TRUE(read.session == file.session);
  EXPECT_EQ(read.session.lanes, file.session.lanes);
  EXPECT_EQ(read.session.markers, file.session.markers);
  EXPECT_EQ(read.session.view, file.session.view);
  EXPECT_EQ(read.attachments, file.attachments);
  EXPECT_EQ(read.shown, 1U);
  ASSERT_EQ(read.segments.size(), 2U);
  for (std::size_t i = 0; i < 2; ++i) {
    const Capture& before = *file.segments[i].capture;
    const Capture& after = *read.segments[i].capture;
    EXPECT_TRUE(sameTracks(before, after));
    EXPECT_EQ(after.end, before.end);
    EXPECT_EQ(after.tick, before.tick);
    EXPECT_EQ(after.rate, before.rate);
    EXPECT_EQ(after.trigger, before.trigger);
    EXPECT_EQ(after.notes, before.notes);
    EXPECT_EQ(after.source, before.source);
    EXPECT_EQ(read.segments[i].name, file.segments[i].name);
    EXPECT_EQ(read.segments[i].startedAt, file.segments[i].startedAt);
    EXPECT_EQ(read.segments[i].startedBy, file.segments[i].startedBy);
  }
  const Capture& first = *read.segments[0].capture;
  EXPECT_TRUE(first.channels[3].track.sameAs(first.channels[1].track)) << "a wire with two names is one wire";
  ASSERT_EQ(first.vectors.size(), 1U);
  EXPECT_EQ(first.vectors[0].name, "number[1:0]");
  // Ids of what is gone are not given again.
  Session session = read.session;
  EXPECT_EQ(addBus(session, Bus()), BusId{4});
}

TEST(SessionStore, OpenedAndClosedTheFileIsWhatItWas)
{
  const Folder folder;
  ASSERT_TRUE(written(folder / "a.bexto", fullSession()));
  const std::string before = contentOf(folder / "a.bexto");
  {
    const auto opened = SessionStore::open(folder / "a.bexto");
    ASSERT_TRUE(opened);
    EXPECT_EQ(opened->store->readOnly(), "");
    EXPECT_EQ(opened->file.segments[0].capture->channels[0].track.at(69999),
              fullSession().segments[0].capture->channels[0].track.at(69999));
  }
  EXPECT_EQ(contentOf(folder / "a.bexto"), before);
  EXPECT_EQ(folder.files(), 1U);
}

TEST(SessionStore, SavesWhatWasSetUp)
{
  const Folder folder;
  SessionFile file = fullSession();
  ASSERT_TRUE(written(folder / "a.bexto", file));
  auto opened = SessionStore::open(folder / "a.bexto");
  addMarker(opened->file.session, Picoseconds{99});
  opened->file.about.title = "another";
  opened->file.attachments.erase("nothing");
  ASSERT_TRUE(opened->store->save(opened->file));
  // What is open goes on, and another that looks sees the new one.
  EXPECT_TRUE(sameTracks(*opened->file.segments[0].capture, *file.segments[0].capture));
  const Session session = opened->file.session;
  opened = SessionStore::open(folder / "a.bexto");
  ASSERT_TRUE(opened);
  EXPECT_TRUE(opened->file.session == session);
  EXPECT_EQ(opened->file.about.title, "another");
  EXPECT_EQ(opened->file.attachments.size(), 2U);
  EXPECT_EQ(folder.files(), 1U);
}

TEST(SessionStore, IsWrittenOverItselfAndToAnotherName)
{
  const Folder folder;
  const SessionFile file = fullSession();
  ASSERT_TRUE(written(folder / "a.bexto", file));
  auto opened = SessionStore::open(folder / "a.bexto");
  NoProgress progress;
  ASSERT_TRUE(writeSession(folder / "b.bexto", opened->file, {}, progress, opened->store.get()));
  ASSERT_TRUE(writeSession(folder / "a.bexto", opened->file, {}, progress, opened->store.get()));
  // The one that is open is the old file, whole.
  EXPECT_TRUE(sameTracks(*opened->file.segments[0].capture, *file.segments[0].capture));
  for (const char* name : {"a.bexto", "b.bexto"}) {
    const auto copy = SessionStore::open(folder / name);
    ASSERT_TRUE(copy);
    EXPECT_TRUE(sameTracks(*copy->file.segments[0].capture, *file.segments[0].capture));
    EXPECT_TRUE(copy->file.session == file.session);
  }
}

TEST(SessionStore, InUseByAnother)
{
  const Folder folder;
  ASSERT_TRUE(written(folder / "a.bexto", fullSession()));
  const auto first = SessionStore::open(folder / "a.bexto");
  const auto second = SessionStore::open(folder / "a.bexto");
  ASSERT_TRUE(second);
  EXPECT_EQ(second->store->readOnly(),
            "it is open in another Bexto; it can be looked at here, and saved under another name");
  EXPECT_TRUE(sameTracks(*second->file.segments[0].capture, *first->file.segments[0].capture));
  EXPECT_FALSE(second->store->save(second->file));
  const std::string before = contentOf(folder / "a.bexto");
  const auto over = written(folder / "a.bexto", fullSession());
  ASSERT_FALSE(over);
  EXPECT_EQ(over.error().text(), (folder / "a.bexto") + ": it is open in another Bexto; choose another name");
  EXPECT_EQ(contentOf(folder / "a.bexto"), before);
  EXPECT_TRUE(first->store->save(first->file));
}

TEST(SessionStore, WhereNobodyMayWrite)
{
  const Folder folder;
  std::filesystem::create_directory(folder / "closed");
  ASSERT_TRUE(written(folder / "closed/a.bexto", fullSession()));
  using std::filesystem::perms;
  constexpr auto kLook = static_cast<perms>(0555);
  std::filesystem::permissions(folder / "", kLook | perms::owner_write);
  std::filesystem::permissions(folder / "closed/a.bexto", kLook);
  std::filesystem::permissions(folder / "closed", kLook);
  // In a process that is not root, who may write anywhere.
  const pid_t child = ::fork();
  if (child == 0) {
    constexpr uid_t kNobody = 65534;
    if (::geteuid() == 0 && ::setresuid(kNobody, kNobody, kNobody) != 0)
      ::_exit(9);
    const auto opened = SessionStore::open(folder / "closed/a.bexto");
    if (!opened || opened->store->readOnly() != "it may not be written to; it can be saved under another name")
      ::_exit(1);
    if (!sameTracks(*opened->file.segments[0].capture, *fullSession().segments[0].capture))
      ::_exit(2);
    ::_exit(opened->store->save(opened->file) || written(folder / "closed/b.bexto", fullSession()) ? 3 : 0);
  }
  int status = 0;
  ::waitpid(child, &status, 0);
  EXPECT_EQ(WEXITSTATUS(status), 0);
}

TEST(SessionStore, WhatIsNoSessionSaysSo)
{
  const Folder folder;
  put(folder / "text", "$timescale 1 ns $end\n");
  put(folder / "empty", "");
  EXPECT_EQ(openError(folder / "text"), (folder / "text") + ": is no Bexto session; choose another file");
  EXPECT_EQ(openError(folder / "empty"), (folder / "empty") + ": is no Bexto session; choose another file");
  EXPECT_EQ(
      openError(folder / "none"),
      (folder / "none") + ": cannot be opened: No such file or directory; check the name, and that you may read it");
  alter(folder / "other", "CREATE TABLE t (x)");
  EXPECT_EQ(openError(folder / "other"),
            (folder / "other") + ": is a database, but no Bexto session; choose another file");
  EXPECT_FALSE(looksLikeSession(folder / "text"));
  EXPECT_FALSE(looksLikeSession(folder / "none"));
}

TEST(SessionStore, OfANewerProgram)
{
  const Folder folder;
  ASSERT_TRUE(written(folder / "a.bexto", fullSession()));
  EXPECT_TRUE(looksLikeSession(folder / "a.bexto"));
  alter(folder / "a.bexto", "PRAGMA user_version = 99");
  const std::string before = contentOf(folder / "a.bexto");
  EXPECT_EQ(openError(folder / "a.bexto"),
            (folder / "a.bexto") +
                ": was written by a newer Bexto: its format is 99, and this one reads up "
                "to 8; open it with the newer one");
  EXPECT_EQ(contentOf(folder / "a.bexto"), before);
}

TEST(SessionStore, CutOffAnywhere)
{
  const Folder folder;
  ASSERT_TRUE(written(folder / "a.bexto", fullSession()));
  const std::string whole = contentOf(folder / "a.bexto");
  for (std::size_t size = 100; size < whole.size(); size += whole.size() / 23) {
    put(folder / "cut", whole.substr(0, size));
    const std::string said = openError(folder / "cut");
    EXPECT_NE(said.find("get it again from where it was copied from"), std::string::npos) << size << ": " << said;
    EXPECT_EQ(said.find('\n'), std::string::npos);
    EXPECT_EQ(contentOf(folder / "cut").size(), size) << "what is there stays";
  }
}

TEST(SessionStore, ADamagedPageIsSaidAndTheRestIsThere)
{
  const Folder folder;
  const SessionFile file = fullSession(20000);
  ASSERT_TRUE(written(folder / "a.bexto", file));
  const std::string whole = contentOf(folder / "a.bexto");
  constexpr std::size_t kPage = 16384;
  int refused = 0;
  int lost = 0;
  int opened = 0;
  for (std::size_t page = 0; page < whole.size() / kPage; ++page) {
    std::string bad = whole;
    std::mt19937_64 random(page);
    for (std::size_t i = 0; i < kPage; ++i)
      bad[page * kPage + i] = static_cast<char>(random());
    put(folder / "bad", bad);
    auto read = SessionStore::open(folder / "bad");
    if (!read) {
      ++refused;
      EXPECT_EQ(read.error().text().find('\n'), std::string::npos);
      continue;
    }
    ++opened;
    bool same = true;
    for (std::size_t i = 0; i < std::min<std::size_t>(2, read->file.segments.size()); ++i)
      same = sameTracks(*read->file.segments[i].capture, *file.segments[i].capture) && same;
    // A page that nobody needs may be damaged; what is not as it was is said.
    if (!same) {
      ++lost;
      EXPECT_GT(read->store->lost(), 0U) << page;
      EXPECT_NE(read->store->loss().text().find("the session file is damaged"), std::string::npos);
    }
    EXPECT_EQ(contentOf(folder / "bad"), bad);
  }
  EXPECT_GT(refused, 0);
  EXPECT_GT(lost, 3);
  EXPECT_GT(opened, lost - 1);
}

TEST(SessionStore, RowsThatMakeNoSense)
{
  const Folder folder;
  ASSERT_TRUE(written(folder / "a.bexto", fullSession()));
  const std::string whole = contentOf(folder / "a.bexto");
  for (const char* sql : {"UPDATE chunk SET count = 0",
                          "UPDATE chunk SET count = 4000000000",
                          "UPDATE chunk SET count = -1",
                          "UPDATE chunk SET first_ps = last_ps - count + 2",
                          "UPDATE chunk SET first_index = 1",
                          "UPDATE chunk SET first_ps = last_ps + 1",
                          "UPDATE chunk SET last_ps = -5",
                          "UPDATE chunk SET last_ps = 9223372036854775807",
                          "UPDATE chunk SET first_ps = -9223372036854775807",
                          "DELETE FROM track",
                          "DELETE FROM chunk WHERE number = 0",
                          "UPDATE vector SET width = 9000",
                          "UPDATE vector SET first_channel = -1",
                          "UPDATE channel SET track = 12345",
                          "UPDATE bus SET settings = '['",
                          "UPDATE bus SET settings = '[1]'",
                          "UPDATE bus SET protocol = 'smoke'",
                          "UPDATE bus SET settings = '[[\"baud\",\"fast\"]]'",
                          "UPDATE setting SET value = '7'",
                          "DROP TABLE marker"}) {
    put(folder / "bad", whole);
    alter(folder / "bad", sql);
    const std::string said = openError(folder / "bad");
    EXPECT_TRUE(said.starts_with(folder / "bad")) << sql << ": " << said;
    EXPECT_EQ(said.find('\n'), std::string::npos);
  }
  // What is not known is passed over, as an older program would.
  for (const char* sql : {"INSERT INTO setting VALUES ('later', '{}')", "INSERT INTO about VALUES ('later', 'x')",
                          "UPDATE segment SET notes = 'x'", "UPDATE segment SET tick_ps = -1"}) {
    put(folder / "odd", whole);
    alter(folder / "odd", sql);
    EXPECT_EQ(openError(folder / "odd"), "") << sql;
  }
}

TEST(SessionStore, ARateThatNoInstrumentHasIsNone)
{
  const Folder folder;
  ASSERT_TRUE(written(folder / "a.bexto", fullSession()));
  const auto kept = [&](double rate) {
    alter(folder / "a.bexto", fmt::format("UPDATE segment SET sample_rate = {:.17g}", rate));
    const auto opened = SessionStore::open(folder / "a.bexto");
    return opened && opened->file.segments[0].capture->rate == rate;
  };
  EXPECT_TRUE(kept(SampleClock::lowestRate()));
  EXPECT_TRUE(kept(SampleClock::highestRate()));
  EXPECT_FALSE(kept(std::nextafter(SampleClock::lowestRate(), 0.0)));
  EXPECT_FALSE(kept(2 * SampleClock::highestRate()));
}

TEST(SessionStore, EveryOlderVersionIsBroughtUpToDate)
{
  const Folder folder;
  for (std::int64_t version = 1; version < kSchemaVersion; ++version) {
    const std::string path = folder / std::to_string(version);
    {
      auto database = Database::open(path, Database::Mode::Create);
      database->run("PRAGMA page_size = 16384");
      createSchema(*database, version);
      database->run(
          "INSERT INTO about VALUES ('title', 'from before');"
          "INSERT INTO bus VALUES (5, 0, 'old', 'i2c', '[[\"scl\",\"a\"],[\"sda\",\"b\"]]', 'hex', 0);"
          "INSERT INTO marker (id, place, name, time_ps, edge, note, bus, begin_ps) VALUES (3, 0, 'A', 1000, '', 'a "
          "note', NULL, NULL)");
      ASSERT_TRUE(database->outcome());
    }
    auto opened = SessionStore::open(path);
    ASSERT_TRUE(opened) << opened.error().text();
    EXPECT_EQ(opened->file.about.title, "from before");
    EXPECT_EQ(opened->file.session.buses.at(0).bus.channelOf("sda"), "b");
    EXPECT_EQ(opened->file.session.markers.at(0).note, "a note");
    opened->file.attachments["new"] = "x";
    ASSERT_TRUE(opened->store->save(opened->file));
    EXPECT_EQ(SessionStore::open(path)->file.attachments.at("new"), "x");
  }
}

TEST(SessionStore, AFullDiskLeavesWhatWasThere)
{
  const Folder folder;
  ASSERT_TRUE(written(folder / "a.bexto", fullSession()));
  const std::string before = contentOf(folder / "a.bexto");
  SessionFile larger = fullSession();
  larger.attachments["large"] = std::string(4000000, 'x');
  // A limit of the process's files stands for the disk: in a process of its own, which the signal must not end.
  const pid_t child = ::fork();
  if (child == 0) {
    std::signal(SIGXFSZ, SIG_IGN);
    const rlimit limit{before.size() + 100000, before.size() + 100000};
    ::setrlimit(RLIMIT_FSIZE, &limit);
    auto opened = SessionStore::open(folder / "a.bexto");
    const bool saved = opened && opened->store->save(larger).has_value();
    const bool wrote = written(folder / "b.bexto", larger).has_value();
    ::_exit(saved || wrote ? 1 : 0);
  }
  int status = 0;
  ::waitpid(child, &status, 0);
  EXPECT_EQ(status, 0);
  EXPECT_EQ(folder.files(), 1U);
  const auto opened = SessionStore::open(folder / "a.bexto");
  ASSERT_TRUE(opened);
  EXPECT_TRUE(opened->file.session == fullSession().session);
  EXPECT_EQ(opened->file.attachments, fullSession().attachments);
}

TEST(SessionStore, GivenUpNothingIsLeftBehind)
{
  const Folder folder;
  std::stop_source stop;
  stop.request_stop();
  NoProgress progress;
  const auto result = writeSession(folder / "a.bexto", fullSession(), stop.get_token(), progress);
  ASSERT_FALSE(result);
  EXPECT_EQ(result.error().code, ErrorCode::Cancelled);
  EXPECT_EQ(folder.files(), 0U);
}

TEST(SessionStore, OpenedOnceMoreItIsOursWhenTheFirstIsLeft)
{
  const Folder folder;
  NoProgress progress;
  ASSERT_TRUE(writeSession(folder / "a.bexto", fullSession(10), {}, progress));
  ASSERT_TRUE(writeSession(folder / "b.bexto", fullSession(10), {}, progress));
  const auto first = SessionStore::open(folder / "a.bexto");
  ASSERT_TRUE(first);
  EXPECT_TRUE(first->store->readOnly().empty());
  const auto again = SessionStore::open(folder / "a.bexto");
  ASSERT_TRUE(again);
  EXPECT_FALSE(again->store->readOnly().empty()) << "as if another Bexto had it";
  const auto other = SessionStore::open(folder / "b.bexto");
  ASSERT_TRUE(other);
  again->store->takeOver(*other->store);
  EXPECT_FALSE(again->store->readOnly().empty()) << "that was another file";
  EXPECT_TRUE(other->store->save(other->file));
  again->store->takeOver(*first->store);
  EXPECT_TRUE(again->store->readOnly().empty());
  EXPECT_TRUE(again->store->save(again->file));
  const auto third = SessionStore::open(folder / "a.bexto");
  ASSERT_TRUE(third);
  EXPECT_FALSE(third->store->readOnly().empty()) << "the lock went along and is held";
}
