#pragma once

#include <cstdint>
#include <deque>
#include <map>
#include <memory>
#include <optional>
#include <string>

#include "rig/chance.h"
#include "rig/instrument/acquisition.h"
#include "rig/instrument/scpi.h"

namespace bexto::rig {

/// The ways in which an instrument, or what is between, can fail. A person or a test asks for them.
enum class Misbehaviour : std::uint8_t {
  None,
  Delay,    ///< answers a second late
  Cut,      ///< sends half of an answer and no more of it
  Drop,     ///< closes the connection in the middle of an answer
  Garbage,  ///< sends bytes that mean nothing
  Overrun,  ///< loses samples of a stream
  Silence,  ///< answers nothing
  Lie,      ///< says another length than the block has
  Huge,     ///< announces a block of 2^63 bytes
  Endless,  ///< sends a line without an end
  Any       ///< one of these, each time another
};

/// A logic instrument of sixteen probes on the lock's gate controller, as one who talks to it sees it: bytes in, bytes
/// out (docs/rig.md). One thread; it does no more than it is given time for.
class Instrument {
 public:
  /// `speed`: how fast the plant's time goes by against the clock given to step(); 0: as fast as can be.
  Instrument(std::uint64_t seed, Traffic traffic, double speed);

  /// From the connection.
  void receive(std::string_view bytes);
  /// Goes on to the moment `now` (s, of any clock that does not go back) and gives what is to be sent, at most about
  /// `room` bytes of a stream.
  std::string step(double now, std::size_t room);
  /// Whether step() has something to do before more is received.
  bool isBusy() const
  {
    return m_acquisition != nullptr || !m_waiting.empty() || !m_units.empty() || m_heldUntil > 0.0;
  }
  /// The connection is to be closed.
  bool hangsUp() const { return m_hangsUp; }
  /// Another connection: what is under way ends, settings stay.
  void connected();

 private:
  void makeTree();
  void addCommon();
  void addSettings();
  void addTrigger();
  void addAcquisition();
  void addOutput();
  void begin(const std::string& line);
  /// Carries out what can be; false: what is next waits.
  bool carryOn();
  void fail(const ScpiError& error);
  void reset();
  void initiate();
  void advance(double now);
  void streamOut(std::size_t room);
  void send(std::string answer);
  std::string misbehave(std::string answer);
  unsigned probeOf(const std::string& text) const;
  std::string fetch(const ScpiTree::Call& call);
  unsigned condition() const;
  bool isAcquiring() const { return m_acquisition && !m_acquisition->isDone(); }

  static constexpr std::size_t kMostInput = std::size_t{1} << 20U;

  Plant m_plant;
  double m_speed;
  ScpiTree m_tree;
  AcquisitionSetting m_setting;
  std::array<std::string, kProbes> m_names;
  std::unique_ptr<Acquisition> m_acquisition;
  double m_rate = 0.0;            ///< of the acquisition
  std::optional<double> m_begun;  ///< when it began
  bool m_streaming = false;       ///< STReam? is being answered
  bool m_firstBlock = false;
  std::string m_input;
  std::deque<std::string> m_waiting;  ///< lines, in the order in which they came
  std::deque<ScpiUnit> m_units;       ///< of the line that is being carried out
  std::vector<std::string> m_path;    ///< that its next header goes on from
  std::string m_answer;               ///< to the line so far
  bool m_waitsForEnd = false;         ///< *OPC? or *WAI
  bool m_answersEnd = false;          ///< of these the first
  std::string m_output;
  std::deque<ScpiError> m_errors;
  unsigned m_events = 128;  ///< of the standard event register: power on
  unsigned m_eventMask = 0;
  unsigned m_serviceMask = 0;
  bool m_opc = false;
  std::map<std::string, unsigned> m_enables;
  Misbehaviour m_misbehaviour = Misbehaviour::None;
  std::int64_t m_oneIn = 1;
  Chance m_chance;
  double m_heldUntil = 0.0;  ///< an answer waits
  std::string m_held;
  double m_now = 0.0;
  double m_lastBlock = -1.0;  ///< when one of the stream was sent
  bool m_hangsUp = false;
  bool m_silent = false;
};

}  // namespace bexto::rig
