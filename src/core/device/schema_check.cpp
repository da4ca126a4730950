// Messages of validators speak of schemas, so a schema is the second look at what a person wrote: those who read it say
// first, in words, what is wrong.
#include "core/device/schema_check.h"

#include <map>
#include <mutex>
#include <nlohmann/json.hpp>
#include <valijson/adapters/nlohmann_json_adapter.hpp>
#include <valijson/schema.hpp>
#include <valijson/schema_parser.hpp>
#include <valijson/validation_results.hpp>
#include <valijson/validator.hpp>

namespace bexto {

namespace {

/// What the validator reads from: a schema borrows its document.
struct Parsed {
  nlohmann::json document;
  valijson::Schema schema;
};

const valijson::Schema& parsed(const std::string& text)
{
  static std::mutex mutex;
  static std::map<const std::string*, std::unique_ptr<Parsed>> known;
  const std::lock_guard<std::mutex> lock(mutex);
  std::unique_ptr<Parsed>& made = known[&text];
  if (!made) {
    made = std::make_unique<Parsed>();
    made->document = nlohmann::json::parse(text);
    valijson::SchemaParser parser;
    parser.populateSchema(valijson::adapters::NlohmannJsonAdapter(made->document), made->schema);
  }
  return made->schema;
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

std::vector<SheetProblem> problemsBySchema(const YamlPart& document, const std::string& schema,
                                           const std::string& message)
{
  const nlohmann::json json = nlohmann::json::parse(jsonOf(document));
  valijson::ValidationResults results;
  valijson::Validator validator(valijson::Validator::kStrongTypes);
  if (validator.validate(parsed(schema), valijson::adapters::NlohmannJsonAdapter(json), &results))
    return {};
  // The first says where it begins to be wrong; the rest are those around it.
  std::size_t deepest = 0;
  SheetProblem problem;
  for (valijson::ValidationResults::Error error; results.popError(error);) {
    if (error.context.size() < deepest && !problem.message.empty())
      continue;
    deepest = error.context.size();
    const YamlPart* const part = partAt(document, error.context);
    problem = {part->line, part->column, message, error.description};
  }
  return {problem};
}

}  // namespace bexto
