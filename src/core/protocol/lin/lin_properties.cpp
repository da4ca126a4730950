// Tested by tests/core/lin_test.cpp and tests/core/query_scan_test.cpp.
#include "core/protocol/lin/lin_properties.h"

#include <fmt/core.h>

#include "core/protocol/lin/lin_frame.h"

namespace bexto {

namespace {

Property id()
{
  Property p;
  p.key = "id";
  p.sort = Property::Sort::Hex;
  p.phrase = "identifier";
  p.example = "id:11,21";
  p.help = "LIN identifier, in hex";
  p.of = [](const FrameContext& c) -> PropertyValue {
    const LinFrame f = linFrame(c.frame);
    return valueIf(f.hasId, f.id);
  };
  p.said = [](const FrameContext& c) {
    const LinFrame f = linFrame(c.frame);
    return f.hasId ? fmt::format("{:02X}", f.id) : std::string();
  };
  p.bits = [](const FrameContext&) { return 6; };
  p.isKey = [](const FrameChunk& chunk, std::size_t i) { return (chunk.flags[i] & lin::kHasId) != 0; };
  p.isName = true;
  p.hasColumn = false;
  return p;
}

Property pid()
{
  Property p;
  p.key = "pid";
  p.label = "PID";
  p.sort = Property::Sort::Hex;
  p.phrase = "protected identifier";
  p.example = "pid:11";
  p.help = "LIN identifier with its parity bits as sent, in hex";
  p.of = [](const FrameContext& c) -> PropertyValue {
    const LinFrame f = linFrame(c.frame);
    return valueIf(f.hasId, f.pid);
  };
  return p;
}

Property data()
{
  Property p;
  p.key = "data";
  p.sort = Property::Sort::Bytes;
  p.of = [](const FrameContext& c) -> PropertyValue {
    const LinFrame f = linFrame(c.frame);
    return valueIf(f.hasData, f.data);
  };
  p.said = [](const FrameContext& c) { return hexOf(linFrame(c.frame).data); };
  p.hasColumn = false;  // the payload column says it
  return p;
}

Property checksum()
{
  Property p;
  p.key = "checksum";
  p.label = "checksum";
  p.sort = Property::Sort::Hex;
  p.phrase = "checksum";
  p.example = "checksum:BE";
  p.help = "the checksum that a LIN frame carries, in hex";
  p.of = [](const FrameContext& c) -> PropertyValue {
    const LinFrame f = linFrame(c.frame);
    return valueIf(f.hasChecksum, f.checksum);
  };
  return p;
}

Property model()
{
  Property p;
  p.key = "checksum_model";
  p.label = "checksum model";
  p.sort = Property::Sort::Word;
  p.choices = {"classic", "enhanced"};
  p.phrase = "checksum model";
  p.example = "checksum_model:classic";
  p.help = "classic or enhanced: what the checksum of a LIN frame is summed over";
  p.of = [](const FrameContext& c) -> PropertyValue {
    const LinFrame f = linFrame(c.frame);
    return valueIf(f.model.has_value(), std::string(f.model == LinChecksum::Classic ? "classic" : "enhanced"));
  };
  p.said = [](const FrameContext& c) {
    const LinFrame f = linFrame(c.frame);
    return std::string(!f.model ? "" : *f.model == LinChecksum::Classic ? "classic" : "enhanced");
  };
  return p;
}

}  // namespace

std::vector<Property> linProperties()
{
  return {id(), pid(), data(), checksum(), model()};
}

}  // namespace bexto
