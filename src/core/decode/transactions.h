#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "core/decode/bus.h"
#include "core/decode/frame_index.h"
#include "core/decode/meaning.h"

namespace bexto {

/// The transactions of one stream, numbered from 0: frames that are one utterance, as people read them. Which those are
/// the protocol's room says (Protocol::firsts), or the sheets of the bus's devices, which also say what they mean. An
/// immutable value that shares its list and keeps the frames too; copies are cheap, any thread may read. Every frame is
/// in exactly one transaction.
class Transactions {
 public:
  Transactions() = default;
  /// One pass over the frames; over the new ones only when `before` holds the beginning of the same stream.
  Transactions(const Bus& bus, FrameIndex frames, const Transactions& before = {});
  /// Every frame a transaction of its own, whatever the protocol. `meaning` is of the same frames and does not group
  /// them.
  static Transactions eachFrame(FrameIndex frames, std::shared_ptr<const Meaning> meaning = nullptr);

  /// Transactions.
  std::uint64_t size() const { return m_firsts ? m_firsts->size() : m_frames.size(); }
  /// What they were made of.
  const FrameIndex& frames() const { return m_frames; }
  /// Requires: number < size().
  FrameRange framesOf(std::uint64_t number) const;
  /// From the begin of its first frame to the end of its last. Requires: number < size().
  TimeRange timeOf(std::uint64_t number) const;
  Picoseconds beginOf(std::uint64_t number) const;
  /// Requires: frame < frames().size().
  std::uint64_t transactionOf(std::uint64_t frame) const;
  /// What devices say with them; nullptr where no sheet describes one.
  const std::shared_ptr<const Meaning>& meaning() const { return m_meaning; }
  /// The messages that came in parts, whole: see Describer::wholesIn().
  static std::optional<Transactions> wholesIn(const Bus& bus, const Transactions& stream, const Transactions& before,
                                              bool final);
  /// Puts together what the streams of one bus say: see Describer::together(). `streams` are all of it, in their order:
  /// those of its wires, and behind them those of wholesIn(), as many.
  static void putTogether(const Bus& bus, std::span<Transactions> streams);
  /// Whether one of its frames is, or says what cannot be.
  bool isFaulty(std::uint64_t number) const;
  /// The error bits of all its frames together.
  FrameErrors errorsOf(std::uint64_t number) const;
  /// Number of the first one that begins at or after `t`; size() when none does.
  std::uint64_t firstFrom(Picoseconds t) const;

 private:
  FrameIndex m_frames;
  std::shared_ptr<const std::vector<std::uint32_t>> m_firsts;  ///< each one's first frame; none when that is its number
  std::shared_ptr<const Meaning> m_meaning;
};

/// For rooms: one pass over the frames from number `from` on, which begins a transaction. Appends the number of each
/// frame for which joins(before, next, length) is false; `before` is the frame in front of it and `length` the frames
/// that its transaction has so far. The frames given to `joins` have no payload.
template <typename Joins>
void groupFrames(const FrameIndex& frames, std::uint64_t from, const Joins& joins, std::vector<std::uint32_t>& firsts)
{
  Frame last;
  std::uint64_t length = 0;
  for (const auto& chunk : frames.chunks()) {
    if (chunk->first + chunk->size() <= from)
      continue;
    for (std::size_t i = from > chunk->first ? static_cast<std::size_t>(from - chunk->first) : 0; i < chunk->size();
         ++i) {
      Frame next;
      next.time = {Picoseconds{chunk->begin[i]}, Picoseconds{chunk->end[i]}};
      next.kind = chunk->kind[i];
      next.flags = chunk->flags[i];
      next.key = chunk->key[i];
      if (length == 0 || !joins(last, next, length)) {
        firsts.push_back(static_cast<std::uint32_t>(chunk->first + i));
        length = 0;
      }
      ++length;
      last = next;
    }
  }
}

}  // namespace bexto
