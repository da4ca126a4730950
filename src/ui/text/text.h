#pragma once

#include <QString>
#include <string>

namespace bexto::ui {

/// The core's texts are UTF-8.
inline QString toQString(const std::string& s)
{
  return QString::fromUtf8(s.data(), static_cast<qsizetype>(s.size()));
}

}  // namespace bexto::ui
