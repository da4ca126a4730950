// Tested by tests/core/query_test.cpp.
#include "core/query/query.h"

#include <algorithm>

#include "core/base/say.h"

namespace bexto {

namespace {

QueryResult<QueryNode> understand(const SyntaxNode& syntax, const QueryNames& names)
{
  using Kind = SyntaxNode::Kind;
  QueryNode node;
  switch (syntax.kind) {
    case Kind::All:
      node.kind = QueryNode::Kind::All;
      break;
    case Kind::Any:
      node.kind = QueryNode::Kind::Any;
      break;
    case Kind::Not:
      node.kind = QueryNode::Kind::Not;
      break;
    case Kind::From:
      node.kind = QueryNode::Kind::From;
      break;
    case Kind::Word:
    case Kind::Text:
    case Kind::Keyed: {
      auto term = termOf(syntax, names);
      if (!term)
        return tl::unexpected(term.error());
      node.kind = QueryNode::Kind::Term;
      node.term = std::move(*term);
      return node;
    }
  }
  for (const SyntaxNode& part : syntax.parts) {
    auto understood = understand(part, names);
    if (!understood)
      return understood;
    node.parts.push_back(std::move(*understood));
  }
  return node;
}

std::string phraseOf(const QueryNode& node, bool inner);

std::string joined(const QueryNode& node)
{
  const bool all = node.kind == QueryNode::Kind::All;
  std::string text;
  for (const QueryNode& part : node.parts) {
    const std::string more = phraseOf(part, true);
    text = text.empty() ? more : all ? say("{} and {}", text, more) : say("{} or {}", text, more);
  }
  return text;
}

std::string phraseOf(const QueryNode& node, bool inner)
{
  switch (node.kind) {
    case QueryNode::Kind::Term:
      return phraseOf(node.term);
    case QueryNode::Kind::Not: {
      const bool simple = node.parts.front().kind == QueryNode::Kind::Term;
      const std::string what = phraseOf(node.parts.front(), false);
      return simple ? say("without {}", what) : say("not ({})", what);
    }
    case QueryNode::Kind::From:
      return say("all from the first with {} on", phraseOf(node.parts.front(), true));
    case QueryNode::Kind::All:
      if (node.parts.size() == 1)
        return phraseOf(node.parts.front(), inner);
      [[fallthrough]];
    case QueryNode::Kind::Any:
      return inner ? "(" + joined(node) + ")" : joined(node);
  }
  return "";
}

/// "Lines" needs a "with" only before what can be had.
bool readsAlone(const QueryNode& node)
{
  if (node.kind == QueryNode::Kind::All || node.kind == QueryNode::Kind::Any)
    return !node.parts.empty() && readsAlone(node.parts.front());
  return node.kind == QueryNode::Kind::Not || node.kind == QueryNode::Kind::From;
}

}  // namespace

QueryResult<Query> Query::parse(std::string_view text, const QueryNames& names)
{
  const auto syntax = parseSyntax(text);
  if (!syntax)
    return tl::unexpected(syntax.error());
  Query query;
  if (syntax->kind == SyntaxNode::Kind::All && syntax->parts.empty())
    return query;
  auto root = understand(*syntax, names);
  if (!root)
    return tl::unexpected(root.error());
  query.m_root = std::move(*root);
  if (syntax->kind == SyntaxNode::Kind::All) {
    for (const SyntaxNode& part : syntax->parts)
      query.m_topTerms.push_back(part.at);
  } else {
    // One term alone is a list of one: everything that lists top terms has one case.
    query.m_topTerms.push_back(syntax->at);
    QueryNode all;
    all.parts.push_back(std::move(query.m_root));
    query.m_root = std::move(all);
  }
  return query;
}

Query Query::without(const std::vector<bool>& off) const
{
  Query query;
  for (std::size_t i = 0; i < m_topTerms.size(); ++i) {
    if (off[i])
      continue;
    query.m_root.parts.push_back(m_root.parts[i]);
    query.m_topTerms.push_back(m_topTerms[i]);
  }
  return query;
}

std::string Query::explanation() const
{
  if (empty())
    return "";
  const std::string what = phraseOf(m_root, false);
  return readsAlone(m_root) ? say("Lines {}", what) : say("Lines with {}", what);
}

}  // namespace bexto
