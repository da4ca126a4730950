// The schema is the file data/sheet.schema.json, compiled in. It is the second look at a sheet.
#include "core/base/say.h"
#include "core/device/schema_check.h"
#include "core/device/sheet.h"

namespace bexto {

extern const char* const kSheetSchema;

const std::string& sheetSchema()
{
  static const std::string kText = kSheetSchema;
  return kText;
}

std::vector<SheetProblem> checkBySchema(const YamlPart& sheet)
{
  return problemsBySchema(sheet, sheetSchema(), say("this does not fit the schema of sheets"));
}

}  // namespace bexto
