#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/base/time.h"
#include "core/check/rulebook_file.h"
#include "core/device/sheet_file.h"
#include "core/export/frame_writer.h"
#include "core/format/read_hints.h"
#include "core/query/query.h"
#include "core/session/capture_plan.h"
#include "live/outbox.h"

namespace bexto::cli {

enum class Command { Info, Decode, Check, Convert, Capture, Help, Version };

/// The command line, understood and checked as far as that goes without opening the capture.
struct Request {
  Command command = Command::Help;
  std::string capture;
  std::string segment;                 ///< of a session: its name or number; empty: the one that was looked at last
  ReadHints hints;                     ///< what the file does not say of itself
  std::vector<Bus> buses;              ///< none given: those of the session
  std::optional<FrameFormat> format;   ///< not given: text on a terminal, else jsonl
  bool junit = false;                  ///< of a check, instead of a format
  std::vector<BookOnBus> books;        ///< of a check: rulebooks by name or file
  std::optional<double> samplePeriod;  ///< of a check, in ps; not given: as the capture tells
  std::string out;                     ///< empty: standard output
  /// What is done to channels before their buses read them.
  struct ChannelReading {
    std::string channel;
    Conditioning how;
  };
  std::vector<ChannelReading> readings;
  std::vector<SheetOnBus> devices;  ///< whose sheets are known; those of `buses` are attached
  std::string filter;               ///< in the filter language; empty: all frames
  TimeRange span{Picoseconds{0}, kNever};
  CapturePlan plan;                   ///< of a capture that is to be taken
  std::vector<live::Outgoing> sends;  ///< what is to be said meanwhile
  Picoseconds sendEvery{0};           ///< again and again; 0: once
  Picoseconds longest{0};             ///< how long that goes on at most; 0: until it is stopped
  bool quiet = false;
  std::string helpText;
};

/// Reads a filter that knows these buses. Errors: BadArgument.
Result<Query> parseFilter(const std::string& text, const std::vector<Bus>& buses);

/// Errors: BadArgument.
Result<Request> parseCommandLine(int argc, char** argv);

}  // namespace bexto::cli
