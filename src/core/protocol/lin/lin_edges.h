#pragma once

#include <vector>

#include "core/decode/decoder.h"
#include "core/signal/edge_stream.h"

namespace bexto::lin {

/// The next edges of the wire, as many as somebody looks ahead, with what is known of the time behind the last of them.
/// The line was recessive before edge 0 when startsHigh(). One thread.
class EdgeAhead {
 public:
  EdgeAhead(const StreamInput& input, Picoseconds from)
      : m_stream(input.tracks.at(0), from, input.until, input.final), m_until(input.until), m_final(input.final)
  {
  }
  void extend(const StreamInput& input)
  {
    m_until = input.until;
    m_final = input.final;
    m_stream.extend(input.tracks.at(0), input.until, input.final);
  }

  /// Time of the k-th edge from here in ps; kNever.count() when there is none yet.
  std::int64_t at(std::size_t k)
  {
    while (m_head + k >= m_edges.size() && m_stream.next() != kNever.count()) {
      m_edges.push_back(m_stream.next());
      m_stream.advance();
    }
    return m_head + k < m_edges.size() ? m_edges[m_head + k] : kNever.count();
  }
  /// Time of edge 0, as at(0), without looking further.
  std::int64_t next() const { return m_head < m_edges.size() ? m_edges[m_head] : m_stream.next(); }
  bool startsHigh() const { return (m_edges.size() - m_head) % 2 == 0 ? m_stream.level() : !m_stream.level(); }
  /// Whether all edges up to `t` are there, or nothing more will come.
  bool knows(std::int64_t t) const { return m_final || m_stream.horizon().count() >= t; }
  bool isFinal() const { return m_final; }
  std::int64_t until() const { return m_until.count(); }

  /// Goes on behind the first `count` edges. Requires: they were looked at.
  void drop(std::size_t count)
  {
    m_head += count;
    m_dropped += count;
    // What is behind is forgotten now and then: at once would be a move for each edge.
    if (m_head > kForget) {
      m_edges.erase(m_edges.begin(), m_edges.begin() + static_cast<std::ptrdiff_t>(m_head));
      m_head = 0;
    }
  }
  std::size_t dropped() const { return m_dropped; }

 private:
  static constexpr std::size_t kForget = 4096;
  EdgeStream m_stream;
  Picoseconds m_until;
  bool m_final;
  std::vector<std::int64_t> m_edges;
  std::size_t m_head = 0;
  std::size_t m_dropped = 0;
};

}  // namespace bexto::lin
