#pragma once

#include <vector>

#include "core/check/rulebook_file.h"
#include "core/decode/bus_spec.h"
#include "core/device/sheet_file.h"
#include "rig/lock_cycle.h"

/// The buses of the demo with the sheets of their devices and their rulebooks.
inline std::vector<bexto::Bus> demoBuses()
{
  std::vector<bexto::Bus> buses;
  for (const std::string& spec : bexto::rig::lockCycleBuses()) {
    buses.push_back(*bexto::parseBusSpec(spec));
    for (const bexto::rig::LockCycleSheet& sheet : bexto::rig::lockCycleSheets()) {
      if (sheet.bus == buses.back().name)
        bexto::attachSheet(buses.back(), {sheet.name, sheet.text});
    }
    for (const bexto::rig::LockCycleSheet& book : bexto::rig::lockCycleBooks()) {
      if (book.bus == buses.back().name)
        bexto::attachBook(buses.back(), {book.name, book.text});
    }
  }
  return buses;
}
