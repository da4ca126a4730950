// The grammar of queries, as rules of PEGTL; the tree that comes out is turned into SyntaxNodes.
//
//   any      :=  all ( 'or' all )*
//   all      :=  one ( 'and'? one )*
//   one      :=  ( 'not' | 'from' )? primary
//   primary  :=  '(' any ')'  |  "text"  |  key compare value ( ',' value )*  |  word
//   value    :=  bare | "text" | bare '..' bare | bare '..' | '..' bare
//
// `or` binds less than standing next to each other. The grammar is total in one sense that matters for typing: each
// place where it cannot go on has a message of its own.
// Tested by tests/core/query_test.cpp.
#include "core/query/syntax.h"

#include <fmt/core.h>

#include <algorithm>
#include <cctype>
#include <tao/pegtl.hpp>
#include <tao/pegtl/contrib/parse_tree.hpp>

#include "core/base/say.h"

namespace bexto {

namespace {

namespace grammar {

using namespace tao::pegtl;  // NOLINT(google-build-using-namespace): the rules read as a grammar only so

struct gap : star<blank> {};
struct bare_char : not_one<' ', '\t', '(', ')', ',', '"', ':', '=', '<', '>', '!'> {};
struct dots : two<'.'> {};
struct keyword_end : not_at<bare_char> {};
struct or_word : seq<string<'o', 'r'>, keyword_end> {};
struct and_word : seq<string<'a', 'n', 'd'>, keyword_end> {};
struct not_word : seq<string<'n', 'o', 't'>, keyword_end> {};
struct from_word : seq<string<'f', 'r', 'o', 'm'>, keyword_end> {};
struct keyword : sor<or_word, and_word, not_word, from_word> {};

struct quoted_char : sor<seq<one<'\\'>, any>, not_one<'"'>> {};
struct quoted_body : star<quoted_char> {};
struct closing_quote : one<'"'> {};
struct quoted : if_must<one<'"'>, quoted_body, closing_quote> {};
struct bare : plus<not_at<dots>, bare_char> {};
struct low : sor<quoted, bare> {};
struct high : sor<quoted, bare> {};
struct open_high : opt<high> {};
struct value : sor<seq<low, opt<dots, open_high>>, seq<dots, high>> {};
struct next_value : sor<value> {};
struct values : seq<value, star<gap, if_must<one<','>, gap, next_value>>> {};
struct needed_values : sor<values> {};

struct relation : sor<string<'!', '='>, string<'<', '='>, string<'>', '='>, one<'<', '>'>> {};
/// "length:>4" is what one has typed who took the key with its colon from the offer.
struct comparison : sor<seq<opt<one<':'>>, relation>, one<':', '='>> {};
struct key : bare {};
struct keyed : seq<key, gap, if_must<comparison, gap, needed_values>> {};
struct lone_text : quoted {};
struct word : seq<not_at<keyword>, bare> {};

struct any_of;
struct closing_bracket : one<')'> {};
struct bracket_body : sor<any_of> {};
struct bracket : if_must<one<'('>, gap, bracket_body, gap, closing_bracket> {};
struct primary : sor<bracket, lone_text, keyed, word> {};
struct needed_primary : sor<primary> {};
struct negation : if_must<not_word, gap, needed_primary> {};
struct onward : if_must<from_word, gap, needed_primary> {};
struct single : sor<negation, onward, primary> {};
struct needed_single : sor<single> {};
struct all_of : seq<single, star<sor<seq<gap, if_must<and_word, gap, needed_single>>, seq<gap, single>>>> {};
struct needed_all : sor<all_of> {};
struct any_of : seq<all_of, star<gap, if_must<or_word, gap, needed_all>>> {};
struct at_end : eof {};
struct whole : seq<gap, opt<any_of>, gap, must<at_end>> {};

template <typename>
inline constexpr const char* kMessage = nullptr;
template <>
inline constexpr const char* kMessage<closing_quote> = "the quote is never closed";
template <>
inline constexpr const char* kMessage<quoted_body> = "the quote is never closed";
template <>
inline constexpr const char* kMessage<next_value> = "a value is missing behind the comma";
template <>
inline constexpr const char* kMessage<needed_values> = "a value is missing here";
template <>
inline constexpr const char* kMessage<bracket_body> = "a term is missing behind the bracket";
template <>
inline constexpr const char* kMessage<closing_bracket> = "the bracket is never closed";
template <>
inline constexpr const char* kMessage<needed_primary> = "a term is missing here";
template <>
inline constexpr const char* kMessage<needed_single> = "a term is missing behind 'and'";
template <>
inline constexpr const char* kMessage<needed_all> = "a term is missing behind 'or'";
template <>
inline constexpr const char* kMessage<gap> = "";
template <>
inline constexpr const char* kMessage<at_end> = "this does not fit here";

struct Messages {
  template <typename Rule>
  static constexpr const char* message = kMessage<Rule>;
};
template <typename Rule>
using Control = must_if<Messages>::control<Rule>;

template <typename Rule>
using Keep =
    parse_tree::selector<Rule,
                         parse_tree::store_content::on<quoted_body, bare, comparison, key, dots, lone_text, word, value,
                                                       low, high, keyed, bracket, negation, onward, all_of, any_of>>;

}  // namespace grammar

using Tree = tao::pegtl::parse_tree::node;

TextSpan spanOf(const Tree& node)
{
  return {node.begin().byte, node.end().byte};
}

std::string unescaped(std::string_view body)
{
  std::string text;
  for (std::size_t i = 0; i < body.size(); ++i) {
    if (body[i] == '\\' && i + 1 < body.size())
      ++i;
    text += body[i];
  }
  return text;
}

/// The text of a value's side: what stands in its quotes, or the bare word.
std::string sideText(const Tree& side, bool& quoted)
{
  const Tree& inner = *side.children.front();
  quoted = inner.is_type<grammar::quoted_body>();
  return quoted ? unescaped(inner.string_view()) : inner.string();
}

SyntaxNode::Value valueOf(const Tree& node)
{
  SyntaxNode::Value value;
  value.at = spanOf(node);
  bool quoted = false;
  for (const auto& child : node.children) {
    if (child->is_type<grammar::dots>()) {
      value.isRange = true;
      continue;
    }
    const bool isLow = child->is_type<grammar::low>();
    (isLow ? value.low : value.high) = sideText(*child, quoted);
    value.quoted = value.quoted || quoted;
  }
  return value;
}

std::string lower(std::string text)
{
  std::transform(text.begin(), text.end(), text.begin(),
                 [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return text;
}

SyntaxNode nodeOf(const Tree& tree);

SyntaxNode groupOf(SyntaxNode::Kind kind, const Tree& tree)
{
  SyntaxNode node;
  node.kind = kind;
  node.at = spanOf(tree);
  for (const auto& child : tree.children)
    node.parts.push_back(nodeOf(*child));
  const bool collects = kind == SyntaxNode::Kind::All || kind == SyntaxNode::Kind::Any;
  if (collects && node.parts.size() == 1) {
    SyntaxNode only = std::move(node.parts.front());
    return only;
  }
  return node;
}

SyntaxNode nodeOf(const Tree& tree)
{
  using Kind = SyntaxNode::Kind;
  if (tree.is_type<grammar::any_of>())
    return groupOf(Kind::Any, tree);
  if (tree.is_type<grammar::all_of>())
    return groupOf(Kind::All, tree);
  if (tree.is_type<grammar::negation>())
    return groupOf(Kind::Not, tree);
  if (tree.is_type<grammar::onward>())
    return groupOf(Kind::From, tree);
  if (tree.is_type<grammar::bracket>()) {
    SyntaxNode inner = nodeOf(*tree.children.front());
    inner.at = spanOf(tree);
    return inner;
  }
  SyntaxNode node;
  node.at = spanOf(tree);
  if (tree.is_type<grammar::keyed>()) {
    node.kind = Kind::Keyed;
    for (const auto& child : tree.children) {
      if (child->is_type<grammar::key>()) {
        node.word = lower(child->string());
        node.keyAt = spanOf(*child);
      } else if (child->is_type<grammar::comparison>()) {
        node.comparison = child->string();
        if (node.comparison.size() > 1 && node.comparison.front() == ':')
          node.comparison.erase(0, 1);
      } else {
        node.values.push_back(valueOf(*child));
      }
    }
  } else if (tree.is_type<grammar::lone_text>()) {
    node.kind = Kind::Text;
    node.word = unescaped(tree.children.front()->string_view());
  } else {
    node.kind = Kind::Word;
    node.typed = tree.string();
    node.word = lower(node.typed);
    node.keyAt = node.at;
  }
  return node;
}

/// PEGTL descends by calls: text that nests without end would exhaust the stack.
bool nestsTooDeep(std::string_view text)
{
  constexpr int kDeepest = 40;
  int depth = 0;
  bool quoted = false;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (c == '"')
      quoted = !quoted;
    i += quoted && c == '\\' ? 1 : 0;
    if (quoted)
      continue;
    depth += c == '(' ? 1 : c == ')' ? -1 : 0;
    if (depth > kDeepest)
      return true;
  }
  return false;
}

}  // namespace

std::string QueryError::text() const
{
  return say("column {}: {}{}{}", at.begin + 1, message, mend.empty() ? "" : "; ", mend);
}

QueryResult<SyntaxNode> parseSyntax(std::string_view text)
{
  constexpr std::size_t kLongest = 8000;
  if (text.size() > kLongest || nestsTooDeep(text))
    return tl::unexpected(QueryError{say("this is too long or has too many brackets"), "", {0, text.size()}});
  tao::pegtl::memory_input input(text.data(), text.data() + text.size(), "query");
  try {
    const auto root =
        tao::pegtl::parse_tree::parse<grammar::whole, Tree, grammar::Keep, tao::pegtl::nothing, grammar::Control>(
            input);
    if (!root)  // the grammar ends in must<>, so it throws instead
      return tl::unexpected(QueryError{say("this cannot be understood"), "", {0, text.size()}});
    SyntaxNode node;
    node.at = {0, text.size()};
    if (root->children.empty())
      return node;
    return nodeOf(*root->children.front());
  } catch (const tao::pegtl::parse_error& e) {
    const std::size_t at = std::min<std::size_t>(e.positions().front().byte, text.size());
    QueryError error{say(e.message()), "", {at, std::min(at + 1, text.size())}};
    if (at < text.size() && text[at] == ')')
      error.message = say("no bracket was opened that this could close");
    // An error at the very end has no character to stand under: mark the last one that is there.
    if (error.at.begin == error.at.end && at > 0)
      error.at.begin = text.find_last_not_of(" \t") == std::string_view::npos ? 0 : text.find_last_not_of(" \t");
    return tl::unexpected(error);
  }
}

}  // namespace bexto
