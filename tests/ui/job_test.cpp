#include "ui/job/job.h"

#include <QSignalSpy>
#include <QtTest/QTest>
#include <atomic>
#include <thread>

using namespace bexto::ui;

namespace {

void workUntilStopped(JobRun& run)
{
  while (!run.stop().stop_requested())
    std::this_thread::sleep_for(std::chrono::milliseconds(1));
}

}  // namespace

TEST(Job, PostsArriveOnTheUiThreadAndThenItFinishes)
{
  Job job;
  QSignalSpy finished(&job, &Job::finished);
  QThread* where = nullptr;
  job.start([&where](JobRun& run) { run.post([&where] { where = QThread::currentThread(); }); });
  EXPECT_TRUE(job.isRunning());
  ASSERT_TRUE(finished.wait());
  EXPECT_EQ(where, QThread::currentThread());
  EXPECT_FALSE(job.isRunning());
}

TEST(Job, ANewerStartMakesTheOldersPostsVanish)
{
  Job job;
  QSignalSpy finished(&job, &Job::finished);
  std::string seen;
  job.start([&seen](JobRun& run) {
    workUntilStopped(run);
    run.post([&seen] { seen += "old"; });
  });
  job.start([&seen](JobRun& run) { run.post([&seen] { seen += "new"; }); });
  ASSERT_TRUE(finished.wait());
  QTest::qWait(50);
  EXPECT_EQ(seen, "new");
  EXPECT_EQ(finished.count(), 1);
}

TEST(Job, ACancelledOneNeitherPostsNorFinishes)
{
  Job job;
  QSignalSpy finished(&job, &Job::finished);
  bool posted = false;
  job.start([&posted](JobRun& run) {
    workUntilStopped(run);
    run.post([&posted] { posted = true; });
  });
  job.cancel();
  EXPECT_FALSE(job.isRunning());
  QTest::qWait(50);
  EXPECT_FALSE(posted);
  EXPECT_EQ(finished.count(), 0);
}

TEST(Job, ItsEndStopsTheRunAndWaitsForIt)
{
  std::atomic<bool> left{false};
  {
    Job job;
    job.start([&left](JobRun& run) {
      workUntilStopped(run);
      std::this_thread::sleep_for(std::chrono::milliseconds(20));
      left = true;
    });
  }
  EXPECT_TRUE(left);
}

TEST(Job, ProgressIsThinnedOut)
{
  Job job;
  QSignalSpy progressed(&job, &Job::progressed);
  QSignalSpy finished(&job, &Job::finished);
  job.start([](JobRun& run) {
    for (int i = 0; i < 100000; ++i)
      run.report(i / 100000.0);
  });
  ASSERT_TRUE(finished.wait());
  EXPECT_GE(progressed.count(), 1);
  EXPECT_LT(progressed.count(), 100);
}
