// Tested by tests/core/can_test.cpp.
#include "core/decode/can.h"

#include "core/decode/can_machine.h"
#include "core/decode/uart_rate.h"

namespace bexto {

namespace {

/// The index path: no bits are kept.
struct IndexObserver {
  FrameIndexBuilder* out = nullptr;

  void frame(const Frame& f) const { out->add(f); }
  static constexpr bool records() { return false; }
  static constexpr bool stopped() { return false; }
  void bits(can::Part /*part*/, bool /*level*/, std::int64_t /*count*/, std::int64_t /*sample*/,
            const can::Timing& /*timing*/) const
  {
  }
  void edge(std::int64_t /*time*/) const {}
};

class CanDecoder final : public Decoder {
 public:
  CanDecoder(const CanSettings& settings, const StreamInput& input)
      : m_machine(settings, input, Picoseconds{0}, can::Machine<IndexObserver>::Begin::Anywhere, m_observer)
  {
  }

  void extend(const StreamInput& input) override { m_machine.extend(input); }
  bool run(FrameIndexBuilder& out, std::size_t slice) override
  {
    m_observer.out = &out;
    return m_machine.run(slice);
  }
  Picoseconds reached() const override { return m_machine.reached(); }
  double measuredHertz() const override { return m_machine.rate().hertz(); }

 private:
  IndexObserver m_observer;
  can::Machine<IndexObserver> m_machine;
};

/// Whole frames without a fault in the first transitions.
std::size_t goodFrames(const CanSettings& settings, const StreamInput& input)
{
  constexpr std::size_t kEdges = 20000;
  FrameIndexBuilder builder;
  CanDecoder(settings, input).run(builder, kEdges);
  const FrameIndex frames = builder.snapshot();
  std::size_t good = 0;
  for (const auto& chunk : frames.chunks()) {
    for (std::size_t i = 0; i < chunk->size(); ++i)
      good += chunk->kind[i] <= FrameKind::Remote && (chunk->errors[i] & ~errorBit(FrameError::Ack)) == 0 ? 1U : 0U;
  }
  return good;
}

}  // namespace

CanFrame canFrame(const Frame& frame)
{
  const auto has = [&frame](unsigned flag) { return (frame.flags & flag) != 0; };
  const auto reach = static_cast<can::Reach>(frame.flags >> can::kReachShift & 7U);
  CanFrame f;
  f.extended = has(can::kExtended);
  f.hasExtended = reach > can::Reach::Nothing;
  f.hasId = reach >= can::Reach::Id;
  f.id = frame.key;
  f.hasFormat = reach >= can::Reach::Format;
  f.fd = has(can::kFd);
  f.hasBrs = f.fd && reach >= can::Reach::Brs;
  f.brs = has(can::kBrs);
  f.hasEsi = f.fd && reach >= can::Reach::Esi;
  f.esi = has(can::kEsi);
  f.hasDlc = reach == can::Reach::Dlc;
  f.dlc = frame.flags >> can::kDlcShift & 15U;
  f.hasAck = has(can::kAckRead);
  f.ack = has(can::kAck);
  f.hasCrc = has(can::kCrcRead);
  f.data = frame.payload;
  if (f.hasCrc) {
    const auto crc = f.data.last(can::kCrcBytes);
    f.data = f.data.first(f.data.size() - can::kCrcBytes);
    f.crc = static_cast<std::uint32_t>(crc[0] | crc[1] << 8U | crc[2] << 16U);
  }
  return f;
}

CanHead canHead(const Frame& frame)
{
  if (frame.kind != FrameKind::Data && frame.kind != FrameKind::Remote)
    return {};
  const auto reach = static_cast<can::Reach>(frame.flags >> can::kReachShift & 7U);
  return {reach >= can::Reach::Id, (frame.flags & can::kExtended) != 0, frame.key};
}

std::span<const std::uint8_t> canData(const Frame& frame)
{
  const std::size_t crc = (frame.flags & can::kCrcRead) != 0 ? can::kCrcBytes : 0;
  return frame.payload.first(frame.payload.size() - crc);
}

unsigned canDataLength(unsigned dlc, bool fd)
{
  static constexpr std::array<std::uint8_t, 16> kFd{0, 1, 2, 3, 4, 5, 6, 7, 8, 12, 16, 20, 24, 32, 48, 64};
  return fd ? kFd.at(dlc) : std::min(dlc, 8U);
}

std::unique_ptr<Decoder> makeCanDecoder(const CanSettings& settings, const StreamInput& input)
{
  return std::make_unique<CanDecoder>(settings, input);
}

double findCanBitRate(const CanSettings& settings, const StreamInput& input)
{
  // Those of CiA 301 table 1 and of SAE J1939, and a few more that controllers and cars made common. Last what the
  // pulses say, which in a wire full of CAN FD is the rate of the data phase.
  std::vector<double> rates{500000, 250000, 1000000, 125000, 100000, 50000, 20000, 10000, 800000, 83333.333, 33333.333};
  rates.push_back(estimateBitRate(input.tracks.front()));
  double best = 0.0;
  std::size_t most = 0;
  for (const double rate : rates) {
    if (!(rate > 0.0))
      continue;
    CanSettings tried = settings;
    tried.bitrate = rate;
    if (const std::size_t good = goodFrames(tried, input); good > most) {
      most = good;
      best = rate;
    }
  }
  return best;
}

}  // namespace bexto
