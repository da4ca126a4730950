#pragma once

#include <QString>
#include <string>

#include "core/base/say.h"

namespace bexto::ui {

/// The core's texts are UTF-8.
inline QString toQString(const std::string& s)
{
  return QString::fromUtf8(s.data(), static_cast<qsizetype>(s.size()));
}

/// "18 204 frames", in the program's language; see core/base/say.h.
inline QString countOf(std::uint64_t n, Noun noun)
{
  return toQString(bexto::counted(n, noun));
}

}  // namespace bexto::ui
