#include <fmt/core.h>
#include <unistd.h>

#include <QCoreApplication>
#include <QThread>
#include <algorithm>
#include <atomic>
#include <csignal>
#include <filesystem>
#include <iterator>
#include <mutex>

#include "cli/commands.h"
#include "core/base/time_text.h"
#include "core/store/session_recorder.h"
#include "live/capture_run.h"

namespace bexto::cli {

namespace {

using namespace std::chrono_literals;

constexpr auto kWriteEvery = 400ms;

std::atomic<bool> interrupted = false;  // NOLINT(cppcoreguidelines-avoid-non-const-global-variables): set by a signal

extern "C" void interrupt(int /*signal*/)
{
  interrupted = true;
}

/// What was recorded so far, for the thread that writes it.
class Recorded final : public live::CaptureListener {
 public:
  void began(const Segment& segment) override
  {
    const std::lock_guard lock(m_mutex);
    m_segments.push_back(segment);
    m_segments.back().name = fmt::format("{}", m_segments.size());
    m_segments.back().id = static_cast<SegmentId>(m_segments.size());
  }
  void grew(const std::shared_ptr<const Capture>& capture) override
  {
    const std::lock_guard lock(m_mutex);
    m_segments.back().capture = capture;
  }
  void ended() override
  {
    const std::lock_guard lock(m_mutex);
    m_segments.back().whole = true;
  }
  void stands(const live::CaptureStatus& status) override
  {
    const std::lock_guard lock(m_mutex);
    m_status = status;
  }

  std::vector<SessionRecorder::ChunkOnDisk> onDisk() override
  {
    const std::lock_guard lock(m_mutex);
    return std::exchange(m_onDisk, {});
  }

  void letGo(std::vector<SessionRecorder::ChunkOnDisk> chunks)
  {
    const std::lock_guard lock(m_mutex);
    std::move(chunks.begin(), chunks.end(), std::back_inserter(m_onDisk));
  }
  std::vector<Segment> segments() const
  {
    const std::lock_guard lock(m_mutex);
    return m_segments;
  }
  /// Nothing is left of them here.
  std::vector<Segment> takeSegments()
  {
    const std::lock_guard lock(m_mutex);
    m_onDisk.clear();
    return std::exchange(m_segments, {});
  }
  live::CaptureStatus status() const
  {
    const std::lock_guard lock(m_mutex);
    return m_status;
  }

 private:
  mutable std::mutex m_mutex;
  std::vector<Segment> m_segments;
  std::vector<SessionRecorder::ChunkOnDisk> m_onDisk;
  live::CaptureStatus m_status;
};

/// The session file beside its place, until it has the name that was asked for. A kill leaves what was recorded there.
class SessionInWork {
 public:
  static Result<SessionInWork> create(const Request& request)
  {
    SessionInWork work;
    work.m_out = request.out;
    const std::string path = request.out + ".recording";
    std::error_code code;
    if (std::filesystem::exists(path, code))
      return fail(ErrorCode::Unwritable, "what a capture left here that was broken off would be lost", path,
                  "rename it to a name that ends with .bexto, or remove it");
    auto recorder = SessionRecorder::create(path);
    if (!recorder)
      return tl::unexpected(recorder.error());
    work.m_recorder = std::move(*recorder);
    for (const Bus& bus : request.buses)
      addBus(work.m_file.session, bus);
    return work;
  }

  Result<void> write(Recorded& recorded)
  {
    const std::vector<Segment> segments = recorded.segments();
    NoProgress progress;
    for (std::size_t i = m_whole; i < segments.size(); ++i) {
      if (auto written = m_recorder->record(i, segments[i], {}, progress); !written)
        return written;
      recorded.letGo(m_recorder->takeOnDisk(i, segments[i]));
      m_whole += i == m_whole && segments[i].whole ? 1 : 0;
    }
    if (std::exchange(m_count, segments.size()) == segments.size())
      return {};
    std::vector<Bus> buses;
    for (const SessionBus& bus : m_file.session.buses)
      buses.push_back(bus.bus);
    for (const Bus& bus : busesOfRecords(*segments.back().capture, buses))
      addBus(m_file.session, bus);
    m_file.session.segment = segments.back().id;
    m_file.session.lastSegment = static_cast<std::uint32_t>(segments.size());
    m_file.shown = segments.size() - 1;
    return m_recorder->set(m_file);
  }

  Result<void> finish()
  {
    const std::string path = m_recorder->path();
    m_recorder.reset();
    std::error_code code;
    std::filesystem::rename(path, m_out, code);
    if (code)
      return fail(ErrorCode::Unwritable, fmt::format("cannot be written: {}; it is in {}", code.message(), path),
                  m_out);
    return {};
  }

  void remove()
  {
    const std::string path = m_recorder->path();
    m_recorder.reset();
    std::error_code code;
    std::filesystem::remove(path, code);
  }

 private:
  std::string m_out;
  std::unique_ptr<SessionRecorder> m_recorder;
  SessionFile m_file;
  std::size_t m_count = 0;
  std::size_t m_whole = 0;  ///< segments that are written for good
};

void showStatus(const live::CaptureStatus& status)
{
  const char* phase = "";
  switch (status.phase) {
    case live::CaptureStatus::Phase::Connecting:
      phase = "connecting";
      break;
    case live::CaptureStatus::Phase::Waiting:
      phase = "waiting";
      break;
    case live::CaptureStatus::Phase::Recording:
      phase = "recording";
      break;
    case live::CaptureStatus::Phase::Fetching:
      phase = "fetching";
      break;
  }
  fmt::print(stderr, "\r{}, {} seen, {} recordings   ", phase, lengthText(status.seen, 3), status.starts);
}

}  // namespace

Result<void> runCapture(const Request& request)
{
  int argc = 1;
  std::string name = "bexto-cli";
  std::array<char*, 2> argv{name.data(), nullptr};
  const QCoreApplication application(argc, argv.data());
  auto source = live::makeSource(request.plan.source);
  if (!source)
    return tl::unexpected(source.error());
  auto work = SessionInWork::create(request);
  if (!work)
    return tl::unexpected(work.error());
  // Stopped by hand, it keeps what there is.
  std::signal(SIGINT, interrupt);
  std::signal(SIGTERM, interrupt);

  Recorded recorded;
  Result<void> outcome;
  live::Outbox outbox;
  for (const live::Outgoing& what : request.sends) {
    if (request.sendEvery > Picoseconds{0})
      outbox.repeat(what, std::chrono::duration_cast<std::chrono::nanoseconds>(request.sendEvery));
    else
      outbox.send(what);
  }
  std::stop_source stop;
  const std::unique_ptr<QThread> thread(QThread::create([&] {
    outcome = live::runCapture(**source, request.plan, request.buses, stop.get_token(), recorded, &outbox);
    source->reset();  // in the thread that connected
  }));
  thread->start();
  const auto begun = std::chrono::steady_clock::now();
  const bool shows = !request.quiet && ::isatty(STDERR_FILENO) != 0;
  Result<void> written;
  auto last = begun;
  while (!thread->wait(20)) {
    const auto now = std::chrono::steady_clock::now();
    const bool over = request.longest > Picoseconds{0} && now - begun > request.longest;
    if (interrupted || over || !written)
      stop.request_stop();
    if (!written || now - last < kWriteEvery)
      continue;
    last = now;
    written = work->write(recorded);
    if (shows)
      showStatus(recorded.status());
  }
  if (shows)
    fmt::print(stderr, "\r{:60}\r", "");
  if (written)
    written = work->write(recorded);
  if (!written)
    return written;
  std::vector<Segment> segments = recorded.takeSegments();
  if (segments.empty()) {
    work->remove();
    if (!outcome)
      return outcome;
    if (const std::string trouble = recorded.status().trouble; !trouble.empty())
      return fail(ErrorCode::BadArgument, trouble);
    return fail(ErrorCode::Unreadable,
                request.plan.start.kind == StartCondition::Kind::Now ? "nothing was recorded"
                                                                     : "what is to start it did not come",
                request.plan.source, "wait longer, or ask for something else");
  }
  if (const std::string trouble = recorded.status().sendTrouble; !trouble.empty() && !request.quiet)
    fmt::print(stderr, "bexto-cli: {}: not all was sent: {}\n", request.out, trouble);
  std::size_t gaps = 0;
  for (const Segment& segment : segments)
    gaps += segment.capture->gaps.size();
  segments.clear();  // what is read from the file would keep it from being closed for good
  if (auto finished = work->finish(); !finished)
    return finished;
  if (!outcome)
    return outcome;
  if (gaps > 0 && !request.quiet)
    fmt::print(stderr, "bexto-cli: {}: samples were lost at {} places; choose a lower rate\n", request.out, gaps);
  return {};
}

}  // namespace bexto::cli
