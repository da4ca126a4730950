#pragma once

#include "ui/focus/focus.h"
#include "ui/verdicts/verdicts.h"

namespace bexto::ui {

/// Shows a place of a rule on its wires, with the interval drawn as far as there is one. False when the bus is gone.
bool showPlace(const Engine& engine, Focus& focus, BusId bus, const RuleResult& rule, const MeasuredPlace& place);
/// The same for a finding: its frame is selected at what is wrong.
bool showFinding(const Engine& engine, const Verdicts& verdicts, Focus& focus, const Verdicts::Place& place);
/// The same for something that is only worth a look.
bool showRemark(Focus& focus, BusId bus, const Remark& remark);

}  // namespace bexto::ui
