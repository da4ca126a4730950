#pragma once

#include <memory>

#include "core/signal/record_log.h"

namespace bexto {

/// Goes through the records of a log that may grow meanwhile, and holds one block of it at a time.
class RecordWalk {
 public:
  explicit RecordWalk(std::shared_ptr<const RecordLog> log) : m_log(std::move(log)) {}

  /// The same log, longer. What next() gave last is gone.
  void extend(std::shared_ptr<const RecordLog> log)
  {
    m_log = std::move(log);
    m_block = nullptr;  // its last one may have more now
  }
  /// The next one, until next() or extend() is called; false: there is none yet.
  bool next(Record& record)
  {
    const auto& chunks = m_log->chunks();
    for (; m_chunk < chunks.size(); ++m_chunk, m_next = 0, m_block = nullptr) {
      if (!m_block)
        m_block = chunks[m_chunk]->block();
      if (m_next < m_block->size()) {
        record = m_block->record(m_next++);
        return true;
      }
      if (m_chunk + 1 == chunks.size())
        return false;
    }
    return false;
  }

 private:
  std::shared_ptr<const RecordLog> m_log;
  std::size_t m_chunk = 0;
  std::size_t m_next = 0;  ///< in that chunk
  std::shared_ptr<const RecordBlock> m_block;
};

}  // namespace bexto
