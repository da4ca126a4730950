// Tested by tests/core/sheet_file_test.cpp.
#include "core/device/sheet_file.h"

#include <fmt/core.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>

#include "core/base/input_file.h"
#include "core/base/say.h"
#include "core/decode/protocol.h"
#include "core/device/bus_devices.h"
#include "core/device/reading.h"

namespace bexto {

namespace fs = std::filesystem;

Result<SheetText> loadSheet(const std::string& path)
{
  constexpr std::size_t kMost = std::size_t{1} << 20U;
  auto file = InputFile::open(path);
  if (!file)
    return tl::unexpected(file.error());
  std::string text(kMost + 1, '\0');
  const auto got = file->read(text);
  if (!got)
    return tl::unexpected(got.error());
  if (*got > kMost)
    return fail(ErrorCode::Unreadable, say("this is too long for a sheet"), path, say("at most 1 MiB is read"));
  text.resize(*got);
  return SheetText{fs::path(path).filename().string(), std::move(text)};
}

Result<SheetText> loadSheetFor(const std::string& path, const Bus& bus)
{
  auto text = loadSheet(path);
  if (!text)
    return text;
  const SheetRead read = readSheet(text->text);
  if (!read.sheet) {
    const SheetProblem& first = read.problems.front();
    const std::size_t more = read.problems.size() - 1;
    std::string message = first.message;
    if (more > 0)
      message += say(" (and {} more)", more);
    return fail(ErrorCode::Malformed, message, first.line == 0 ? path : say("{}, line {}", path, first.line),
                first.mend);
  }
  if (const std::string why = whyNotOn(*read.sheet, bus.protocol()); !why.empty())
    return fail(ErrorCode::BadArgument, why, path, say("{} is a bus of {}", bus.name, bus.protocol().name()));
  return text;
}

Result<SheetOnBus> parseSheetOnBus(const std::string& text)
{
  const std::size_t at = text.rfind('@');
  if (at == std::string::npos || at == 0 || at + 1 == text.size())
    return fail(ErrorCode::BadArgument, say("'{}' is not FILE@BUS", text), "--device",
                say("write it like LT-20.yaml@sensors"));
  return SheetOnBus{text.substr(0, at), text.substr(at + 1)};
}

Result<void> attachSheets(const std::vector<SheetOnBus>& sheets, std::vector<Bus>& buses)
{
  for (const SheetOnBus& one : sheets) {
    const auto bus = std::find_if(buses.begin(), buses.end(), [&](const Bus& b) { return b.name == one.bus; });
    if (bus == buses.end()) {
      std::vector<std::string> names;
      names.reserve(buses.size());
      for (const Bus& b : buses)
        names.push_back(b.name);
      const std::string near = nearest(one.bus, names);
      return fail(ErrorCode::BadArgument, say("there is no bus '{}'", one.bus), "--device",
                  !near.empty()   ? say("did you mean {}", near)
                  : names.empty() ? say("describe one with --bus")
                                  : say("there are {}", fmt::format("{}", fmt::join(names, ", "))));
    }
    auto sheet = loadSheetFor(one.path, *bus);
    if (!sheet)
      return tl::unexpected(sheet.error());
    attachSheet(*bus, *sheet);
  }
  return {};
}

void attachSheet(Bus& bus, const SheetText& sheet)
{
  std::vector<SheetText> sheets = bus.sheets.list();
  const auto same =
      std::find_if(sheets.begin(), sheets.end(), [&](const SheetText& s) { return s.name == sheet.name; });
  if (same == sheets.end())
    sheets.push_back(sheet);
  else
    *same = sheet;
  bus.sheets = SheetTexts(std::move(sheets));
}

void detachSheet(Bus& bus, const std::string& name)
{
  std::vector<SheetText> sheets = bus.sheets.list();
  std::erase_if(sheets, [&](const SheetText& s) { return s.name == name; });
  bus.sheets = SheetTexts(std::move(sheets));
}

std::vector<std::string> sheetFolders(const std::string& beside)
{
  std::vector<std::string> folders;
  const auto add = [&](const fs::path& folder) {
    const std::string text = folder.string();
    if (std::find(folders.begin(), folders.end(), text) == folders.end())
      folders.push_back(text);
  };
  if (!beside.empty())
    add(beside);
  const auto variable = [](const char* name) {
    const char* const value = std::getenv(name);  // NOLINT(concurrency-mt-unsafe): nobody sets it
    return std::string(value == nullptr ? "" : value);
  };
  const std::string home = variable("XDG_DATA_HOME");
  if (!home.empty())
    add(fs::path(home) / "bexto" / "sheets");
  else if (const std::string own = variable("HOME"); !own.empty())
    add(fs::path(own) / ".local" / "share" / "bexto" / "sheets");
  std::string dirs = variable("XDG_DATA_DIRS");
  if (dirs.empty())
    dirs = "/usr/local/share:/usr/share";
  for (std::size_t at = 0; at < dirs.size();) {
    const std::size_t end = std::min(dirs.find(':', at), dirs.size());
    if (end > at)
      add(fs::path(dirs.substr(at, end - at)) / "bexto" / "sheets");
    at = end + 1;
  }
  return folders;
}

std::vector<std::string> yamlFilesIn(const std::string& folder)
{
  std::vector<std::string> files;
  std::error_code code;
  for (fs::directory_iterator each(folder, code), end; !code && each != end; each.increment(code)) {
    const std::string suffix = each->path().extension().string();
    if ((suffix == ".yaml" || suffix == ".yml") && each->is_regular_file(code))
      files.push_back(each->path().string());
  }
  std::sort(files.begin(), files.end());
  return files;
}

std::vector<FoundSheet> findSheets(const std::vector<std::string>& folders)
{
  std::vector<FoundSheet> found;
  for (const std::string& folder : folders) {
    for (const std::string& path : yamlFilesIn(folder)) {
      const std::string name = fs::path(path).filename().string();
      if (std::any_of(found.begin(), found.end(), [&](const FoundSheet& f) { return f.text.name == name; }))
        continue;
      auto text = loadSheet(path);
      if (!text)
        continue;
      // Beside a capture lie other files as well: what does not say that it is a sheet is none.
      const bool says = text->text.find("sheet:") != std::string::npos;
      if (!says)
        continue;
      SheetRead read = readSheet(text->text);
      found.push_back({path, std::move(*text), std::move(read)});
    }
  }
  return found;
}

std::uint64_t fitOf(const SheetText& sheet, const Bus& bus, const FrameIndex& frames, std::uint64_t most)
{
  Bus tried = bus;
  tried.sheets = SheetTexts({sheet});
  const auto devices = std::make_shared<const BusDevices>(bus.protocol(), tried.sheets);
  if (devices->sheets().empty())
    return 0;
  FrameIndex begin = frames;
  if (frames.size() > most) {
    std::vector<std::shared_ptr<const FrameChunk>> chunks;
    for (const auto& chunk : frames.chunks()) {
      if (chunk->first < most)
        chunks.push_back(chunk);
    }
    begin = FrameIndex(std::move(chunks));
  }
  const auto reading = Reading::make(devices, tried, begin, nullptr);
  std::uint64_t fits = 0;
  for (std::uint64_t unit = 0; reading && unit < reading->rows().size(); ++unit) {
    const UnitRow& row = reading->rows().at(unit);
    if (row.item == UnitRow::kNone)
      continue;
    const BusDevices::Item::Kind kind = devices->item(row.item).kind;
    // An address alone says whose it is; where there is none, it takes a command or a message.
    const bool addressed = devices->style() == TalkStyle::Addressed && (row.flags & UnitRow::kSilent) == 0;
    const bool known = kind == BusDevices::Item::Kind::Command || kind == BusDevices::Item::Kind::Message ||
                       kind == BusDevices::Item::Kind::Part;
    fits += addressed || known ? 1U : 0U;
  }
  return fits;
}

}  // namespace bexto
