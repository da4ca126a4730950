#include "ui/job/job.h"
#include "ui/job/serial_worker.h"

#include <QSignalSpy>
#include <QtTest/QTest>
#include <atomic>
#include <memory>
#include <new>
#include <numeric>
#include <stdexcept>
#include <thread>
#include <vector>

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
  std::atomic<bool> begun{false};
  std::atomic<bool> left{false};
  {
    Job job;
    job.start([&](JobRun& run) {
      begun = true;
      workUntilStopped(run);
      std::this_thread::sleep_for(std::chrono::milliseconds(20));
      left = true;
    });
    ASSERT_TRUE(QTest::qWaitFor([&] { return begun.load(); }));
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

TEST(Job, OneThatWasStoppedBeforeItsTurnDoesNotBegin)
{
  std::vector<std::unique_ptr<Job>> jobs;
  std::atomic<int> begun = 0;
  const int many = 4 * QThread::idealThreadCount() + 8;
  for (int i = 0; i < many; ++i) {
    jobs.push_back(std::make_unique<Job>(Job::Urgency::Background));
    jobs.back()->start([&begun](JobRun& run) {
      ++begun;
      workUntilStopped(run);
    });
  }
  for (const auto& job : jobs)
    job->cancel();
  jobs.clear();
  EXPECT_LT(begun, many) << "those that waited for a thread were left out";
}

TEST(Job, WhatTheUserWaitsForDoesNotStandBehindDecodes)
{
  std::vector<std::unique_ptr<Job>> decodes;
  for (int i = 0; i < 4 * QThread::idealThreadCount() + 8; ++i) {
    decodes.push_back(std::make_unique<Job>(Job::Urgency::Background));
    decodes.back()->start(workUntilStopped);
  }
  Job waited;
  QSignalSpy finished(&waited, &Job::finished);
  waited.start([](JobRun&) {});
  EXPECT_TRUE(finished.wait(5000));
}

TEST(Job, AnExceptionIsSaidAndEndsNothing)
{
  Job job;
  QSignalSpy failed(&job, &Job::failed);
  QSignalSpy finished(&job, &Job::finished);
  job.start([](JobRun&) { throw std::runtime_error("the disk is full"); });
  ASSERT_TRUE(finished.wait());
  ASSERT_EQ(failed.count(), 1);
  EXPECT_EQ(failed.front().front().toString(), QStringLiteral("the disk is full"));
  job.start([](JobRun&) { throw std::bad_alloc(); });
  ASSERT_TRUE(finished.wait());
  ASSERT_EQ(failed.count(), 2);
  EXPECT_FALSE(failed.back().front().toString().isEmpty());
}

TEST(SerialWorker, DoesAllInTheirOrderAlsoWhenItGoes)
{
  std::vector<int> done;
  {
    SerialWorker worker([](const char* /*what*/) {});
    EXPECT_TRUE(worker.isIdle());
    for (int i = 0; i < 100; ++i) {
      worker.add([&done, i] {
        if (i == 0)
          std::this_thread::sleep_for(std::chrono::milliseconds(20));
        done.push_back(i);
      });
    }
    EXPECT_FALSE(worker.isIdle());
  }
  std::vector<int> wanted(100);
  std::iota(wanted.begin(), wanted.end(), 0);
  EXPECT_EQ(done, wanted);
}

TEST(SerialWorker, APieceThatThrowsSaysSoAndTheNextIsDone)
{
  std::string said;
  bool next = false;
  {
    SerialWorker worker([&said](const char* what) { said = what; });
    worker.add([] { throw std::runtime_error("broken"); });
    worker.add([&next] { next = true; });
  }
  EXPECT_EQ(said, "broken");
  EXPECT_TRUE(next);
}
