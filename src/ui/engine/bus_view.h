#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/base/stream_id.h"
#include "core/decode/decoder.h"
#include "core/decode/transactions.h"

namespace bexto::ui {

/// One decoded direction of a bus, as the views read it.
struct StreamView {
  std::string line;  ///< the direction that it is; empty when the bus has one stream
  std::vector<std::size_t> channels;
  StreamInput input;
  Transactions transactions;
  std::vector<std::uint32_t> faulty;  ///< frames with errors, or that say what cannot be
  double measuredHertz = 0.0;

  /// Messages that came in several frames of another stream.
  bool isOfWholes() const { return input.isOfWholes; }
  /// It was read from wires, and each frame can be opened to its bits.
  bool hasBits() const { return !input.records && !input.isOfWholes; }
};

/// A bus in the window. `id` is its own for as long as it lives, whatever it is called. `wanted` is what the session
/// says; `shown` is what `streams` were decoded with: while settings are wrong or a new decode has no frames yet, the
/// last good one stays.
struct BusView {
  BusId id = BusId::None;
  Bus wanted;
  Bus shown;
  std::vector<StreamView> streams;
  std::optional<Error> error;
  bool decoding = false;
  bool stopped = false;  ///< by the user, before its end
  double progress = 0.0;

  std::uint64_t frameCount() const;
  std::uint64_t transactionCount() const;
  std::uint64_t faultCount() const;
};

/// A stream with what was decoded of it.
StreamView streamView(const Bus& bus, const BusStream& stream, StreamInput input, FrameIndex frames, double hertz);

/// Puts together what the streams of one bus say to one another: adds the messages that came in parts, a stream for
/// each that has frames, and finds out what answers what. `streams` are those of its wires. `before` is what this made
/// of their begin. `final`: nothing follows.
void putTogether(const Bus& bus, std::vector<StreamView>& streams, bool final = true,
                 const std::vector<StreamView>& before = {});
/// Those of its wires, without what putTogether() added.
std::vector<StreamView> ofWires(const std::vector<StreamView>& streams);

}  // namespace bexto::ui
