#include "core/decode/protocol.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/base/say.h"

namespace bexto {

Protocol::BitRange Protocol::bitsAround(const Anatomy& anatomy, Picoseconds /*at*/) const
{
  return {0, anatomy.bits.size()};
}

bool Protocol::firsts(const Bus& /*bus*/, const FrameIndex& /*frames*/, std::uint64_t /*from*/,
                      std::vector<std::uint32_t>& /*firsts*/) const
{
  return false;
}

std::vector<PayloadWay> Protocol::waysOf(const Bus& /*bus*/) const
{
  std::vector<PayloadWay> ways;
  for (std::size_t i = 0; i < m_facts.ways.size(); ++i)
    ways.push_back(static_cast<PayloadWay>(i));
  return ways;
}

std::string Protocol::payloadLabel(const Bus& /*bus*/, const Frame& /*frame*/, PayloadWay way) const
{
  return say(m_facts.ways.at(way).label);
}

std::string Protocol::kindText(const Bus& /*bus*/, const Frame& frame) const
{
  const KindSpec* const spec = kind(frame.kind);
  return spec == nullptr ? std::string() : say(spec->label);
}

Result<Telegram> Protocol::telegram(const Bus& /*bus*/, const std::string& /*line*/) const
{
  return fail(ErrorCode::BadArgument, say("nothing can be sent on {}", label()));
}

std::string Protocol::kindTerm(const Bus& /*bus*/, const Frame& frame) const
{
  const KindSpec* const spec = kind(frame.kind);
  return spec == nullptr ? std::string() : "kind:" + spec->word;
}

std::string Protocol::detailTerm(const Bus& /*bus*/, const Frame& /*frame*/, const Detail& /*detail*/) const
{
  return {};
}

std::uint64_t Protocol::kindOf(const Transactions& transactions, std::uint64_t number) const
{
  return transactions.frames().frame(transactions.framesOf(number).first).kind;
}

const KindSpec* Protocol::kind(FrameKind kind) const
{
  for (const KindSpec& spec : m_facts.kinds) {
    if (spec.kind == kind)
      return &spec;
  }
  return nullptr;
}

const Property* Protocol::property(const std::string& key) const
{
  for (const Property& property : m_facts.properties) {
    if (property.key == key)
      return &property;
  }
  return nullptr;
}

const RoleSpec* Protocol::role(const std::string& name) const
{
  for (const RoleSpec& role : m_facts.roles) {
    if (role.name == name)
      return &role;
  }
  return nullptr;
}

bool Protocol::hasLines() const
{
  return std::any_of(m_facts.roles.begin(), m_facts.roles.end(), [](const RoleSpec& r) { return r.isLine; });
}

std::vector<std::string_view> Protocol::errorWords(FrameErrors errors) const
{
  std::vector<std::string_view> words;
  for (const ErrorSpec& error : m_facts.errors) {
    if ((errors & error.bit) != 0)
      words.push_back(error.word);
  }
  return words;
}

std::string Protocol::termOf(const std::string& key, const FrameContext& frame) const
{
  const Property* const asked = property(key);
  if (asked == nullptr)
    return {};
  const std::string value = termText(*asked, frame);
  return value.empty() ? std::string() : key + ":" + value;
}

const Protocol* protocolOf(LinkType linkType)
{
  for (const Protocol* const protocol : protocols()) {
    if (protocol->facts().linkType == linkType)
      return protocol;
  }
  return nullptr;
}

Result<const Protocol*> protocolNamed(const std::string& name)
{
  std::string known;
  for (std::size_t i = 0; i < protocols().size(); ++i) {
    const Protocol& protocol = *protocols()[i];
    if (protocol.name() == name)
      return &protocol;
    known += (i == 0 ? "" : i + 1 == protocols().size() ? " " + say("and") + " " : ", ") + protocol.name();
  }
  return fail(ErrorCode::BadArgument, say("there is no protocol '{}'", name), {}, say("there are {}", known));
}

}  // namespace bexto
