#include "core/signal/capture.h"

#include <fmt/core.h>

#include <algorithm>
#include <string_view>
#include <unordered_map>

#include "core/base/say.h"

namespace bexto {

namespace {

bool endsInPart(std::string_view path, std::string_view part)
{
  return path == part ||
         (path.size() > part.size() && path.ends_with(part) && path[path.size() - part.size() - 1] == '.');
}

}  // namespace

Result<std::size_t> Capture::find(const std::string& wanted) const
{
  std::vector<std::size_t> found;
  for (std::size_t i = 0; i < channels.size(); ++i) {
    if (channels[i].path == wanted)
      return i;
    if (endsInPart(channels[i].path, wanted))
      found.push_back(i);
  }
  if (!found.empty()) {
    for (const std::size_t other : found) {
      if (!channels[other].sameAs(channels[found.front()]))
        return fail(ErrorCode::BadArgument, say("the channel name '{}' fits more than one wire", wanted), source,
                    say("write {} or {}", channels[found.front()].path, channels[other].path));
    }
    return found.front();
  }
  std::vector<std::string> names;
  for (const Channel& c : channels)
    names.push_back(c.name);
  const std::string near = nearest(wanted, names);
  return fail(ErrorCode::BadArgument, say("there is no channel '{}'", wanted), source,
              near.empty() ? say("`bexto-cli info` lists the channels") : say("did you mean '{}'?", near));
}

bool Capture::isOnlyRecords() const
{
  return !channels.empty() &&
         std::none_of(channels.begin(), channels.end(), [](const Channel& c) { return c.isWire(); });
}

void nameChannels(Capture& capture)
{
  // How many channels end in a part. Wires with several names count each of them: then all are shown with their scope.
  std::unordered_map<std::string_view, std::size_t> owners;
  const auto eachPart = [](std::string_view path, const auto& visit) {
    for (std::size_t at = path.size(); at != std::string_view::npos;) {
      at = at == 0 ? std::string_view::npos : path.rfind('.', at - 1);
      if (!visit(at == std::string_view::npos ? path : path.substr(at + 1)))
        return;
    }
  };
  const auto count = [&](const auto& named) {
    eachPart(named.path, [&](std::string_view part) {
      ++owners[part];
      return true;
    });
  };
  const auto name = [&](auto& named) {
    named.name = named.path;
    eachPart(named.path, [&](std::string_view part) {
      if (part.empty() || owners[part] != 1)
        return true;
      named.name = part;
      return false;
    });
  };
  std::for_each(capture.channels.begin(), capture.channels.end(), count);
  std::for_each(capture.vectors.begin(), capture.vectors.end(), count);
  std::for_each(capture.channels.begin(), capture.channels.end(), name);
  std::for_each(capture.vectors.begin(), capture.vectors.end(), name);
}

}  // namespace bexto
