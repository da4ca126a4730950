#pragma once

#include <cstdint>
#include <string_view>
#include <unordered_map>
#include <vector>

namespace bexto {

inline constexpr std::uint32_t kNoVariable = 0xffffffff;

/// Identifier code → position of the first variable that has it.
class IdTable {
 public:
  void insert(std::string_view id, std::uint32_t position)
  {
    if (id.size() > 3) {
      m_long.try_emplace(id, position);
      return;
    }
    const std::uint32_t code = codeOf(id.data(), id.size());
    if (code >= m_short.size())
      m_short.resize(code + 1, kNoVariable);
    if (m_short[code] == kNoVariable)
      m_short[code] = position;
  }

  std::uint32_t find(const char* id, std::size_t size) const
  {
    if (size <= 3) [[likely]] {
      const std::uint32_t code = codeOf(id, size);
      return code < m_short.size() ? m_short[code] : kNoVariable;
    }
    const auto found = m_long.find(std::string_view(id, size));
    return found == m_long.end() ? kNoVariable : found->second;
  }

 private:
  static std::uint32_t codeOf(const char* id, std::size_t size)
  {
    std::uint32_t code = 0;
    for (std::size_t i = 0; i < size; ++i) {
      const std::uint32_t digit = static_cast<unsigned char>(id[i]) - 32U;
      if (digit > 94)
        return kNoVariable;
      code = code * 94 + digit;
    }
    return code;
  }

  std::vector<std::uint32_t> m_short;
  std::unordered_map<std::string_view, std::uint32_t> m_long;
};

}  // namespace bexto
