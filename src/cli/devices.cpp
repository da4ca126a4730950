#include <algorithm>

#include <fmt/core.h>
#include <fmt/ranges.h>

#include "cli/command_line.h"
#include "core/device/sheet_file.h"

namespace bexto::cli {

Result<void> attachDevices(const std::vector<Request::Device>& devices, std::vector<Bus>& buses)
{
  for (const Request::Device& device : devices) {
    const auto bus = std::find_if(buses.begin(), buses.end(), [&](const Bus& b) { return b.name == device.bus; });
    if (bus == buses.end()) {
      std::vector<std::string> names;
      for (const Bus& b : buses)
        names.push_back(b.name);
      const std::string near = nearest(device.bus, names);
      return fail(ErrorCode::BadArgument, fmt::format("there is no bus '{}'", device.bus), "--device",
                  !near.empty()   ? fmt::format("did you mean {}", near)
                  : names.empty() ? std::string("describe one with --bus")
                                  : fmt::format("there are {}", fmt::join(names, ", ")));
    }
    auto sheet = loadSheetFor(device.path, *bus);
    if (!sheet)
      return tl::unexpected(sheet.error());
    attachSheet(*bus, *sheet);
  }
  return {};
}

}  // namespace bexto::cli
