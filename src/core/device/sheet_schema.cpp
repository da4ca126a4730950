// The schema is the file data/sheet.schema.json, compiled in. It is the second look at a sheet: messages of validators
// speak of schemas, so what readSheet() finds comes first, in words.
#include <nlohmann/json.hpp>
#include <valijson/adapters/nlohmann_json_adapter.hpp>
#include <valijson/schema.hpp>
#include <valijson/schema_parser.hpp>
#include <valijson/validation_results.hpp>
#include <valijson/validator.hpp>

#include "core/base/say.h"
#include "core/device/sheet.h"

namespace bexto {

extern const char* const kSheetSchema;

namespace {

const valijson::Schema& schema()
{
  static const nlohmann::json kDocument = nlohmann::json::parse(sheetSchema());
  static const auto kSchema = [] {
    auto made = std::make_unique<valijson::Schema>();
    valijson::SchemaParser parser;
    parser.populateSchema(valijson::adapters::NlohmannJsonAdapter(kDocument), *made);
    return made;
  }();
  return *kSchema;
}

/// "<root>", "[registers]", "[level]": as far as the sheet goes that way.
const YamlPart* partAt(const YamlPart& root, const std::vector<std::string>& path)
{
  const YamlPart* part = &root;
  for (std::size_t i = 1; i < path.size(); ++i) {
    const std::string name = path[i].size() > 2 ? path[i].substr(1, path[i].size() - 2) : std::string();
    const YamlPart* inner = part->find(name);
    if (inner == nullptr && part->kind == YamlPart::Kind::List) {
      std::size_t place = 0;
      for (const char c : name)
        place = place * 10 + static_cast<std::size_t>(c - '0');
      inner = place < part->items.size() ? &part->items[place] : nullptr;
    }
    if (inner == nullptr)
      break;
    part = inner;
  }
  return part;
}

}  // namespace

const std::string& sheetSchema()
{
  static const std::string kText = kSheetSchema;
  return kText;
}

std::vector<SheetProblem> checkBySchema(const YamlPart& sheet)
{
  const nlohmann::json document = nlohmann::json::parse(jsonOf(sheet));
  valijson::ValidationResults results;
  valijson::Validator validator(valijson::Validator::kStrongTypes);
  if (validator.validate(schema(), valijson::adapters::NlohmannJsonAdapter(document), &results))
    return {};
  // The first says where it begins to be wrong; the rest are those around it.
  std::size_t deepest = 0;
  SheetProblem problem;
  for (valijson::ValidationResults::Error error; results.popError(error);) {
    if (error.context.size() < deepest && !problem.message.empty())
      continue;
    deepest = error.context.size();
    const YamlPart* const part = partAt(sheet, error.context);
    problem = {part->line, part->column, say("this does not fit the schema of sheets"), error.description};
  }
  return {problem};
}

}  // namespace bexto
