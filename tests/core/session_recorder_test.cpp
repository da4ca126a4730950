#include "core/store/session_recorder.h"

#include <sqlite3.h>
#include <sys/wait.h>
#include <unistd.h>
#include <filesystem>

#include <csignal>
#include <cstring>

#include "core/store/session_store.h"
#include "support/sessions.h"

using namespace bexto;
using namespace bexto::test;

namespace {

Segment segmentOf(std::size_t edges, bool whole = false)
{
  return {"run", "", "", whole, std::make_shared<const Capture>(capturedFor(edges))};
}

Result<void> record(SessionRecorder& recorder, const Segment& segment)
{
  NoProgress progress;
  return recorder.record(0, segment, {}, progress);
}

/// Whether all of `shorter` is what `longer` begins with.
bool isBeginOf(const Capture& shorter, const Capture& longer)
{
  for (std::size_t i = 0; i < shorter.channels.size(); ++i) {
    const EdgeTrack& a = shorter.channels[i].track;
    const EdgeTrack& b = longer.channels[i].track;
    if (a.size() > b.size())
      return false;
    for (std::uint64_t edge = 0; edge < a.size(); ++edge) {
      if (a.at(edge) != b.at(edge))
        return false;
    }
  }
  return true;
}

// ---- A file system in which the n-th write fails, and all after it: what SQLite asks the disk for goes through here.

int writesLeft = -1;  ///< −1: nothing fails

struct FailingFile {
  sqlite3_file base;
  sqlite3_file* real;
};

sqlite3_file* realOf(sqlite3_file* file)
{
  return reinterpret_cast<FailingFile*>(file)->real;
}

bool fails()
{
  if (writesLeft < 0)
    return false;
  if (writesLeft == 0)
    return true;
  --writesLeft;
  return false;
}

const sqlite3_io_methods& failingMethods()
{
  static const sqlite3_io_methods kMethods = [] {
    sqlite3_io_methods m{};
    m.iVersion = 2;
    m.xClose = [](sqlite3_file* f) { return realOf(f)->pMethods->xClose(realOf(f)); };
    m.xRead = [](sqlite3_file* f, void* to, int n, sqlite3_int64 at) {
      return realOf(f)->pMethods->xRead(realOf(f), to, n, at);
    };
    m.xWrite = [](sqlite3_file* f, const void* from, int n, sqlite3_int64 at) {
      return fails() ? SQLITE_IOERR_WRITE : realOf(f)->pMethods->xWrite(realOf(f), from, n, at);
    };
    m.xTruncate = [](sqlite3_file* f, sqlite3_int64 size) { return realOf(f)->pMethods->xTruncate(realOf(f), size); };
    m.xSync = [](sqlite3_file* f, int flags) {
      return fails() ? SQLITE_IOERR_FSYNC : realOf(f)->pMethods->xSync(realOf(f), flags);
    };
    m.xFileSize = [](sqlite3_file* f, sqlite3_int64* size) { return realOf(f)->pMethods->xFileSize(realOf(f), size); };
    m.xLock = [](sqlite3_file* f, int lock) { return realOf(f)->pMethods->xLock(realOf(f), lock); };
    m.xUnlock = [](sqlite3_file* f, int lock) { return realOf(f)->pMethods->xUnlock(realOf(f), lock); };
    m.xCheckReservedLock = [](sqlite3_file* f, int* out) {
      return realOf(f)->pMethods->xCheckReservedLock(realOf(f), out);
    };
    m.xFileControl = [](sqlite3_file* f, int op, void* arg) {
      return realOf(f)->pMethods->xFileControl(realOf(f), op, arg);
    };
    m.xSectorSize = [](sqlite3_file* f) { return realOf(f)->pMethods->xSectorSize(realOf(f)); };
    m.xDeviceCharacteristics = [](sqlite3_file* f) { return realOf(f)->pMethods->xDeviceCharacteristics(realOf(f)); };
    m.xShmMap = [](sqlite3_file* f, int page, int size, int extend, void volatile** out) {
      return realOf(f)->pMethods->xShmMap(realOf(f), page, size, extend, out);
    };
    m.xShmLock = [](sqlite3_file* f, int at, int n, int flags) {
      return realOf(f)->pMethods->xShmLock(realOf(f), at, n, flags);
    };
    m.xShmBarrier = [](sqlite3_file* f) { realOf(f)->pMethods->xShmBarrier(realOf(f)); };
    m.xShmUnmap = [](sqlite3_file* f, int remove) { return realOf(f)->pMethods->xShmUnmap(realOf(f), remove); };
    return m;
  }();
  return kMethods;
}

/// Every database of the program is opened through it as long as it lives.
class FailingDisk {
 public:
  FailingDisk() : m_real(sqlite3_vfs_find(nullptr))
  {
    m_vfs = *m_real;
    m_vfs.zName = "failing";
    m_vfs.pAppData = m_real;
    m_vfs.szOsFile = static_cast<int>(sizeof(FailingFile)) + m_real->szOsFile;
    m_vfs.xOpen = [](sqlite3_vfs* vfs, const char* name, sqlite3_file* file, int flags, int* out) {
      auto* const real = static_cast<sqlite3_vfs*>(vfs->pAppData);
      auto* const failing = reinterpret_cast<FailingFile*>(file);
      failing->real = reinterpret_cast<sqlite3_file*>(failing + 1);
      const int code = real->xOpen(real, name, failing->real, flags, out);
      failing->base.pMethods = failing->real->pMethods == nullptr ? nullptr : &failingMethods();
      return code;
    };
    sqlite3_vfs_register(&m_vfs, 1);
  }
  ~FailingDisk()
  {
    writesLeft = -1;
    sqlite3_vfs_register(m_real, 1);
    sqlite3_vfs_unregister(&m_vfs);
  }
  FailingDisk(const FailingDisk&) = delete;
  FailingDisk& operator=(const FailingDisk&) = delete;

 private:
  sqlite3_vfs* m_real;
  sqlite3_vfs m_vfs{};
};

/// But for the segment that markers are in: one of those that were set up is not recorded here.
bool sameValue(Session a, Session b)
{
  for (Session* const s : {&a, &b}) {
    for (Marker& marker : s->markers)
      marker.segment = SegmentId::None;
    s->segment = SegmentId::None;
  }
  return a == b;
}

}  // namespace

TEST(SessionRecorder, GrowsPieceByPieceAndIsOneFileAtTheEnd)
{
  const Folder folder;
  const SessionFile file = fullSession();
  {
    auto recorder = SessionRecorder::create(folder / "a.bexto");
    ASSERT_TRUE(recorder) << recorder.error().text();
    // Ends inside a block, at the end of one, of a chunk, and just behind it.
    for (const std::size_t edges : {0U, 1U, 100U, 128U, 65535U, 65536U, 65537U, 131072U, 140001U, 140001U})
      ASSERT_TRUE(record(**recorder, segmentOf(edges)));
    ASSERT_TRUE((*recorder)->set(file));
    ASSERT_TRUE(record(**recorder, segmentOf(150000, true)));
  }
  EXPECT_EQ(folder.files(), 1U);
  const auto opened = SessionStore::open(folder / "a.bexto");
  ASSERT_TRUE(opened) << opened.error().text();
  EXPECT_TRUE(sameTracks(*opened->file.segments.at(0).capture, capturedFor(150000)));
  EXPECT_TRUE(sameValue(opened->file.session, file.session));
  EXPECT_EQ(opened->store->lost(), 0U);
}

TEST(SessionRecorder, IsReadWhileItIsWritten)
{
  const Folder folder;
  auto recorder = SessionRecorder::create(folder / "a.bexto");
  ASSERT_TRUE(record(**recorder, segmentOf(70000)));
  const auto early = SessionStore::open(folder / "a.bexto");
  ASSERT_TRUE(early) << early.error().text();
  EXPECT_NE(early->store->readOnly(), "");
  ASSERT_TRUE(record(**recorder, segmentOf(90000)));
  // What was opened stays as it was, though its last chunk has been written anew since.
  EXPECT_TRUE(sameTracks(*early->file.segments.at(0).capture, capturedFor(70000)));
  EXPECT_EQ(early->store->lost(), 0U);
  const auto late = SessionStore::open(folder / "a.bexto");
  ASSERT_TRUE(late);
  EXPECT_TRUE(sameTracks(*late->file.segments.at(0).capture, capturedFor(90000)));
  EXPECT_EQ(late->file.segments.at(0).capture->notes.size(), 1U) << "says that it was cut off";
}

TEST(SessionRecorder, KilledAtAnyMoment)
{
  constexpr std::size_t kStep = 2000;
  const Capture all = capturedFor(kStep * 60);
  std::vector<Capture> grown;
  for (std::size_t i = 1; i <= 60; ++i)
    grown.push_back(capturedFor(kStep * i));
  std::mt19937_64 random(50);
  int unfinished = 0;
  for (int round = 0; round < 50; ++round) {
    const Folder folder;
    std::array<int, 2> pipe{};
    ASSERT_EQ(::pipe(pipe.data()), 0);
    const pid_t child = ::fork();
    if (child == 0) {
      auto recorder = SessionRecorder::create(folder / "a.bexto");
      for (std::size_t i = 0; recorder && i < grown.size(); ++i) {
        if (!record(**recorder, {"run", "", "", false, std::make_shared<const Capture>(grown[i])}))
          ::_exit(1);
        const auto done = static_cast<char>(i + 1);
        if (::write(pipe[1], &done, 1) != 1)
          ::_exit(1);
      }
      ::pause();
      ::_exit(1);
    }
    ::close(pipe[1]);
    // After some promises, in the middle of whatever it does then.
    std::size_t recorded = 0;
    char done = 0;
    for (std::size_t wait = 1 + random() % 40; recorded < wait && ::read(pipe[0], &done, 1) == 1;)
      recorded = static_cast<std::size_t>(done);
    ::usleep(static_cast<useconds_t>(random() % 5000));
    ::kill(child, SIGKILL);
    int status = 0;
    ::waitpid(child, &status, 0);
    ASSERT_TRUE(WIFSIGNALED(status)) << "it ended by itself";
    while (::read(pipe[0], &done, 1) == 1)
      recorded = static_cast<std::size_t>(done);
    ::close(pipe[0]);
    ASSERT_GT(recorded, 0U);
    const auto opened = SessionStore::open(folder / "a.bexto");
    ASSERT_TRUE(opened) << opened.error().text();
    EXPECT_EQ(opened->store->readOnly(), "");
    const Segment& segment = opened->file.segments.at(0);
    EXPECT_GE(segment.capture->channels[0].track.size(), recorded * kStep) << "what was recorded is there";
    EXPECT_TRUE(isBeginOf(*segment.capture, all));
    EXPECT_EQ(opened->store->lost(), 0U);
    EXPECT_TRUE(!segment.capture->notes.empty() &&
                segment.capture->notes.back().starts_with("the recording was cut off"));
    EXPECT_EQ(folder.files(), 1U);
    unfinished += recorded < grown.size() ? 1 : 0;
  }
  EXPECT_GT(unfinished, 30) << "most were killed while they wrote";
}

// The n-th write fails and all that follow, for every n until nothing fails any more.
TEST(SessionRecorder, WhicheverWriteFailsWhatWasThereIsThere)
{
  const SessionFile file = fullSession(500);
  SessionFile later = file;
  later.about.title = "later";
  addMarker(later.session, Picoseconds{5});
  bool whole = false;
  for (int n = 0; !whole; ++n) {
    ASSERT_LT(n, 3000);
    const Folder folder;
    const std::string path = folder / "a.bexto";
    bool recorded = false;
    {
      const FailingDisk disk;
      auto recorder = SessionRecorder::create(path);
      ASSERT_TRUE(recorder);
      ASSERT_TRUE(record(**recorder, segmentOf(300)));
      ASSERT_TRUE((*recorder)->set(file));
      writesLeft = n;
      recorded = record(**recorder, segmentOf(900)).has_value();
      const bool set = (*recorder)->set(later).has_value();
      whole = recorded && set;
      (*recorder).reset();
    }
    const auto opened = SessionStore::open(path);
    ASSERT_TRUE(opened) << n << ": " << opened.error().text();
    const Capture& capture = *opened->file.segments.at(0).capture;
    EXPECT_TRUE(sameTracks(capture, capturedFor(900)) || (!recorded && sameTracks(capture, capturedFor(300)))) << n;
    EXPECT_TRUE(sameValue(opened->file.session, later.session) ||
                (!whole && sameValue(opened->file.session, file.session)))
        << n;
    EXPECT_EQ(opened->store->lost(), 0U);
  }
}

TEST(SessionRecorder, ASaveThatFailsAnywhereLeavesTheOldOne)
{
  const SessionFile file = fullSession(500);
  SessionFile later = file;
  later.about.title = "later";
  addMarker(later.session, Picoseconds{5});
  const Folder folder;
  NoProgress progress;
  ASSERT_TRUE(writeSession(folder / "first", file, {}, progress));
  const std::string first = contentOf(folder / "first");
  bool saved = false;
  for (int n = 0; !saved; ++n) {
    ASSERT_LT(n, 3000);
    const std::string path = folder / "a.bexto";
    put(path, first);
    {
      const FailingDisk disk;
      auto opened = SessionStore::open(path);
      ASSERT_TRUE(opened);
      writesLeft = n;
      saved = opened->store->save(later).has_value();
    }
    const auto opened = SessionStore::open(path);
    ASSERT_TRUE(opened) << n << ": " << opened.error().text();
    EXPECT_TRUE(opened->file.session == (saved ? later : file).session ||
                (!saved && opened->file.session == later.session))
        << n;
    EXPECT_TRUE(sameTracks(*opened->file.segments.at(0).capture, *file.segments.at(0).capture));
  }
  for (int n = 0;; ++n) {
    bool wrote = false;
    {
      const FailingDisk disk;
      writesLeft = n;
      wrote = writeSession(folder / "first", later, {}, progress).has_value();
    }
    if (wrote)
      break;
    ASSERT_EQ(contentOf(folder / "first"), first) << n;
    ASSERT_EQ(folder.files(), 2U) << "nothing is left behind";
  }
}

namespace {

/// Nothing can be read from it.
class NoChunks final : public ChunkSource {
 public:
  std::optional<ChunkSummary> readSummary(std::int64_t /*key*/, const ChunkFacts& /*facts*/) const override
  {
    return std::nullopt;
  }
  std::optional<PackedBytes> readBytes(std::int64_t /*key*/, const ChunkFacts& /*facts*/,
                                       const ChunkSummary& /*summary*/) const override
  {
    return std::nullopt;
  }
};

}  // namespace

TEST(SessionRecorder, WhatIsOnTheDiskNeedNotStayInMemory)
{
  const Folder folder;
  const std::string path = folder / "recording.bexto";
  auto recorder = SessionRecorder::create(path);
  ASSERT_TRUE(recorder);
  NoProgress progress;
  EdgeTrackBuilder builder;
  builder.set(0, false);
  Segment segment{"a", {}, {}, false, {}};
  std::int64_t time = 0;
  std::size_t replaced = 0;
  for (int piece = 0; piece < 40; ++piece) {
    for (int i = 0; i < 10'000; ++i)
      builder.toggle(time += 1000 + i % 7);
    auto capture = std::make_shared<Capture>();
    capture->channels.push_back({"A", "A", builder.snapshot()});
    capture->end = Picoseconds{time};
    segment.capture = capture;
    ASSERT_TRUE((*recorder)->record(0, segment, {}, progress));
    for (auto& kept : (*recorder)->takeOnDisk(0, segment)) {
      EXPECT_EQ(kept.channel, 0U);
      builder.replaceChunk(kept.number, kept.chunk);
      ++replaced;
    }
  }
  EXPECT_EQ(replaced, 6U) << "six full chunks of 400 000 transitions";
  EdgeTrack track = builder.snapshot();
  EXPECT_EQ(track.size(), 400'000U);
  EXPECT_LT(track.bytes(), std::size_t{200'000}) << "the open chunk, and summaries as far as they were read";
  std::int64_t expected = 0;
  std::uint64_t wrong = 0;
  for (std::uint64_t i = 0; i < track.size(); ++i)
    wrong += track.at(i).count() != (expected += 1000 + static_cast<std::int64_t>(i % 10'000) % 7) ? 1U : 0U;
  EXPECT_EQ(wrong, 0U);
  // A chunk of something else is not taken for one of these.
  EdgeTrackBuilder other;
  other.set(0, false);
  for (int i = 0; i < 70'000; ++i)
    other.toggle(1 + i);
  builder.replaceChunk(
      0, std::make_shared<const EdgeChunk>(other.snapshot().chunk(0).facts(), std::make_shared<const NoChunks>(), 0));
  EXPECT_EQ(builder.snapshot().at(5).count(), track.at(5).count());
  segment.whole = true;
  ASSERT_TRUE((*recorder)->record(0, segment, {}, progress));
  // From there into another file, as it stands.
  SessionFile copy;
  copy.segments.push_back({"copy", {}, {}, true, std::make_shared<const Capture>(*segment.capture)});
  auto changed = std::make_shared<Capture>(*segment.capture);
  changed->channels[0].track = track;
  copy.segments[0].capture = changed;
  ASSERT_TRUE(writeSession(folder / "copy.bexto", copy, {}, progress));
  const auto copied = SessionStore::open(folder / "copy.bexto");
  ASSERT_TRUE(copied);
  EXPECT_EQ(copied->file.segments[0].capture->channels[0].track.at(399'999), track.at(399'999));
  // Once nobody reads from it any more it is a file at rest like any other.
  copy.segments.clear();
  changed.reset();
  segment.capture.reset();
  builder = EdgeTrackBuilder();
  track = EdgeTrack();
  recorder->reset();
  const auto opened = SessionStore::open(path);
  ASSERT_TRUE(opened) << opened.error().text();
  EXPECT_EQ(opened->file.segments[0].capture->channels[0].track.size(), 400'000U);
  EXPECT_FALSE(std::filesystem::exists(path + "-wal"));
}
