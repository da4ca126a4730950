#include "core/export/csv.h"

namespace bexto {

std::string csvRecord(const std::vector<std::string>& fields)
{
  std::string record;
  for (std::size_t i = 0; i < fields.size(); ++i) {
    if (i != 0)
      record += ',';
    if (fields[i].find_first_of(",\"\r\n") == std::string::npos) {
      record += fields[i];
      continue;
    }
    record += '"';
    for (const char c : fields[i]) {
      if (c == '"')
        record += '"';
      record += c;
    }
    record += '"';
  }
  record += "\r\n";
  return record;
}

}  // namespace bexto
