#include "ui/import/import_page.h"

#include <fmt/core.h>

#include <array>

#include "ui/text/text.h"

namespace bexto::ui {

QString rateText(double hertz)
{
  static constexpr std::array<std::pair<const char*, double>, 3> kUnits{{{"GHz", 1e9}, {"MHz", 1e6}, {"kHz", 1e3}}};
  for (const auto& [name, factor] : kUnits) {
    if (hertz >= factor)
      return toQString(fmt::format("{:.10g} {}", hertz / factor, name));
  }
  return toQString(fmt::format("{:.10g} Hz", hertz));
}

}  // namespace bexto::ui
