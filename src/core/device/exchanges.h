#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "core/decode/meaning.h"
#include "core/decode/transactions.h"

namespace bexto {

class Reading;

/// Which message of a bus answers which, where its sheets say so (`answers:`): over all of its streams, because a
/// request and its answer mostly are on two lines. A request stands open until its answer comes, the same request is
/// said again to the same station, or its `within` is over; then it has no answer. An immutable value; any thread may
/// read.
class Exchanges {
 public:
  /// `streams` are all of one bus, in their order. With `before`, which is of the begin of the same streams, only what
  /// was not settled then is looked at. nullptr when no sheet has answers.
  static std::shared_ptr<const Exchanges> make(const Bus& bus, std::span<const Transactions> streams,
                                               const Exchanges* before);

  /// What the message that begins in these frames of that stream has to do with another; nothing: it is neither a
  /// request nor an answer, or an open request.
  std::optional<Meaning::Partner> of(std::size_t stream, FrameRange frames) const;
  bool isUnanswered(std::size_t stream, FrameRange frames) const;
  /// First frames of requests without an answer, rising.
  std::span<const std::uint32_t> unanswered(std::size_t stream) const;
  std::size_t streams() const { return m_streams.size(); }

 private:
  class Pass;
  /// A message that is a request or an answer.
  struct Entry {
    std::uint32_t frame = 0;
    std::uint32_t partner = 0;
    std::int32_t stream = -1;  ///< of the partner; -1: nobody answered
    bool isAnswer = false;
    Picoseconds wait{0};
  };
  struct Stream {
    std::vector<Entry> entries;  ///< by frame
    std::vector<std::uint32_t> unanswered;
    std::uint64_t talked = 0;  ///< requests and answers in it so far, paired or not
  };
  std::vector<Stream> m_streams;
  Picoseconds m_settled{0};  ///< what began before is as it will stay
};

}  // namespace bexto
