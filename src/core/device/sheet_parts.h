#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/device/sheet.h"
#include "core/device/yaml_map.h"

namespace bexto {

// What several parts of a sheet are made of. All say what is wrong.

/// "0x9F", or a list of bytes.
std::vector<std::uint8_t> bytesOf(const YamlPart& part, const std::string& what, Problems& problems);
/// Whether it is a map, whose keys are names of what is in it.
bool isMapOfNames(const YamlPart& part, const std::string& key, Problems& problems);
/// The name that a register, a command or a message has.
std::string nameOf(const YamlPart& key, Problems& problems);
/// What `at` has as text: names only values that there are.
void checkTemplate(const std::string& text, const std::vector<SheetField>& fields, const YamlPart& at,
                   Problems& problems);
/// A place to say what is wrong with something that was read already.
YamlPart partAt(int line);

}  // namespace bexto
