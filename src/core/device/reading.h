#pragma once

#include <memory>
#include <vector>

#include "core/decode/bus.h"
#include "core/device/bus_devices.h"
#include "core/device/framer.h"
#include "core/device/unit_list.h"
#include "core/device/unit_rows.h"

namespace bexto {

class Exchanges;
class Wholes;

/// What the sheets of a bus make of one stream: a row of eight bytes for each frame, or, where characters are messages,
/// for each message. Everything else (values, sentences) is made of the row and the frame when it is asked for.
class Reading final : public Meaning {
 public:
  /// See Describer::read(). nullptr when frames as that bus has them do not tell.
  static std::shared_ptr<const Reading> make(std::shared_ptr<const BusDevices> devices, const Bus& bus,
                                             const FrameIndex& frames, const std::shared_ptr<const Meaning>& before);

  /// Of messages that came in parts, each a frame: see Describer::wholesIn().
  static std::shared_ptr<const Reading> ofWholes(std::shared_ptr<const BusDevices> devices, const Bus& bus,
                                                 const std::shared_ptr<const Wholes>& wholes,
                                                 const std::shared_ptr<const Meaning>& before);

  std::shared_ptr<const std::vector<std::uint32_t>> firsts() const override { return m_firsts; }
  bool says(FrameRange frames) const override;
  std::vector<Told> told(const Bus& bus, const FrameIndex& frames, FrameRange range) const override;
  std::uint64_t valueCount(const Bus& bus, const FrameIndex& frames, FrameRange range) const override;
  bool isFaulty(FrameRange frames) const override;
  std::vector<std::uint32_t> faulty(std::uint64_t from) const override;
  std::unique_ptr<MeaningTest> test(const Bus& bus, const MeaningQuestion& question) const override;
  std::optional<Kin> kinOf(FrameRange frames) const override;
  std::optional<Partner> partnerOf(FrameRange frames) const override;
  std::size_t bytes() const override { return m_rows.bytes() + (m_firsts ? m_firsts->size() * 4 : 0); }

  const BusDevices& devices() const { return *m_devices; }
  const UnitRows& rows() const { return m_rows; }
  /// The same, that knows what answers what; it is stream number `stream` of its bus.
  std::shared_ptr<const Reading> with(std::shared_ptr<const Exchanges> exchanges, std::size_t stream) const;
  /// The same, that knows where the parts of its messages are, or the messages of its parts: in stream `other`.
  std::shared_ptr<const Reading> with(std::shared_ptr<const Wholes> wholes, int other) const;
  bool isOfWholes() const { return m_isOfWholes; }
  const std::shared_ptr<const Wholes>& wholes() const { return m_wholes; }
  /// nullptr: nobody put its bus together. Of a reading that grew since, those of its begin.
  const Exchanges* exchanges() const { return m_exchanges.get(); }
  /// Units that are requests or answers.
  const UnitList& talkers() const { return m_talkers; }
  bool isUnanswered(FrameRange frames) const;
  /// The unit of a frame; of frames that are units themselves, its number.
  std::uint64_t unitOf(std::uint64_t frame) const;
  /// The frames of a unit.
  FrameRange framesOf(std::uint64_t unit) const;

 private:
  friend class ReadingPass;
  Reading() = default;
  void goOnFrom(const Reading& before);
  std::shared_ptr<Reading> copy() const;

  std::shared_ptr<const BusDevices> m_devices;
  UnitRows m_rows;
  std::shared_ptr<const std::vector<std::uint32_t>> m_firsts;  ///< of Characters
  std::shared_ptr<const std::vector<bool>> m_isMessage;        ///< the same
  std::uint64_t m_frames = 0;
  UnitList m_talkers;
  std::shared_ptr<const Exchanges> m_exchanges;
  std::size_t m_stream = 0;  ///< its place among those of the bus, in m_exchanges
  std::shared_ptr<const Wholes> m_wholes;
  bool m_isOfWholes = false;            ///< it is of the frames of m_wholes; else of those that they were made of
  int m_other = -1;                     ///< where the others are
  std::vector<std::uint32_t> m_faulty;  ///< frames
  /// Where each device is, so that a reading that grows goes on.
  struct DeviceState {
    bool pointed = false;
    std::uint32_t pointer = 0;
    std::uint16_t command = UnitRow::kNone;  ///< what a read answers
    std::uint32_t commandAddress = 0;
    bool commandPlaced = false;
    // The write that a read goes on from, for a packet error code over both.
    std::int64_t writeEnd = -1;
    std::uint32_t crc = 0;
    bool operator==(const DeviceState&) const = default;
  };
  std::vector<DeviceState> m_states;     ///< behind the last frame
  std::vector<std::int64_t> m_counters;  ///< of each item: its last running number; -1: none; the same
};

/// What a unit says, for those who have its row: an access to a space, a command, a message. Of one thread.
class UnitTeller {
 public:
  UnitTeller(const Reading& reading, const Bus& bus, const FrameIndex& frames);
  ~UnitTeller();
  UnitTeller(const UnitTeller&) = delete;
  UnitTeller& operator=(const UnitTeller&) = delete;

  /// nullopt when no sheet knows the unit.
  std::optional<Told> told(std::uint64_t unit) const;
  /// The frame of a unit that is one, as it was said.
  Talk talkAt(std::uint64_t unit) const
  {
    m_frame = frameAt(unit);
    return m_talk->of(m_frame);
  }
  /// Who is spoken to or speaks, of messages: a number that a request and its answer share.
  std::uint64_t stationOf(std::uint64_t unit) const;
  /// How many bytes an access moved into or out of the space.
  std::size_t movedBytes(std::uint64_t unit) const;
  /// Those bytes.
  std::vector<std::uint8_t> movedCopy(std::uint64_t unit) const;
  /// A number of the unit by its field; nothing when it is not there. `reg` is the register of an access.
  std::optional<double> number(std::uint64_t unit, const SheetField& field, const SheetRegister* reg,
                               std::vector<std::uint8_t>& buffer) const;

 private:
  /// What an access moved. `writes`: into the space.
  std::span<const std::uint8_t> moved(const UnitRow& row, const Talk& talk, bool& writes) const;
  /// The frame as it was said, without a packet error code. `frame` has to live on.
  Talk talkOf(const UnitRow& row, const Frame& frame) const;
  Told spaceTold(std::uint64_t unit, const UnitRow& row, const Talk& talk) const;
  Told commandTold(std::uint64_t unit, const UnitRow& row, const Talk& talk) const;
  Told messageTold(std::uint64_t unit, const UnitRow& row, std::span<const std::uint8_t> bytes) const;
  Told partTold(std::uint64_t unit, const UnitRow& row, const Talk& talk) const;
  std::string brokenText(std::uint64_t whole) const;
  void addFaults(Told& told, const UnitRow& row) const;

  const Reading& m_reading;
  const FrameIndex& m_frames;
  /// A frame; the quickest when those asked for are near one another.
  Frame frameAt(std::uint64_t number) const
  {
    if (m_chunk == nullptr || number < m_chunk->first || number >= m_chunk->first + m_chunk->size())
      m_chunk = &chunkOf(number);
    return m_chunk->frame(static_cast<std::size_t>(number - m_chunk->first));
  }
  const FrameChunk& chunkOf(std::uint64_t number) const;

  std::unique_ptr<const TalkReader> m_talk;
  mutable Frame m_frame;                        ///< that talkAt() is of
  mutable const FrameChunk* m_chunk = nullptr;  ///< the one asked last
};

}  // namespace bexto
