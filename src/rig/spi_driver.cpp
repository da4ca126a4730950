#include "rig/spi_driver.h"

#include <algorithm>

namespace bexto::rig {

SpiDriver::SpiDriver(std::size_t devices) : m_clock(false), m_mosi(false), m_miso(false)
{
  for (std::size_t i = 0; i < devices; ++i)
    m_selects.emplace_back(true);
}

void SpiDriver::select(std::size_t device, const SpiPace& pace)
{
  // The clock takes its idle level while nobody listens.
  m_clock.drive(m_now, pace.mode >= 2);
  m_now += pace.lead;
  m_selects.at(device).drive(m_now, false);
  m_now += pace.lead;
}

void SpiDriver::word(std::uint32_t out, std::uint32_t in, const SpiPace& pace, int lateBit)
{
  bits(out, in, pace.bits, pace, lateBit);
  m_now += pace.between;
}

void SpiDriver::bits(std::uint32_t out, std::uint32_t in, int count, const SpiPace& pace, int lateBit)
{
  const bool idle = pace.mode >= 2;
  const bool late = (pace.mode & 1) != 0;
  for (int i = 0; i < count; ++i) {
    const int place = pace.lsbFirst ? i : pace.bits - 1 - i;
    const bool mosi = (out >> place & 1U) != 0;
    const bool miso = (in >> place & 1U) != 0;
    // CPHA 0: data before the first edge, sampled by it. CPHA 1: data with the first edge, sampled by the second.
    if (late)
      m_clock.drive(m_now, !idle);
    m_mosi.drive(m_now, mosi);
    const Picoseconds samples = m_now + pace.half;
    m_miso.drive(i == lateBit ? samples + pace.answerAfter : m_now + pace.answerAfter, miso);
    m_now = samples;
    m_clock.drive(m_now, late ? idle : !idle);
    m_now += pace.half;
    if (!late)
      m_clock.drive(m_now, idle);
  }
}

void SpiDriver::release(std::size_t device, const SpiPace& pace)
{
  m_now += pace.lead;
  m_selects.at(device).drive(m_now, true);
  m_now += pace.lead;
}

}  // namespace bexto::rig
