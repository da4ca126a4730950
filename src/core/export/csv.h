#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace bexto {

/// One record of RFC 4180, with its CRLF: fields that hold a comma, a quote or a line break are quoted, and quotes in
/// them doubled. Fields are UTF-8 and written as they are.
std::string csvRecord(const std::vector<std::string>& fields);

}  // namespace bexto
