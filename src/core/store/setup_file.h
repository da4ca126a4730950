#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/session/session.h"

namespace bexto {

/// How a set of wires is read, without anything that was recorded: buses, and how their channels are called, coloured
/// and conditioned. A file of it can be put on any other capture: docs/setup-format.md.
struct Setup {
  /// A channel that is called, coloured or read otherwise than it comes.
  struct Channel {
    std::string channel;  ///< its path, where the set-up was made
    std::string name = {};
    std::optional<WireColour> colour = {};
    Conditioning conditioning = {};
    bool operator==(const Channel&) const = default;
  };
  std::vector<Bus> buses;
  std::vector<Channel> channels;
  bool operator==(const Setup&) const = default;
};

/// What of a session is a set-up.
Setup setupOf(const Session& session);

/// Written whole or not at all. Errors: Unwritable.
Result<void> writeSetup(const std::string& path, const Setup& setup);
/// Errors: Unreadable; Malformed with the line or the bus, and the mend.
Result<Setup> readSetup(const std::string& path);

/// The channels that buses of the set-up or its channels name, each once, by the names that stand there.
std::vector<std::string> channelsOf(const Setup& setup);

/// By the set-up's names: the paths of the capture's channels that are called so, or end so. Those that fit none, or
/// more than one, are left out.
std::map<std::string, std::string> fittingChannels(const Setup& setup, const Capture& capture);

/// The session's buses, names, colours and conditioning become those of the set-up, with channels as `paths` has them;
/// what is not in there keeps its name, and its bus says that there is no such channel.
void putOn(Session& session, const Setup& setup, const std::map<std::string, std::string>& paths);

}  // namespace bexto
