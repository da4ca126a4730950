#pragma once

#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/time.h"
#include "core/query/term.h"

namespace bexto {

/// A part of a query, understood: a tree whose leaves are terms.
struct QueryNode {
  enum class Kind : std::uint8_t { All, Any, Not, From, Term };
  Kind kind = Kind::All;
  std::vector<QueryNode> parts;  ///< of All and Any several, of Not and From one
  Term term;
  /// Of a From: the moment from which on it holds, once it is known. kNever: what it waits for never comes.
  Picoseconds from = kNever;
};

/// What filter, search and `--filter` ask of traffic. The language is described in docs/filter.md. An immutable value.
///
/// It is asked of a *frame* (by the command line) or of a *line* of the Ledger, which is a transaction. A term holds
/// for a line when it holds for one of its frames; where frames are single bytes, payload terms see their row as one
/// payload.
class Query {
 public:
  /// Asks nothing: everything matches.
  Query() = default;
  /// Errors: what is wrong and where.
  static QueryResult<Query> parse(std::string_view text, const QueryNames& names);
  /// The same where no device is described; `buses` are the names of the buses that there are.
  static QueryResult<Query> parse(std::string_view text, const std::vector<std::string>& buses)
  {
    return parse(text, QueryNames(buses));
  }

  /// Whether everything matches.
  bool empty() const { return m_root.parts.empty() && m_root.kind == QueryNode::Kind::All; }
  const QueryNode& root() const { return m_root; }
  /// The terms that all have to hold, as they stand in the text: what can be switched off one by one.
  const std::vector<TextSpan>& topTerms() const { return m_topTerms; }
  /// The same without some of its top terms. Requires: off.size() == topTerms().size().
  Query without(const std::vector<bool>& off) const;
  /// "Lines with identifier 1A0 and a fault". Empty for an empty query.
  std::string explanation() const;

 private:
  friend class FromResolver;
  QueryNode m_root;
  std::vector<TextSpan> m_topTerms;
};

}  // namespace bexto
