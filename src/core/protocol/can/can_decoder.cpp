// Tested by tests/core/can_test.cpp.
#include "core/protocol/can/can_decoder.h"

#include "core/protocol/can/can_machine.h"

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

}  // namespace

std::unique_ptr<Decoder> makeCanDecoder(const CanSettings& settings, const StreamInput& input)
{
  return std::make_unique<CanDecoder>(settings, input);
}

}  // namespace bexto
