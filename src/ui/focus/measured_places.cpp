#include "ui/focus/measured_places.h"

#include "core/decode/protocol.h"
#include "ui/text/text.h"

namespace bexto::ui {

namespace {

/// The frame of the bus that begins last at or before `t`; of several streams, the one that begins later.
Selection frameAt(const BusView& view, Picoseconds t)
{
  Selection best;
  Picoseconds bestBegin{-1};
  for (std::size_t s = 0; s < view.streams.size(); ++s) {
    const FrameIndex& frames = view.streams[s].transactions.frames();
    const std::uint64_t number = frames.lastUpTo(t);
    if (view.streams[s].isOfWholes() || number >= frames.size() || frames.frame(number).time.begin <= bestBegin)
      continue;
    bestBegin = frames.frame(number).time.begin;
    best = {{view.id, static_cast<int>(s)}, number, t};
  }
  return best;
}

/// The path of the wire that a rule's intervals are drawn on; empty: none.
std::string wireOf(const Engine& engine, const BusView& view, const RuleResult& rule, const Selection& selection)
{
  std::string role = rule.role;
  if (role.empty() && selection.valid())
    role = view.streams[static_cast<std::size_t>(selection.stream.stream)].line;
  if (role.empty() && !view.shown.wires.empty())
    role = view.shown.wires.front().role;
  const auto& capture = engine.capture();
  const auto channel = capture ? capture->find(view.shown.channelOf(role)) : Result<std::size_t>(std::size_t{0});
  return capture && channel ? capture->channels[*channel].path : std::string();
}

}  // namespace

bool showPlace(const Engine& engine, Focus& focus, BusId bus, const RuleResult& rule, const MeasuredPlace& place)
{
  const BusView* const view = engine.find(bus);
  if (view == nullptr)
    return false;
  const Selection selection = frameAt(*view, place.time.begin);
  if (rule.sort != RuleSort::Measure || place.time.empty()) {
    if (selection.valid())
      focus.goTo(selection);
    return selection.valid();
  }
  const RuleInterval drawn = intervalOf(rule, place);
  focus.showInterval({bus, wireOf(engine, *view, rule, selection), place.time, drawn.symbol + u' ' + drawn.value,
                      drawn.limit, drawn.fails},
                     selection);
  return true;
}

bool showFinding(const Engine& engine, const Verdicts& verdicts, Focus& focus, const Verdicts::Place& place)
{
  const BusView* const view = engine.find(place.bus);
  if (view == nullptr)
    return false;
  const Finding& finding = verdicts.finding(place);
  const RuleResult& rule = verdicts.ruleOf(place);
  if (rule.sort == RuleSort::Measure && finding.measured)
    return showPlace(engine, focus, place.bus, rule, *finding.measured);
  const Selection selection{
      {place.bus, static_cast<int>(finding.stream)}, finding.frame.value_or(0), finding.time.begin};
  if (!finding.frame || !focus.exists(selection))
    return false;
  focus.goTo(selection);
  return true;
}

bool showRemark(Focus& focus, BusId bus, const Remark& remark)
{
  const Selection selection{{bus, static_cast<int>(remark.stream)}, remark.frame, remark.time.begin};
  if (!focus.exists(selection))
    return false;
  focus.goTo(selection);
  return true;
}

}  // namespace bexto::ui
