// Tested by tests/core/can_record_test.cpp.
#include "core/protocol/can/can_record.h"

#include <fmt/core.h>
#include <linux/can.h>
#include <linux/can/error.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/say.h"
#include "core/decode/rate_meter.h"
#include "core/decode/record_walk.h"
#include "core/decode/sentence.h"
#include "core/protocol/can/can_frame_reader.h"

namespace bexto {

namespace {

constexpr std::size_t kHeaderBytes = 8;
constexpr std::size_t kReportBytes = CAN_ERR_DLC;

/// Where the details of a report stand in its data (linux/can/error.h).
enum ReportByte : std::size_t {
  kArbitrationBit = 0,
  kController = 1,
  kViolation = 2,
  kLocation = 3,
  kSent = 6,
  kGot = 7
};

/// As the registry has it, and as older files have it: those did not mark FD frames, but gave them the larger room.
bool isFd(std::span<const std::uint8_t> record)
{
  return (record[5] & CANFD_FDF) != 0 || record[4] > CAN_MAX_DLEN || record.size() == CANFD_MTU;
}

/// The DLC that announces so many bytes, or the next more (ISO 11898-1:2015, table 5).
unsigned dlcOf(unsigned length, bool fd)
{
  unsigned dlc = 0;
  while (dlc < CANFD_MAX_DLC && canDataLength(dlc, fd) < length)
    ++dlc;
  return dlc;
}

void describeReport(std::uint32_t classes, std::span<const std::uint8_t> data, Frame& frame)
{
  frame.kind = kCanError;
  frame.key = classes;
  const bool isViolation = (classes & CAN_ERR_PROT) != 0;
  const unsigned violation = isViolation && data.size() > kViolation ? data[kViolation] : 0;
  if (classes == CAN_ERR_PROT && violation == CAN_ERR_PROT_OVERLOAD)
    frame.kind = kCanOverload;
  if ((violation & CAN_ERR_PROT_FORM) != 0)
    frame.errors |= errorBit(CanError::Form);
  if ((violation & CAN_ERR_PROT_STUFF) != 0)
    frame.errors |= errorBit(CanError::Stuff);
  if (isViolation && data.size() > kLocation && data[kLocation] == CAN_ERR_PROT_LOC_CRC_SEQ)
    frame.errors |= errorBit(CanError::Crc);
  if ((classes & CAN_ERR_ACK) != 0)
    frame.errors |= errorBit(CanError::Ack);
  frame.payload = data.first(std::min(data.size(), kReportBytes));
}

/// All but the times. The payload is the record's.
Frame frameOf(std::span<const std::uint8_t> record)
{
  Frame frame;
  frame.kind = kCanData;
  frame.flags = can::kRecorded;
  if (record.size() < kHeaderBytes) {
    frame.errors = errorBit(CanError::Incomplete);
    return frame;
  }
  const std::uint32_t id = static_cast<std::uint32_t>(record[0]) << 24U | static_cast<std::uint32_t>(record[1]) << 16U |
                           static_cast<std::uint32_t>(record[2]) << 8U | record[3];
  const std::span<const std::uint8_t> rest = record.subspan(kHeaderBytes);
  if ((id & CAN_ERR_FLAG) != 0) {
    describeReport(id & CAN_ERR_MASK, rest, frame);
    return frame;
  }
  if ((record[4] & CANXL_XLF) != 0) {
    // Of CAN XL no more than its priority is read, which stands where the identifier is.
    frame.key = id & CANXL_PRIO_MASK;
    frame.flags |= static_cast<std::uint16_t>(static_cast<unsigned>(can::Reach::Id) << can::kReachShift);
    return frame;
  }
  const bool extended = (id & CAN_EFF_FLAG) != 0;
  const bool fd = isFd(record);
  const bool remote = !fd && (id & CAN_RTR_FLAG) != 0;
  const unsigned length = std::min<unsigned>(record[4], fd ? CANFD_MAX_DLEN : CAN_MAX_DLEN);
  unsigned dlc = dlcOf(length, fd);
  if (!fd && length == CAN_MAX_DLEN && record[7] > CAN_MAX_DLEN && record[7] <= CAN_MAX_RAW_DLC)
    dlc = record[7];
  frame.kind = remote ? kCanRemote : kCanData;
  frame.key = id & (extended ? CAN_EFF_MASK : CAN_SFF_MASK);
  unsigned flags = can::kRecorded | static_cast<unsigned>(can::Reach::Dlc) << can::kReachShift | dlc << can::kDlcShift;
  flags |= (extended ? can::kExtended : 0U) | (fd ? can::kFd : 0U);
  flags |= fd && (record[5] & CANFD_BRS) != 0 ? can::kBrs : 0U;
  flags |= fd && (record[5] & CANFD_ESI) != 0 ? can::kEsi : 0U;
  frame.flags = static_cast<std::uint16_t>(flags);
  if (!remote) {
    frame.payload = rest.first(std::min<std::size_t>(rest.size(), length));
    if (frame.payload.size() < length)
      frame.errors |= errorBit(CanError::Incomplete);
  }
  return frame;
}

/// The least that a frame takes, without stuff bits: from SOF to the end of EOF (ISO 11898-1:2015, 10.4.2).
class LeastLength {
 public:
  explicit LeastLength(const CanSettings& settings)
      : m_bit(settings.bitrate > 0.0 ? 1e12 / settings.bitrate : 0.0),
        m_fastBit(settings.fdBitrate > 0.0 ? 1e12 / settings.fdBitrate : m_bit)
  {
  }

  Picoseconds of(const Frame& frame) const
  {
    constexpr double kEnd = 1 + 1 + 1 + 7;  // CRC delimiter, ACK and its delimiter, EOF
    if (!canHasHeader(frame)) {
      constexpr double kFlag = 6 + 8;  // with its delimiter
      return inPicoseconds(kFlag, 0);
    }
    const CanFrame can = canFrame(frame);
    if (!can.hasDlc)
      return {};
    const double bytes = frame.kind == kCanRemote ? 0 : 8.0 * canDataLength(can.dlc, can.fd);
    if (!can.fd)
      return inPicoseconds((can.extended ? 39 : 19) + bytes + 15 + kEnd, 0);
    // Up to BRS at the one rate; then ESI, DLC, data, stuff count and CRC with a fixed stuff bit each four bits.
    const double check = bytes > 16 * 8 ? 4 + 21 + 7 : 4 + 17 + 6;
    const double header = can.extended ? 36 : 17;
    const double switched = 1 + 4 + bytes + check;
    return can.brs ? inPicoseconds(header + kEnd, switched) : inPicoseconds(header + switched + kEnd, 0);
  }

 private:
  Picoseconds inPicoseconds(double bits, double fastBits) const
  {
    return wholePicoseconds(bits * m_bit + fastBits * m_fastBit);
  }
  double m_bit;
  double m_fastBit;
};

class RecordDecoder final : public Decoder {
 public:
  RecordDecoder(const CanSettings& settings, const StreamInput& input)
      : m_length(settings), m_records(input.records), m_until(input.until), m_final(input.final)
  {
  }

  void extend(const StreamInput& input) override
  {
    m_records.extend(input.records);
    m_until = input.until;
    m_final = input.final;
  }
  bool run(FrameIndexBuilder& out, std::size_t slice) override
  {
    for (std::size_t i = 0; i < slice; ++i) {
      Record record;
      if (!m_records.next(record)) {
        emit(out, m_until, m_final);
        return false;
      }
      emit(out, record.time, true);
      // It waits for the next one, and its block may be gone then.
      m_waiting.assign(record.bytes.begin(), record.bytes.end());
      m_waitingSince = record.time;
      m_waits = true;
    }
    return true;
  }
  Picoseconds reached() const override { return m_waitingSince; }
  double measuredHertz() const override { return 0.0; }

 private:
  /// The record that waits is a frame now: it ends before `next`. Where that may still go on, it has to end by itself.
  void emit(FrameIndexBuilder& out, Picoseconds next, bool isFixed)
  {
    if (!m_waits)
      return;
    Frame frame = frameOf(m_waiting);
    const Picoseconds end = plus(m_waitingSince, m_length.of(frame));
    if (!isFixed && end > next)
      return;
    m_waits = false;
    frame.time.begin = m_waitingSince;
    frame.time.end = std::max(m_waitingSince, std::min(end, next));
    out.add(frame);
  }

  LeastLength m_length;
  RecordWalk m_records;
  Picoseconds m_until;
  bool m_final;
  std::vector<std::uint8_t> m_waiting;
  Picoseconds m_waitingSince{0};
  bool m_waits = false;
};

void addController(unsigned status, FaultList& faults)
{
  if ((status & CAN_ERR_CRTL_RX_OVERFLOW) != 0)
    faults.add(say("the receive buffer was full"));
  if ((status & CAN_ERR_CRTL_TX_OVERFLOW) != 0)
    faults.add(say("the transmit buffer was full"));
  if ((status & (CAN_ERR_CRTL_RX_WARNING | CAN_ERR_CRTL_TX_WARNING)) != 0)
    faults.add(say("error warning level reached"));
  if ((status & (CAN_ERR_CRTL_RX_PASSIVE | CAN_ERR_CRTL_TX_PASSIVE)) != 0)
    faults.add(say("error passive"));
  if ((status & CAN_ERR_CRTL_ACTIVE) != 0)
    faults.add(say("error active again"));
}

void addViolation(unsigned violation, unsigned location, FaultList& faults)
{
  if ((violation & CAN_ERR_PROT_STUFF) != 0)
    faults.add(say("six equal bits"));
  if ((violation & CAN_ERR_PROT_FORM) != 0)
    faults.add(say("a fixed bit is wrong"));
  if (location == CAN_ERR_PROT_LOC_CRC_SEQ)
    faults.add(say("CRC is wrong"));
  if ((violation & CAN_ERR_PROT_BIT0) != 0)
    faults.add(say("a dominant bit was read as recessive"));
  if ((violation & CAN_ERR_PROT_BIT1) != 0)
    faults.add(say("a recessive bit was read as dominant"));
  if ((violation & CAN_ERR_PROT_BIT) != 0)
    faults.add(say("a bit was read other than it was sent"));
  if ((violation & CAN_ERR_PROT_TX) != 0)
    faults.add(say("while sending"));
}

}  // namespace

std::unique_ptr<Decoder> makeCanRecordDecoder(const CanSettings& settings, const StreamInput& input)
{
  return std::make_unique<RecordDecoder>(settings, input);
}

bool isCanReport(const Frame& frame)
{
  return !canHasHeader(frame) && frame.key != 0;
}

bool hasCanReport(const Frame& frame, std::uint32_t error)
{
  return isCanReport(frame) && (frame.key & error) != 0;
}

std::string canReportText(const Frame& frame)
{
  FaultList words;
  if (!isCanReport(frame))
    return {};
  const auto has = [&frame](std::uint32_t error) { return (frame.key & error) != 0; };
  const auto byte = [&frame](ReportByte at) { return at < frame.payload.size() ? frame.payload[at] : 0U; };
  if (has(CAN_ERR_BUSOFF))
    words.add(say("bus off"));
  if (has(CAN_ERR_RESTARTED))
    words.add(say("controller started again"));
  if (has(CAN_ERR_ACK))
    words.add(say("not acknowledged"));
  if (has(CAN_ERR_CRTL))
    addController(byte(kController), words);
  if (has(CAN_ERR_PROT))
    addViolation(byte(kViolation), byte(kLocation), words);
  if (has(CAN_ERR_LOSTARB))
    words.add(byte(kArbitrationBit) == CAN_ERR_LOSTARB_UNSPEC
                  ? say("arbitration lost")
                  : say("arbitration lost at bit {}", byte(kArbitrationBit)));
  if (has(CAN_ERR_TRX))
    words.add(say("the transceiver reports a wire"));
  if (has(CAN_ERR_TX_TIMEOUT))
    words.add(say("sending took too long"));
  if (has(CAN_ERR_CNT))
    words.add(say("transmit errors {}, receive errors {}", byte(kSent), byte(kGot)));
  std::string text = words.text();
  return text.empty() && has(CAN_ERR_BUSERROR) ? say("bus error") : text;
}

bool appendCanRecord(const Frame& frame, std::vector<std::uint8_t>& bytes)
{
  if (hasError(frame.errors, CanError::Incomplete))
    return false;
  const auto append = [&bytes](std::uint32_t id, std::array<std::uint8_t, 4> about, std::span<const std::uint8_t> data,
                               std::size_t room) {
    for (const unsigned shift : {24U, 16U, 8U, 0U})
      bytes.push_back(static_cast<std::uint8_t>(id >> shift));
    bytes.insert(bytes.end(), about.begin(), about.end());
    bytes.insert(bytes.end(), data.begin(), data.end());
    bytes.insert(bytes.end(), room - std::min(room, data.size()), 0);
  };
  if (isCanReport(frame)) {
    append(CAN_ERR_FLAG | frame.key, {CAN_ERR_DLC, 0, 0, 0}, frame.payload, kReportBytes);
    return true;
  }
  if (!canHasHeader(frame) || frame.errors != 0) {
    std::uint32_t classes = CAN_ERR_PROT;
    std::array<std::uint8_t, kReportBytes> data{};
    const auto says = [&frame](CanError error) { return hasError(frame.errors, error); };
    if (frame.kind == kCanError && frame.errors == 0)
      classes |= CAN_ERR_BUSERROR;
    if (frame.kind == kCanOverload)
      data[kViolation] |= CAN_ERR_PROT_OVERLOAD;
    if (says(CanError::Stuff))
      data[kViolation] |= CAN_ERR_PROT_STUFF;
    if (says(CanError::Form))
      data[kViolation] |= CAN_ERR_PROT_FORM;
    if (says(CanError::Crc) || says(CanError::StuffCount))
      data[kLocation] = CAN_ERR_PROT_LOC_CRC_SEQ;
    if (says(CanError::Ack))
      classes = frame.errors == errorBit(CanError::Ack) ? CAN_ERR_ACK : classes | CAN_ERR_ACK;
    append(CAN_ERR_FLAG | classes, {CAN_ERR_DLC, 0, 0, 0}, data, kReportBytes);
    return true;
  }
  const CanFrame can = canFrame(frame);
  if (!can.hasDlc)
    return false;
  const std::uint32_t id = can.id | (can.extended ? CAN_EFF_FLAG : 0U) | (frame.kind == kCanRemote ? CAN_RTR_FLAG : 0U);
  const auto length = static_cast<std::uint8_t>(canDataLength(can.dlc, can.fd));
  if (can.fd) {
    const unsigned flags = CANFD_FDF | (can.brs ? CANFD_BRS : 0U) | (can.esi ? CANFD_ESI : 0U);
    append(id, {length, static_cast<std::uint8_t>(flags), 0, 0}, can.data, CANFD_MTU - kHeaderBytes);
  } else {
    const auto dlc = static_cast<std::uint8_t>(can.dlc > CAN_MAX_DLEN ? can.dlc : 0);
    append(id, {length, 0, 0, dlc}, can.data, CAN_MAX_DLEN);
  }
  return true;
}

}  // namespace bexto
