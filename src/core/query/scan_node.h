#pragma once

#include <algorithm>
#include <memory>
#include <optional>
#include <vector>

#include "core/decode/meaning.h"
#include "core/decode/payload.h"
#include "core/decode/property.h"
#include "core/query/query.h"
#include "core/query/scan.h"

namespace bexto {

/// A part of the query as it is asked of one source: words have become what they mean to its protocol.
struct ScanNode {
  QueryNode::Kind kind = QueryNode::Kind::All;
  std::vector<ScanNode> parts = {};
  Term term = {};
  Picoseconds from = kNever;

  const Property* property = nullptr;                          ///< of a Property; nullptr: the protocol has none such
  std::optional<PayloadWay> way = {};                          ///< of a Property: it is the payload that goes that way
  std::vector<FrameKind> kinds = {};                           ///< of a Kind or a Word
  FrameErrors errors = 0;                                      ///< of an Error or a Word
  std::vector<bool (*)(const Bus&, const Frame&)> tests = {};  ///< of a Word
  std::unique_ptr<MeaningTest> meaning = {};                   ///< of what sheets say; nullptr: there are none

  bool hasKind(FrameKind k) const { return std::find(kinds.begin(), kinds.end(), k) != kinds.end(); }
};

/// The query for one source, the terms of an `and` from the cheapest to the dearest.
ScanNode scanNodeOf(const QueryNode& query, const ScanSource& source);

}  // namespace bexto
