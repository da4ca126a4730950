// Tested by tests/core/lin_test.cpp.
#include "core/protocol/lin/lin_words.h"

#include <fmt/core.h>

#include "core/base/say.h"
#include "core/base/time_text.h"
#include "core/protocol/lin/lin_frame.h"

namespace bexto {

namespace {

std::string idText(const LinFrame& f, ValueFormat format)
{
  return addressText(f.id, 6, format);
}

/// "enhanced, right".
std::string sumText(const LinFrame& f)
{
  if (!f.model)
    return say("wrong");
  return *f.model == LinChecksum::Classic ? say("classic, right") : say("enhanced, right");
}

Detail identifierDetail(const Bus& bus, const Frame& frame, const LinFrame& f)
{
  Detail d;
  d.role = Role::Address;
  d.name = say("identifier");
  d.value = f.hasId ? idText(f, bus.format) : "–";
  const std::string sent = say("sent as {}", addressText(f.pid, 8, bus.format));
  d.wrong = hasError(frame.errors, LinError::Parity) || hasError(frame.errors, LinError::Sync);
  if (!f.hasId)
    d.meaning = hasError(frame.errors, LinError::Sync) ? say("sync byte is wrong") : say("cut before it was whole");
  else
    d.meaning = hasError(frame.errors, LinError::Parity) ? sent + ", " + say("parity is wrong") : sent;
  return d;
}

}  // namespace

Sentence linSentence(const Bus& bus, const Frame& frame, std::size_t most)
{
  SentenceWriter out;
  if (frame.kind == kLinWakeup) {
    out.add(Tone::Plain, say("wake-up, {} low", lengthText(frame.time.length())));
    return out.takeWithFaults(faultText(bus, frame));
  }
  const LinFrame f = linFrame(frame);
  if (!f.hasId)
    out.add(Tone::Plain, say("no identifier"));
  else
    out.add(Tone::Address, idText(f, bus.format) + " ");
  if (f.hasData && !f.data.empty())
    out.add(Tone::Payload, rowOfBytes(f.data, bus.format, most));
  if (f.model && *f.model == LinChecksum::Classic)
    out.add(Tone::Plain, " " + say("classic"));
  return out.takeWithFaults(faultText(bus, frame));
}

std::uint64_t linDetailCount(const Frame& frame)
{
  if (frame.kind == kLinWakeup)
    return 1;
  const LinFrame f = linFrame(frame);
  return 1 + f.data.size() + (f.hasChecksum ? 1U : 0U);
}

Detail linDetail(const Bus& bus, const Frame& frame, std::uint64_t index)
{
  Detail d;
  if (frame.kind == kLinWakeup) {
    d.role = Role::Start;
    d.name = say("wake-up");
    d.value = lengthText(frame.time.length());
    return d;
  }
  const LinFrame f = linFrame(frame);
  const auto i = static_cast<std::size_t>(index);
  if (i == 0) {
    d = identifierDetail(bus, frame, f);
  } else if (i <= f.data.size()) {
    d.name = say("byte {}", i - 1);
    d.value = loneValueText(f.data[i - 1], 8, bus.format);
    d.field = i - 1;
  } else {
    d.role = Role::Check;
    d.name = say("checksum");
    d.value = addressText(f.checksum, 8, bus.format);
    d.meaning = sumText(f);
    d.wrong = !f.model;
  }
  FaultList rest;
  rest.addAllBut(
      static_cast<FrameErrors>(errorBit(LinError::Parity) | errorBit(LinError::Checksum) | errorBit(LinError::Sync)),
      bus, frame);
  if (i + 1 == linDetailCount(frame) && !rest.empty()) {
    d.meaning = andThen(d.meaning, rest.text());
    d.wrong = true;
  }
  return d;
}

std::string linFaultText(const Frame& frame)
{
  FaultList faults;
  if (hasError(frame.errors, LinError::Sync))
    faults.add(say("sync byte is wrong"));
  if (hasError(frame.errors, LinError::Parity))
    faults.add(say("identifier's parity is wrong"));
  if (hasError(frame.errors, LinError::Framing))
    faults.add(say("a stop bit is low"));
  if (hasError(frame.errors, LinError::Checksum))
    faults.add(say("checksum is wrong"));
  if (hasError(frame.errors, LinError::Form))
    faults.add(say("more than eight data bytes"));
  if (hasError(frame.errors, LinError::NoResponse))
    faults.add(say("no response"));
  if (hasError(frame.errors, LinError::Incomplete))
    faults.add(say("cut short"));
  return faults.text();
}

}  // namespace bexto
