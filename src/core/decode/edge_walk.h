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

}  // namespace bexto
