// Tested by tests/core/lin_test.cpp.
#include "core/protocol/lin/lin_frame.h"

namespace bexto {

namespace {

constexpr std::uint32_t kFirstDiagnostic = 0x3c;
constexpr std::uint32_t kLastDiagnostic = 0x3d;
constexpr std::size_t kMostData = 8;

}  // namespace

LinFrame linFrame(const Frame& frame)
{
  LinFrame f;
  f.hasId = (frame.flags & lin::kHasId) != 0;
  f.id = frame.key;
  f.pid = frame.flags >> lin::kPidShift;
  f.hasData = (frame.flags & lin::kHasData) != 0;
  f.hasChecksum = (frame.flags & lin::kHasChecksum) != 0;
  f.data = frame.payload;
  if (f.hasChecksum) {
    f.checksum = f.data.back();
    f.data = f.data.first(f.data.size() - 1);
  }
  if (const auto model = static_cast<LinChecksum>(frame.flags >> lin::kModelShift & 3U); model != LinChecksum::Auto)
    f.model = model;
  return f;
}

std::uint32_t linProtected(std::uint32_t id)
{
  const auto bit = [id](unsigned i) { return id >> i & 1U; };
  const std::uint32_t p0 = bit(0) ^ bit(1) ^ bit(2) ^ bit(4);
  const std::uint32_t p1 = 1U ^ bit(1) ^ bit(3) ^ bit(4) ^ bit(5);
  return id | p0 << 6U | p1 << 7U;
}

std::uint32_t linChecksum(std::uint32_t seed, std::span<const std::uint8_t> data)
{
  std::uint32_t sum = seed;
  for (const std::uint8_t b : data) {
    sum += b;
    sum = (sum & 0xffU) + (sum >> 8U);
  }
  return ~sum & 0xffU;
}

lin::Sum lin::judge(LinChecksum allowed, std::uint32_t pid, std::span<const std::uint8_t> bytes)
{
  const auto data = bytes.first(bytes.size() - 1);
  const std::uint32_t sent = bytes.back();
  const std::uint32_t id = pid & 0x3fU;
  if (id == kFirstDiagnostic || id == kLastDiagnostic)
    allowed = LinChecksum::Classic;
  LinChecksum fits = LinChecksum::Auto;
  if (allowed != LinChecksum::Classic && linChecksum(pid, data) == sent)
    fits = LinChecksum::Enhanced;
  else if (allowed != LinChecksum::Enhanced && linChecksum(0, data) == sent)
    fits = LinChecksum::Classic;
  Sum sum;
  sum.flags = kHasData | kHasChecksum | static_cast<unsigned>(fits) << kModelShift;
  if (fits == LinChecksum::Auto)
    sum.errors |= errorBit(LinError::Checksum);
  if (data.size() > kMostData)
    sum.errors |= errorBit(LinError::Form);
  return sum;
}

}  // namespace bexto
