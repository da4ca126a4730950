#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/decode/settings.h"
#include "core/decode/sheet_text.h"
#include "core/decode/value_text.h"
#include "core/signal/capture.h"

namespace bexto {

class Protocol;

/// A wire's part in a bus ("clk") and the channel that plays it.
struct BusWire {
  std::string role;     ///< as the protocol calls it
  std::string channel;  ///< as Capture::find() takes it
  bool operator==(const BusWire&) const = default;
};

/// A bus as the user describes it: nothing here has been looked up in a capture. A plain value. What its protocol
/// means by settings and wires only the protocol's room knows; everybody else asks protocol().
struct Bus {
  std::string name;                       ///< the user's; unique among the buses of a capture
  Settings settings;                      ///< keys and values; see Settings
  std::vector<BusWire> wires;             ///< at most one a role, in any order
  ValueFormat format = ValueFormat::Hex;  ///< how people see its values; no part of the decode
  SheetTexts sheets;                      ///< of its devices; no part of the decode, but of what is one transaction
  SheetTexts books;                       ///< its rulebooks; none: the usual one. No part of the decode

  Bus() = default;
  /// A bus of that protocol with every setting as it is when nobody gives it, and no wires. `protocol` is one of
  /// protocols(), so it outlives every bus.
  Bus(std::string busName, const Protocol& protocol);

  /// Whether it has a protocol; a default Bus has none, and all below requires one.
  bool valid() const { return m_protocol != nullptr; }
  const Protocol& protocol() const
  {
    assert(m_protocol != nullptr);
    return *m_protocol;
  }
  bool isOf(const Protocol& protocol) const { return m_protocol == &protocol; }

  /// The channel of `role`, empty when none is given. The reference lives as long as the wires are not changed.
  const std::string& channelOf(const std::string& role) const;
  bool has(const std::string& role) const { return !channelOf(role).empty(); }
  /// Gives `role` a channel; an empty name takes it away.
  void setChannel(const std::string& role, const std::string& channel);

  /// Role and setting alike, as a bus spec has them. Errors: BadArgument for what the protocol does not know or a value
  /// that makes no sense, naming what would; then nothing changed.
  Result<void> set(const std::string& key, const std::string& value);
  /// What set() would take to make this bus out of a new one: roles first, then the settings that somebody gave. With
  /// name and protocol it is all that a file has to keep of a bus, its format aside.
  std::vector<KeyValue> values() const;
  /// Whether the setting means anything for the bus as it is: one that stands in for a wire does not beside it.
  bool applies(const SettingSpec& setting) const;
  /// Whether the bus is complete. Errors: BadArgument (no name, a role or a setting that is missing), with the mend.
  Result<void> check() const;

  bool operator==(const Bus&) const = default;

 private:
  const Protocol* m_protocol = nullptr;
};

/// A bus carries one stream of frames for each direction that has wires of its own.
struct BusStream {
  std::string line;                   ///< the role that is the direction's; empty when the bus has one stream
  std::vector<std::size_t> channels;  ///< in Capture::channels, in the order of the protocol's roles
};

/// A bus that fits a capture: channels found, rates known.
struct ResolvedBus {
  Bus bus;  ///< with what was "auto" replaced by what was found
  std::vector<BusStream> streams;
};

/// Looks the bus's channels up and finds what is "auto". Reads at most the capture's begin.
/// Errors: BadArgument (a missing role or channel, two roles on one wire, a rate that cannot be found).
Result<ResolvedBus> resolveBus(const Bus& bus, const Capture& capture);

/// The buses of a capture's records, one a channel, as the file has them: nothing needs to be set. Without those that
/// are among `others` already, and by other names than theirs.
std::vector<Bus> busesOfRecords(const Capture& capture, const std::vector<Bus>& others);

/// A bus of that protocol with the first free name and, by their names, the likely channels that `others` leave.
/// `capture` may be nullptr: then no channels.
Bus suggestBus(const Protocol& protocol, const Capture* capture, const std::vector<Bus>& others);

/// The protocol that the names of the channels that `others` leave speak for most; where they say nothing, the first
/// one.
const Protocol& likelyProtocol(const Capture* capture, const std::vector<Bus>& others);

}  // namespace bexto
