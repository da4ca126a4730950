#pragma once

#include <cassert>

#include "core/decode/anatomy.h"
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

/// Opens a frame by reading it again: `machine` stands at its begin, with a recorder of which `anatomyOf(frame)` asks
/// what it saw. Empty when the frame does not come.
template <typename Machine, typename AnatomyOf>
Anatomy readAgain(Machine& machine, [[maybe_unused]] const Frame& frame, const AnatomyOf& anatomyOf)
{
  constexpr std::size_t kSlice = 4096;
  Anatomy anatomy;
  bool found = false;
  const auto take = [&](const Frame& again) {
    assert(again.time == frame.time && again.errors == frame.errors && again.key == frame.key);
    found = true;
    anatomy = anatomyOf(again);
    return false;
  };
  while (!found && machine.run(kSlice, take)) {
  }
  return anatomy;
}

}  // namespace bexto
