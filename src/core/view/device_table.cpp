// Tested by tests/core/device_history_test.cpp.
#include "core/view/device_table.h"

#include <algorithm>

#include "core/decode/sentence.h"

namespace bexto {

namespace {

/// What was said last, on whichever direction.
std::optional<DeviceHistory::Said> lastSaid(const std::vector<DeviceHistory>& streams, std::size_t subject,
                                            Picoseconds at)
{
  std::optional<DeviceHistory::Said> last;
  for (const DeviceHistory& history : streams) {
    if (history.empty())
      continue;
    auto said = history.saidAt(subject, at);
    if (said && (!last || said->at > last->at))
      last = std::move(said);
  }
  return last;
}

const ToldValue* valueOf(const std::optional<DeviceHistory::Said>& said, const std::string& name)
{
  if (!said)
    return nullptr;
  const auto found =
      std::find_if(said->values.begin(), said->values.end(), [&](const ToldValue& v) { return v.name == name; });
  return found == said->values.end() ? nullptr : &*found;
}

}  // namespace

std::vector<DeviceRow> deviceRows(const std::vector<DeviceHistory>& streams, std::size_t sheet, Picoseconds at,
                                  std::optional<Picoseconds> since)
{
  std::vector<DeviceRow> rows;
  const auto first = std::find_if(streams.begin(), streams.end(), [](const DeviceHistory& h) { return !h.empty(); });
  if (first == streams.end())
    return rows;
  for (std::size_t i = 0; i < first->subjects().size(); ++i) {
    if (first->subjects()[i].sheet != sheet)
      continue;
    const auto now = lastSaid(streams, i, at);
    const auto then = since ? lastSaid(streams, i, *since) : std::nullopt;
    const std::vector<SheetField>& fields = first->fieldsOf(i);
    const auto fill = [&](DeviceRow& row, const SheetField& field) {
      const ToldValue* const value = valueOf(now, field.name);
      const ToldValue* const before = valueOf(then, field.name);
      if (value != nullptr) {
        row.value = value->textWithUnit();
        row.wrong = value->wrong;
      }
      // What was never seen then and is now has changed as well.
      row.changed = since && value != nullptr && (before == nullptr || before->text != value->text);
    };
    DeviceRow row;
    row.subject = i;
    row.name = shownName(first->nameOf(i));
    row.seen = now.has_value();
    row.written = now && now->written;
    row.isRegister = first->subjects()[i].isRegister;
    row.at = now ? now->at : Picoseconds{0};
    const bool single = fields.size() == 1;
    if (single)
      fill(row, fields.front());
    rows.push_back(row);
    for (std::size_t f = 0; !single && f < fields.size(); ++f) {
      DeviceRow inner = rows.back();
      inner.field = f;
      inner.name = shownName(fields[f].name);
      inner.value.clear();
      inner.wrong.clear();
      inner.changed = false;
      inner.seen = valueOf(now, fields[f].name) != nullptr;
      fill(inner, fields[f]);
      rows.push_back(inner);
    }
    if (!single) {
      DeviceRow* const head = &rows[rows.size() - fields.size() - 1];
      head->changed = std::any_of(rows.end() - static_cast<std::ptrdiff_t>(fields.size()), rows.end(),
                                  [](const DeviceRow& r) { return r.changed; });
    }
  }
  return rows;
}

}  // namespace bexto
