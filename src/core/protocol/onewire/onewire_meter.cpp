// The machine of onewire_machine.h once more over the edges of each transaction, with a recorder that measures.
//
// Tested by tests/core/onewire_test.cpp.
#include "core/protocol/onewire/onewire_meter.h"

#include "core/base/say.h"
#include "core/protocol/onewire/onewire_machine.h"

namespace bexto {

namespace {

enum Measure : std::size_t {
  kResetLow,
  kPresenceDelay,
  kPresenceLow,
  kSlot,
  kLowOfOne,
  kLowOfZero,
  kRecovery,
  kMeasures
};

constexpr std::uint32_t kOverdriveGroup = 1;

class LowRecorder {
 public:
  /// nullptr: into nothing.
  void measureInto(std::vector<Tally>* tallies) { m_tallies = tallies; }

  void reset(const onewire::Low& low)
  {
    setGroup(low.length() < onewire::kStandard.shortestReset);
    add(kResetLow, low.fall, low.rise);
    m_reset = low.rise;
    m_isInSlots = false;
  }
  void presence(const onewire::Low& low)
  {
    add(kPresenceDelay, m_reset, low.fall);
    add(kPresenceLow, low.fall, low.rise);
  }
  void slot(const onewire::Low& low, bool one, const onewire::Timing& timing)
  {
    // A slot takes up to twice the shortest; what is twice as long as that is a pause.
    constexpr std::int64_t kPause = 4;
    setGroup(&timing == &onewire::kOverdrive);
    add(one ? kLowOfOne : kLowOfZero, low.fall, low.rise);
    if (m_isInSlots && low.fall - m_last.fall <= kPause * timing.slot) {
      add(kSlot, m_last.fall, low.fall);
      add(kRecovery, m_last.rise, low.fall);
    }
    m_isInSlots = true;
    m_last = low;
  }

 private:
  void setGroup(bool isOverdrive)
  {
    if (m_tallies == nullptr)
      return;
    for (Tally& tally : *m_tallies)
      tally.setGroup(isOverdrive ? kOverdriveGroup : 0);
  }
  void add(Measure measure, std::int64_t begin, std::int64_t end)
  {
    if (m_tallies != nullptr)
      (*m_tallies)[measure].add(end - begin, begin, end);
  }

  std::vector<Tally>* m_tallies = nullptr;
  std::int64_t m_reset = 0;
  bool m_isInSlots = false;
  onewire::Low m_last;
};

class OneWireMeter final : public Meter {
 public:
  explicit OneWireMeter(const OneWireSettings& settings) : m_settings(settings) {}

  void measure(const StreamInput& input, const FrameIndex& frames, FrameRange range,
               std::vector<Tally>& tallies) override
  {
    if (range.count() == 0)
      return;
    const Frame first = frames.frame(range.first);
    const Picoseconds last = frames.frame(range.end - 1).time.begin;
    m_recorder.measureInto(&tallies);
    onewire::OneWireMachine<LowRecorder> machine(m_settings, input, first.time.begin, m_recorder,
                                                 oneWireTransaction(first).isOverdrive);
    // A transaction is handed out when the next one begins, of which nothing is to be heard.
    bool goesOn = true;
    const auto take = [&](const Frame& frame) {
      goesOn = frame.time.begin < last;
      if (!goesOn)
        m_recorder.measureInto(nullptr);
      return goesOn;
    };
    constexpr std::size_t kSlice = 1U << 16U;
    while (goesOn && machine.run(kSlice, take)) {
    }
  }

  std::unique_ptr<Meter> goingOnFrom(const StreamInput& /*input*/, const FrameIndex& /*frames*/,
                                     std::uint64_t /*number*/) override
  {
    return std::make_unique<OneWireMeter>(m_settings);
  }

  std::string groupName(std::uint32_t group) const override
  {
    return group == kOverdriveGroup ? say("at overdrive") : std::string();
  }

 private:
  OneWireSettings m_settings;
  LowRecorder m_recorder;
};

}  // namespace

std::vector<MeasureSpec> oneWireMeasures()
{
  using enum MeasureUnit;
  std::vector<MeasureSpec> m(kMeasures);
  m[kResetLow] = {"reset low", Time, "low of a reset", false, "dq"};
  m[kPresenceDelay] = {"presence delay", Time, "end of a reset to the presence pulse", false, "dq"};
  m[kPresenceLow] = {"presence low", Time, "low of the presence pulse", false, "dq"};
  m[kSlot] = {"slot", Time, "from the falling edge of a slot to that of the next one; pauses do not count", false,
              "dq"};
  m[kLowOfOne] = {"low of a 1", Time, "low of a slot that is a 1", false, "dq"};
  m[kLowOfZero] = {"low of a 0", Time, "low of a slot that is a 0", false, "dq"};
  m[kRecovery] = {"recovery", Time, "end of a slot's low to the falling edge of the next one; pauses do not count",
                  false, "dq"};
  return m;
}

std::unique_ptr<Meter> makeOneWireMeter(const OneWireSettings& settings)
{
  return std::make_unique<OneWireMeter>(settings);
}

}  // namespace bexto
