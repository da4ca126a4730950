#pragma once

#include "core/decode/decoder.h"

namespace bexto {

/// The index path of a protocol whose machine hands out its frames: run(slice, emit), extend(), reached(), rate().
/// `Recorder` is the one that records nothing.
template <typename Machine, typename Recorder>
class MachineDecoder final : public Decoder {
 public:
  template <typename Settings>
  MachineDecoder(const Settings& settings, const StreamInput& input)
      : m_machine(settings, input, Picoseconds{0}, m_none)
  {
  }

  void extend(const StreamInput& input) override { m_machine.extend(input); }
  bool run(FrameIndexBuilder& out, std::size_t slice) override
  {
    return m_machine.run(slice, [&out](const Frame& frame) {
      out.add(frame);
      return true;
    });
  }
  Picoseconds reached() const override { return m_machine.reached(); }
  double measuredHertz() const override { return m_machine.rate().hertz(); }

 private:
  Recorder m_none;
  Machine m_machine;
};

}  // namespace bexto
