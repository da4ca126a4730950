#include "core/decode/cause.h"

#include "core/base/say.h"

namespace bexto {

const char* causeWord(Cause::Kind kind)
{
  switch (kind) {
    case Cause::Kind::Glitch:
      return "glitch";
    case Cause::Kind::Setup:
      return "setup";
    case Cause::Kind::Hold:
      return "hold";
    case Cause::Kind::Rate:
      return "rate";
    case Cause::Kind::Stretch:
      return "stretch";
    case Cause::Kind::Threshold:
      break;
  }
  return "threshold";
}

std::string causeName(Cause::Kind kind)
{
  switch (kind) {
    case Cause::Kind::Glitch:
      return say("glitch");
    case Cause::Kind::Setup:
      return say("setup");
    case Cause::Kind::Hold:
      return say("hold");
    case Cause::Kind::Rate:
      return say("rate");
    case Cause::Kind::Stretch:
      return say("stretch");
    case Cause::Kind::Threshold:
      break;
  }
  return say("threshold");
}

}  // namespace bexto
