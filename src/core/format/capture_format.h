#pragma once

#include <span>
#include <stop_token>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/progress.h"
#include "core/base/result.h"
#include "core/format/read_hints.h"
#include "core/signal/capture.h"

namespace bexto {

/// A kind of file that captures come in, or leave in: what dialogs, the command line and their helps list is made of
/// these. Sessions (core/store) hold more than a capture and are none of them.
struct CaptureFormat {
  std::string_view name;                   ///< "Value change dump"; for say()
  std::vector<std::string_view> suffixes;  ///< with their dots; the first is the usual one
  bool (*fits)(std::string_view begin);    ///< whether a file that begins so is one, whatever it is called
  /// What such a file may not say of itself, so that a person had better look before it is read.
  enum class Asks : std::uint8_t { Nothing, Layout, Rate } asks;
  /// Errors: BadArgument (the hints), Unreadable, Malformed, Cancelled.
  Result<Capture> (*read)(const std::string& path, const ReadHints& hints, const std::stop_token& stop,
                          Progress& progress);
  /// What it can hold: levels of wires, or frames. What of a capture has no place in it is not written.
  enum class Holds : std::uint8_t { Wires, Frames } holds;
  /// Use writeCapture().
  Result<void> (*write)(const Capture& capture, const std::string& path, const WriteHints& hints);
};

/// All of them; the list lives as long as the program.
std::span<const CaptureFormat> captureFormats();

/// The format that a file of that name would be written in; nullptr when no suffix fits.
const CaptureFormat* formatOfName(std::string_view path);

/// The format of a file: the one that its content shows, else the one that its name says, else packed samples when the
/// hints say that there are channels, else the first. Errors: Unreadable.
Result<const CaptureFormat*> formatOfFile(const std::string& path, const ReadHints& hints = {});

/// Reads a capture of the format that formatOfFile() says. Errors: those of the format.
Result<Capture> readCapture(const std::string& path, const ReadHints& hints, const std::stop_token& stop,
                            Progress& progress);

/// Writes a capture in the format that the path's suffix names: whole or not at all.
/// Errors: BadArgument (no such format, the hints, nothing in the capture that it can hold), Unwritable.
Result<void> writeCapture(const Capture& capture, const std::string& path, const WriteHints& hints);

/// Every suffix in words: ".vcd, .csv and .bin, with .gz too".
std::string suffixList();

}  // namespace bexto
