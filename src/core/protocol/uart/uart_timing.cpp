#include "core/protocol/uart/uart_timing.h"

namespace bexto {

UartTiming::UartTiming(const UartSettings& settings)
    : m_bit(1e12 / settings.baud),
      m_perPicosecond(settings.baud / 1e12),
      m_bitsToStop(1 + settings.bits + (settings.parity == UartParity::None ? 0 : 1)),
      m_stopBits(settings.halfStopBits == 4 ? 2 : 1),
      m_end(at(m_bitsToStop + 0.5 * settings.halfStopBits)),
      // One stop bit: its middle. Two: the second one's. One and a half is one long bit.
      m_resume(at(m_bitsToStop + (settings.halfStopBits == 3 ? 0.75 : 0.5 * settings.halfStopBits - 0.5))),
      m_vote(at(0.625)),
      m_stopVote(at(m_bitsToStop + 0.625)),
      m_shortest(at(0.125))
{
}

}  // namespace bexto
