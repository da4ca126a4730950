// The index path of the machine in uart_machine.h. Tested by tests/core/uart_test.cpp.
#include "core/protocol/uart/uart_decoder.h"

#include "core/protocol/uart/uart_machine.h"

namespace bexto {

namespace {

using namespace uart;

class UartDecoder final : public Decoder {
 public:
  UartDecoder(const UartSettings& settings, const StreamInput& input) : m_machine(settings, input, Picoseconds{0}) {}

  void extend(const StreamInput& input) override { m_machine.extend(input); }

  bool run(FrameIndexBuilder& out, std::size_t slice) override
  {
    const std::size_t stopAt = m_machine.edgesRead() + slice;
    NoRecorder none;
    Frame frame;
    while (m_machine.edgesRead() < stopAt) {
      m_machine.quick(out);
      if (!m_machine.next(frame, none))
        return false;
      out.add(frame);
    }
    return true;
  }

  Picoseconds reached() const override { return m_machine.reached(); }
  double measuredHertz() const override { return m_machine.rate().hertz(); }

 private:
  UartMachine<NoRecorder> m_machine;
};

}  // namespace

std::unique_ptr<Decoder> makeUartDecoder(const UartSettings& settings, const StreamInput& input)
{
  return std::make_unique<UartDecoder>(settings, input);
}

}  // namespace bexto
