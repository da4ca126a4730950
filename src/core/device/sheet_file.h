#pragma once

#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/decode/bus.h"
#include "core/decode/frame_index.h"
#include "core/decode/sheet_text.h"
#include "core/device/sheet.h"

namespace bexto {

/// Reads a file without asking what is in it. Errors: Unreadable (missing, no file, longer than 1 MiB).
Result<SheetText> loadSheet(const std::string& path);

/// Reads a sheet that is to be used on `bus`. Errors: Unreadable; Malformed with file, line, what and the mend, and how
/// much more there is; BadArgument when it is for another kind of bus.
Result<SheetText> loadSheetFor(const std::string& path, const Bus& bus);

/// A sheet and the bus that it goes to, as command lines have them.
struct SheetOnBus {
  std::string path;
  std::string bus;
};
/// "LT-20.yaml@sensors". Errors: BadArgument.
Result<SheetOnBus> parseSheetOnBus(const std::string& text);
/// Gives the buses their sheets. Errors: BadArgument (no such bus), and those of loadSheetFor().
Result<void> attachSheets(const std::vector<SheetOnBus>& sheets, std::vector<Bus>& buses);

/// Puts it behind the others of the bus, or in place of the one of that file name.
void attachSheet(Bus& bus, const SheetText& sheet);
void detachSheet(Bus& bus, const std::string& name);

/// Folders where sheets are looked for: XDG_DATA_HOME and XDG_DATA_DIRS with bexto/sheets (XDG Base Directory
/// Specification 0.8), and `beside`, the folder of a session or capture, where given.
std::vector<std::string> sheetFolders(const std::string& beside);

/// A sheet that lies in one of the folders.
struct FoundSheet {
  std::string path;
  SheetText text;
  SheetRead read;
};
/// Files ending in .yaml or .yml, by name; none where there is no such folder.
std::vector<std::string> yamlFilesIn(const std::string& folder);

/// All files ending in .yaml or .yml there, by name; of two of the same name the first folder's. What cannot be read is
/// left out.
std::vector<FoundSheet> findSheets(const std::vector<std::string>& folders);

/// How many frames of a stream a sheet would have something to say to, among the first `most`.
std::uint64_t fitOf(const SheetText& sheet, const Bus& bus, const FrameIndex& frames, std::uint64_t most = 20'000);

}  // namespace bexto
