#pragma once

#include <QPainter>

#include "core/check/check.h"

namespace bexto::ui {

/// The values of a rule on a scale with its limits: what is allowed as a wash, from the smallest to the largest value
/// as a bar, the worst as a mark. Nothing where there is no limit or no value.
void paintGauge(QPainter& p, QRect room, const RuleResult& rule);
/// How often values were where, from the smallest to the largest, with the limits as lines where they are inside.
void paintHistogram(QPainter& p, QRect room, const RuleResult& rule);

}  // namespace bexto::ui
