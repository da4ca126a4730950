#pragma once

#include "core/decode/talk.h"
#include "core/device/sheet.h"
#include "core/device/yaml_map.h"

namespace bexto {

/// Reads what a sheet says of messages: how they are cut out of characters, on which ways they come in several frames,
/// and each of them. Says all that is wrong.
class MessageReader {
 public:
  /// `big`: the order of bytes where nothing else is said.
  MessageReader(TalkStyle style, bool big, Problems& problems) : m_problems(problems), m_style(style), m_big(big) {}

  /// framing:, and what all messages of a row of characters share.
  void readCharacters(YamlMap& map, Sheet& sheet);
  /// transport: and messages:.
  void readMessages(YamlMap& map, Sheet& sheet);

 private:
  SheetFraming framingOf(const YamlPart& part);
  SheetChecksum checksumOf(const YamlPart& part);
  void readTransports(YamlMap& map, Sheet& sheet);
  void readIdentifier(YamlMap& map, const Sheet& sheet, SheetMessage& m);
  void readMessage(const YamlPart& key, const YamlPart& value, Sheet& sheet);
  Picoseconds lengthOf(YamlMap& map, const char* key);
  void readMatch(const YamlPart& part, SheetMessage& m);
  void readLine(const YamlPart& part, SheetMessage& m);

  Problems& m_problems;
  TalkStyle m_style;
  bool m_big;
};

}  // namespace bexto
