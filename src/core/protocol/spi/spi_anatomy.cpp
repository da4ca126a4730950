// A transfer or word opened up: the machine of spi_machine.h once more over its edges. Tested by
// tests/core/spi_test.cpp.
#include "core/protocol/spi/spi_decoder.h"

#include "core/decode/machine_decoder.h"
#include "core/protocol/spi/spi_machine.h"

namespace bexto {

namespace spi {

/// A bit's cell reaches from the clock edge before its sample to the one after it; at the ends of a transfer, where
/// there is none, it is as long on that side as on the other.
class SpiRecorder {
 public:
  static constexpr bool kRecords = true;

  SpiRecorder(const Bus& bus, TimeRange frame, TimeRange window)
      : m_settings(spiSettings(bus)), m_lines(bus), m_frame(frame), m_window(window)
  {
  }

  void clock(std::int64_t time)
  {
    if (m_lastWasSample) {
      m_open.back().after = time;
      // A word waits for the edge that ends its last bit.
      if (m_wordDone)
        flush(true);
    }
    m_previous = m_now;
    m_now = time;
    m_lastWasSample = false;
  }

  void sample(std::int64_t time, bool mosi, bool miso)
  {
    m_open.push_back({m_previous, time, 0, {mosi, miso}});
    m_lastWasSample = true;
  }

  void word() { m_wordDone = true; }

  Anatomy anatomy()
  {
    if (!m_open.empty())
      flush(m_wordDone);
    m_lastWasSample = false;
    m_out.nominalBit = typicalLength(m_out.bits);
    return std::move(m_out);
  }

 private:
  struct Sample {
    std::int64_t before;  ///< clock edge before it, -1: none
    std::int64_t at;
    std::int64_t after;  ///< clock edge after it, 0: none
    std::array<bool, 2> level;
  };

  void flush(bool complete)
  {
    std::vector<TimeRange> cells;
    for (const Sample& s : m_open) {
      const std::int64_t half = s.after > 0 ? s.after - s.at : s.before >= 0 ? s.at - s.before : 0;
      // A clock that rested before the word rests outside of it.
      const bool rested = s.before < 0 || (s.after > 0 && s.at - s.before > 2 * half);
      const std::int64_t before = rested ? s.at - half : s.before;
      cells.push_back({std::max(m_frame.begin, Picoseconds{before}),
                       std::min(m_frame.end, Picoseconds{s.after > 0 ? s.after : s.at + half})});
    }
    const TimeRange all{cells.front().begin, cells.back().end};
    if (all.begin < m_window.end && all.end > m_window.begin) {
      if (m_lines.mosi >= 0)
        addLine(0, cells, all, complete);
      if (m_lines.miso >= 0)
        addLine(1, cells, all, complete);
    }
    m_open.clear();
    m_wordDone = false;
    ++m_word;
  }

  void addLine(std::uint8_t line, const std::vector<TimeRange>& cells, TimeRange all, bool complete)
  {
    Field field{Role::Data,
                all,
                0,
                m_out.bits.size(),
                m_open.size(),
                complete,
                !complete,
                line,
                "",
                static_cast<std::uint8_t>(m_open.size()),
                m_word};
    for (std::size_t i = 0; i < m_open.size(); ++i) {
      const Picoseconds at{m_open[i].at};
      // Between words a clock may rest: only inside of one its periods are held against each other.
      const Picoseconds length{i + 1 < m_open.size() ? m_open[i + 1].at - m_open[i].at : 0};
      const bool level = m_open[i].level[line];
      field.value = field.value << 1U | (level ? 1U : 0U);
      m_out.bits.push_back({cells[i], at, length, level, Role::Data, false, line, Picoseconds{0}, cells[i].begin});
    }
    if (m_settings.order == BitOrder::Lsb)
      field.value = reversedBits(field.value, static_cast<unsigned>(m_open.size()));
    m_out.fields.push_back(field);
  }

  SpiSettings m_settings;
  Lines m_lines;
  TimeRange m_frame;
  TimeRange m_window;
  Anatomy m_out;
  std::vector<Sample> m_open;
  std::int64_t m_previous = -1;  ///< the clock edge before m_now
  std::int64_t m_now = -1;
  bool m_lastWasSample = false;
  bool m_wordDone = false;
  std::size_t m_word = 0;
};

}  // namespace spi

Anatomy spiAnatomy(const Bus& bus, const StreamInput& input, const Frame& frame, TimeRange window)
{
  spi::SpiRecorder recorder(bus, frame.time, window);
  spi::SpiMachine<spi::SpiRecorder> machine(bus, input, frame.time.begin, recorder);
  return readAgain(machine, frame, [&recorder](const Frame& /*again*/) { return recorder.anatomy(); });
}

}  // namespace bexto
