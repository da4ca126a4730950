#pragma once

#include "core/signal/edge_stream.h"

namespace bexto {

/// Steps through a stream with a pointer and a level of its own: kept in the stream, each step would wait for the one
/// before to be stored. Tells the stream when it goes. One at a time on a stream.
class EdgeWalk {
 public:
  explicit EdgeWalk(EdgeStream& stream) : m_stream(stream), m_at(stream.inHand()), m_level(stream.level()) {}
  EdgeWalk(const EdgeWalk&) = delete;
  EdgeWalk& operator=(const EdgeWalk&) = delete;
  ~EdgeWalk() { m_stream.usedUpTo(m_at); }

  std::int64_t next() const { return *m_at; }
  /// For loops over several transitions at once: those in hand.
  const std::int64_t* at() const { return m_at; }
  std::size_t inHand() const { return static_cast<std::size_t>(m_stream.inHandEnd() - m_at); }
  /// Goes on behind transitions that were read by at(). Requires: `to` is in hand.
  void jump(const std::int64_t* to)
  {
    m_level = m_level != (((to - m_at) & 1) != 0);
    m_at = to;
    if (*m_at == kNever.count()) [[unlikely]]
      refill();
  }
  /// The level before next().
  bool level() const { return m_level; }
  void advance()
  {
    m_level = !m_level;
    if (*++m_at == kNever.count()) [[unlikely]]
      refill();
  }
  /// Steps over all transitions earlier than `t`. Made for wires that move at most once between two looks: that one
  /// step is not a branch, because nobody can predict it.
  void skipBefore(std::int64_t t)
  {
    const bool steps = *m_at < t;
    m_at += steps ? 1 : 0;
    m_level = m_level != steps;
    if (*m_at < t || (steps && *m_at == kNever.count())) [[unlikely]]
      skipFurther(t);
  }
  /// Whether all transitions earlier than `t` have been seen. Requires: skipBefore(t).
  bool knows(std::int64_t t) const { return *m_at != kNever.count() || m_stream.horizon().count() >= t - 1; }

 private:
  void refill()
  {
    m_stream.usedUpTo(m_at);
    m_at = m_stream.inHand();
  }
  void skipFurther(std::int64_t t)
  {
    if (*m_at == kNever.count())
      refill();
    while (*m_at < t)
      advance();
  }

  EdgeStream& m_stream;
  const std::int64_t* m_at;
  bool m_level;
};

/// A line that is asked for its level at the sampling edges of another: each answer is a bit of word(). Made for lines
/// that move once or not at all between two samples, so that the one step is no branch, because nobody can predict it;
/// and the transitions that the next samples may need are fetched ahead, because a sample that fetched its own would
/// wait for the step before. Works on what is in hand and uses nothing up: at() says where it stands.
class LevelReader {
 public:
  explicit LevelReader(const EdgeWalk& walk)
      : m_ahead(walk.at() + kAhead),
        m_next(m_ahead[-3]),
        m_second(m_ahead[-2]),
        m_third(m_ahead[-1]),
        m_level(walk.level())
  {
    static_assert(kAhead <= EdgeStream::kReadableBehind);
  }

  /// The level after all that happens up to and at `t`. Requires: `t` is not below the one before, and kNever neither.
  void sample(std::int64_t t)
  {
    // All ones where the line stays, which is what a comparison would give; but of one a compiler makes a branch.
    const std::int64_t stays = (t - m_next) >> 63U;
    m_stays = m_stays << 1U | static_cast<std::uint32_t>(stays & 1);
    m_next = m_second ^ ((m_second ^ m_next) & stays);
    m_second = m_third ^ ((m_third ^ m_second) & stays);
    m_third = m_ahead[stays];
    m_ahead += 1 + stays;
  }
  /// The next transition. When it is not later than the last sample, the line has moved more than once: word() is then
  /// not what was asked for.
  std::int64_t next() const { return m_next; }
  const std::int64_t* at() const { return m_ahead - kAhead; }
  /// The last `bits` samples, the first one as the highest bit. Requires: these are all, 1 to 32.
  std::uint32_t word(unsigned bits) const
  {
    // The line's level is the parity of its steps so far.
    std::uint32_t levels = ~m_stays & (~0U >> (32U - bits));
    for (unsigned by = 1; by < bits; by *= 2)
      levels ^= levels >> by;
    return m_level ? levels ^ (~0U >> (32U - bits)) : levels;
  }

 private:
  static constexpr std::ptrdiff_t kAhead = 3;
  const std::int64_t* m_ahead;
  std::int64_t m_next;
  std::int64_t m_second;
  std::int64_t m_third;
  bool m_level;
  std::uint32_t m_stays = 0;
};

}  // namespace bexto
