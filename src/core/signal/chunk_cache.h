#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <memory>

#include "core/signal/edge_chunk.h"

namespace bexto {

/// Deltas of chunks that were read from a session file, those used last, up to a limit: a decode of a capture that is
/// larger than memory costs this much and not more. One for the process, because memory is. Any thread; two that ask
/// for the same chunk at once may both read it, and one copy is kept.
class ChunkCache {
 public:
  static ChunkCache& shared();

  static constexpr std::size_t kUsualLimit = std::size_t{512} << 20;
  /// In bytes. What somebody is walking over stays in memory beyond it.
  void setLimit(std::size_t bytes);
  std::size_t limit() const;
  /// What is held now, in bytes.
  std::size_t size() const;

  /// What is held of that chunk, else what `read` gives.
  std::shared_ptr<const PackedBytes> get(const ChunkSource& source, std::int64_t key,
                                         const std::function<PackedBytes()>& read);
  /// That chunk is gone.
  void forget(const ChunkSource& source, std::int64_t key);

 private:
  ChunkCache();
  ~ChunkCache();
  struct State;
  std::unique_ptr<State> m_state;
};

}  // namespace bexto
