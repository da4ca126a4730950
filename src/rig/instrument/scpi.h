#pragma once

#include <deque>
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace bexto::rig {

/// An entry of the error queue: SCPI-1999, volume 2, chapter 21.
struct ScpiError {
  int number = 0;
  std::string detail;  ///< what stands behind the semicolon of the message; may be empty

  /// `-113,"Undefined header;SAMPel"`.
  std::string text() const;
};

namespace scpi {
// The numbers of SCPI-1999, volume 2, 21.8, as far as this instrument has them.
inline constexpr int kSyntax = -102;
inline constexpr int kDataType = -104;
inline constexpr int kParameterNotAllowed = -108;
inline constexpr int kMissingParameter = -109;
inline constexpr int kUndefinedHeader = -113;
inline constexpr int kHeaderSuffix = -114;
inline constexpr int kInvalidSuffix = -131;
inline constexpr int kInvalidCharacterData = -141;
inline constexpr int kInvalidStringData = -151;
inline constexpr int kTriggerIgnored = -211;
inline constexpr int kInitIgnored = -213;
inline constexpr int kSettingsConflict = -221;
inline constexpr int kOutOfRange = -222;
inline constexpr int kIllegalValue = -224;
inline constexpr int kDataStale = -230;
inline constexpr int kQueueOverflow = -350;
inline constexpr int kInputOverrun = -363;
inline constexpr int kQueryInterrupted = -410;
}  // namespace scpi

/// One command of a program message, taken apart.
struct ScpiUnit {
  std::vector<std::string> nodes;  ///< "SAMPle", "RATE": as typed, without colons; of a common command "*IDN"
  bool fromRoot = false;           ///< a colon stands in front
  bool query = false;
  std::vector<std::string> parameters;  ///< strings with their quotes
  std::string header;                   ///< as typed, for messages
};

/// Splits a line at semicolons that stand outside of strings. nullopt with an error: it is none.
std::optional<std::vector<ScpiUnit>> parseScpi(std::string_view line, ScpiError& error);

/// A tree of commands by their patterns: "[SENSe]:SAMPle:RATE", "CHANnel<n>:NAME". Capitals are the short form; nodes
/// in square brackets may be left out; <n> takes a number (SCPI-1999, volume 1, chapter 6).
class ScpiTree {
 public:
  struct Call {
    std::vector<int> suffixes;  ///< of the nodes with <n>, in their order; 1 where none was typed
    const std::vector<std::string>& parameters;
    bool query;
  };
  /// Answers a query; of a command what it returns is not sent.
  using Handler = std::function<std::string(const Call&)>;

  /// Thrown by handlers.
  struct Failure {
    ScpiError error;
  };

  enum class Form : std::uint8_t { Command, Query, Both };
  void add(std::string_view pattern, Form form, Handler handler);
  /// Carries a unit out. `path` are the nodes that a header without a leading colon goes on from, and becomes those of
  /// the next one (SCPI-1999, volume 1, 6.2.4). Throws Failure.
  std::string execute(const ScpiUnit& unit, std::vector<std::string>& path) const;

 private:
  struct Node {
    std::string shortForm;  ///< upper case
    std::string longForm;
    bool optional = false;
    bool numbered = false;
  };
  struct Entry {
    std::vector<Node> nodes;
    Form form = Form::Both;
    Handler handler;
  };
  static bool matches(const Entry& entry, const std::vector<std::string>& typed, std::size_t node, std::size_t at,
                      std::vector<int>& suffixes);
  std::vector<Entry> m_entries;
};

// Parameters. All throw ScpiTree::Failure.

/// A number with an optional unit of `unit` and its multiplier ("50 MHZ", "2E-3", "10us"), or MIN, MAX, DEF.
double scpiNumber(const std::string& text, std::string_view unit, double least, double most, double usual);
/// One of the words, by its short or long form; its place.
std::size_t scpiWord(const std::string& text, const std::vector<std::string>& words);
/// A text in single or double quotes.
std::string scpiText(const std::string& text);
bool scpiBool(const std::string& text);
/// In quotes.
std::string scpiQuoted(std::string_view text);
/// The short form of a word of a table: its capitals.
std::string scpiShort(std::string_view word);
/// `bytes` as a definite-length block: IEEE 488.2-1992, 8.7.9.
std::string scpiBlock(std::string_view bytes);

}  // namespace bexto::rig
