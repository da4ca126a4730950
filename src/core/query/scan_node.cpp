// Tested by tests/core/query_scan_test.cpp.
#include "core/query/scan_node.h"

#include "core/decode/protocol.h"

namespace bexto {

namespace {

bool asksMeaning(TermKey key)
{
  return key == TermKey::Value || key == TermKey::Device || key == TermKey::Message || key == TermKey::Invalid;
}

/// What the words of a term mean to a protocol, and to the devices on the bus.
void resolve(ScanNode& node, const ScanSource& source)
{
  const Protocol& protocol = source.bus.protocol();
  if (asksMeaning(node.term.key) && source.transactions.meaning())
    node.meaning = source.transactions.meaning()->test(source.bus, node.term.question);
  const Protocol::Facts& facts = protocol.facts();
  const Term& term = node.term;
  const bool alone = term.key == TermKey::Word;
  if (term.key == TermKey::Property) {
    node.property = protocol.property(term.property);
    for (std::size_t way = 0; way < facts.ways.size(); ++way) {
      if (!facts.ways[way].key.empty() && facts.ways[way].key == term.property)
        node.way = static_cast<PayloadWay>(way);
    }
  }
  if (term.key == TermKey::Kind || alone) {
    for (const KindSpec& kind : facts.kinds) {
      if (term.isNamed(kind.word) && (!alone || !kind.phrase.empty()))
        node.kinds.push_back(kind.kind);
    }
  }
  if (term.key == TermKey::Error || alone) {
    for (const ErrorSpec& error : facts.errors) {
      if (term.isNamed(error.word) && (!alone || !error.phrase.empty()))
        node.errors = static_cast<FrameErrors>(node.errors | error.bit);
    }
  }
  if (alone) {
    for (const PropertyWord& word : facts.words) {
      if (term.isNamed(word.word))
        node.tests.push_back(word.holds);
    }
  }
}

/// How much a term costs a line, to order those of an `and`.
int costOf(const ScanNode& node)
{
  if (node.kind != QueryNode::Kind::Term) {
    int cost = node.kind == QueryNode::Kind::From ? 1 : 3;
    for (const ScanNode& part : node.parts)
      cost = node.kind == QueryNode::Kind::From ? cost : std::max(cost, costOf(part));
    return cost;
  }
  switch (node.term.key) {
    case TermKey::Bus:
    case TermKey::Protocol:
    case TermKey::Line:
      return 0;
    case TermKey::Error:
    case TermKey::Kind:
    case TermKey::Word:
    case TermKey::Faulty:
      return 1;
    case TermKey::Property:
      if (node.property == nullptr)
        return 0;
      return node.property->isKey != nullptr ? 1 : node.term.sort == Property::Sort::Bytes ? 5 : 4;
    case TermKey::Time:
    case TermKey::Sent:
      return 2;
    case TermKey::Lasts:
    case TermKey::Pause:
    case TermKey::Answer:
    case TermKey::Unanswered:
    case TermKey::Byte:
    case TermKey::LastByte:
    case TermKey::Length:
      return 4;
    case TermKey::Device:
    case TermKey::Message:
    case TermKey::Invalid:
      return node.meaning ? 3 : 0;
    case TermKey::Value:
      return node.meaning ? 4 : 0;
    case TermKey::Data:
    case TermKey::Text:
      return 5;
  }
  return 5;
}

}  // namespace

ScanNode scanNodeOf(const QueryNode& query, const ScanSource& source)
{
  ScanNode node;
  node.kind = query.kind;
  node.term = query.term;
  node.from = query.from;
  if (node.kind == QueryNode::Kind::Term)
    resolve(node, source);
  for (const QueryNode& part : query.parts)
    node.parts.push_back(scanNodeOf(part, source));
  if (node.kind == QueryNode::Kind::All)
    std::stable_sort(node.parts.begin(), node.parts.end(),
                     [](const ScanNode& a, const ScanNode& b) { return costOf(a) < costOf(b); });
  return node;
}

}  // namespace bexto
