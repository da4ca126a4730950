#include "core/decode/cause.h"

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

}  // namespace bexto
