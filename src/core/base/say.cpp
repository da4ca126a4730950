#include "core/base/say.h"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <limits>

#include "core/base/number_text.h"

namespace bexto {

namespace {

std::atomic<Translation> g_translation{nullptr};

std::string translated(std::string_view english, int count)
{
  const Translation translation = g_translation.load(std::memory_order_acquire);
  return translation == nullptr ? std::string() : translation(english, count);
}

}  // namespace

void setTranslation(Translation translation)
{
  g_translation.store(translation, std::memory_order_release);
}

std::string say(std::string_view english)
{
  std::string text = translated(english, -1);
  return text.empty() ? std::string(english) : text;
}

std::string counted(std::uint64_t n, Noun noun)
{
  const std::string_view english = n == 1 ? noun.one : noun.many;
  const std::string text =
      translated(noun.many, static_cast<int>(std::min<std::uint64_t>(n, std::numeric_limits<int>::max())));
  const std::string number = countText(n);
  return saying::fill(english, text.empty() ? std::string(english) : text, fmt::make_format_args(number));
}

std::string saying::fill(std::string_view english, const std::string& format, fmt::format_args values)
{
  try {
    return fmt::vformat(format, values);
  } catch (const fmt::format_error&) {  // a translator's slip must not end the program
    return fmt::vformat(english, values);
  }
}

}  // namespace bexto
