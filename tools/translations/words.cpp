// Prints the texts that stand in the tables of the core, one a line: labels, help and phrases that rooms and columns
// state and that say() is given where they are shown. collect.py puts them among the texts to translate.
#include <fmt/core.h>

#include <set>
#include <string>

#include "core/decode/protocol.h"
#include "core/decode/settings.h"
#include "core/decode/value_text.h"
#include "core/query/term.h"
#include "core/session/wire_colour.h"
#include "core/view/ledger_cells.h"

int main()
{
  std::set<std::string> texts;
  for (const bexto::Protocol* protocol : bexto::protocols()) {
    const bexto::Protocol::Facts& facts = protocol->facts();
    texts.insert(facts.likeness);
    for (const bexto::KindSpec& kind : facts.kinds)
      texts.insert(kind.label);
    for (const bexto::ErrorSpec& error : facts.errors)
      texts.insert(error.phrase);
    for (const bexto::WaySpec& way : facts.ways)
      texts.insert(way.label);
    for (const bexto::SettingSpec& setting : protocol->settings().specs()) {
      texts.insert(setting.label);
      texts.insert(setting.help);
    }
  }
  for (const bexto::LedgerColumnSpec& column : bexto::ledgerColumns()) {
    texts.insert(column.label);
    texts.insert(column.help);
  }
  for (const bexto::TermHelp& key : bexto::queryKeys())
    texts.insert(key.help);
  for (const bexto::TermHelp& word : bexto::queryWords())
    texts.insert(word.help);
  for (const bexto::Protocol* protocol : bexto::protocols()) {
    for (const bexto::MeasureSpec& measure : protocol->facts().measures)
      texts.insert(measure.meaning);
  }
  for (const std::string& phrase : bexto::queryPhrases())
    texts.insert(phrase);
  for (int format = 0; format < bexto::kValueFormats; ++format)
    texts.insert(bexto::formatName(static_cast<bexto::ValueFormat>(format)));
  for (const bexto::WireColourFacts& colour : bexto::kWireColours)
    texts.insert(std::string(colour.name));
  texts.erase("");
  for (const std::string& text : texts)
    fmt::print("{}\n", text);
}
