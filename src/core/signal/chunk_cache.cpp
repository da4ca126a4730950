// Tested by tests/core/edge_chunk_test.cpp.
#include "core/signal/chunk_cache.h"

#include <list>
#include <mutex>
#include <unordered_map>

namespace bexto {

namespace {

struct Key {
  const ChunkSource* source;
  std::int64_t chunk;
  bool operator==(const Key&) const = default;
};

struct KeyHash {
  std::size_t operator()(const Key& key) const
  {
    return std::hash<const void*>()(key.source) * 31 + std::hash<std::int64_t>()(key.chunk);
  }
};

struct Held {
  Key key;
  std::shared_ptr<const PackedBytes> bytes;
};

}  // namespace

struct ChunkCache::State {
  mutable std::mutex mutex;
  std::size_t limit = kUsualLimit;
  std::size_t size = 0;
  std::list<Held> held;  ///< that used last in front
  std::unordered_map<Key, std::list<Held>::iterator, KeyHash> places;

  void drop(std::list<Held>::iterator at)
  {
    size -= at->bytes->capacity();
    places.erase(at->key);
    held.erase(at);
  }
  void shrink()
  {
    while (size > limit && !held.empty())
      drop(std::prev(held.end()));
  }
};

ChunkCache::ChunkCache() : m_state(std::make_unique<State>()) {}
ChunkCache::~ChunkCache() = default;

ChunkCache& ChunkCache::shared()
{
  // Never destroyed: chunks that live as long as the program still say that they are gone.
  static ChunkCache& cache = *new ChunkCache;
  return cache;
}

void ChunkCache::setLimit(std::size_t bytes)
{
  const std::lock_guard lock(m_state->mutex);
  m_state->limit = bytes;
  m_state->shrink();
}

std::size_t ChunkCache::limit() const
{
  const std::lock_guard lock(m_state->mutex);
  return m_state->limit;
}

std::size_t ChunkCache::size() const
{
  const std::lock_guard lock(m_state->mutex);
  return m_state->size;
}

std::shared_ptr<const PackedBytes> ChunkCache::get(const ChunkSource& source, std::int64_t key,
                                                   const std::function<PackedBytes()>& read)
{
  const Key wanted{&source, key};
  {
    const std::lock_guard lock(m_state->mutex);
    if (const auto found = m_state->places.find(wanted); found != m_state->places.end()) {
      m_state->held.splice(m_state->held.begin(), m_state->held, found->second);
      return found->second->bytes;
    }
  }
  // Not under the lock: several threads decode at once, and unpacking is the larger part.
  auto bytes = std::make_shared<const PackedBytes>(read());
  const std::lock_guard lock(m_state->mutex);
  if (const auto found = m_state->places.find(wanted); found != m_state->places.end())
    return found->second->bytes;
  m_state->held.push_front({wanted, bytes});
  m_state->places[wanted] = m_state->held.begin();
  m_state->size += bytes->capacity();
  m_state->shrink();
  return bytes;
}

void ChunkCache::forget(const ChunkSource& source, std::int64_t key)
{
  const std::lock_guard lock(m_state->mutex);
  if (const auto found = m_state->places.find({&source, key}); found != m_state->places.end())
    m_state->drop(found->second);
}

}  // namespace bexto
