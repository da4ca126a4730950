#pragma once

#include <QDir>

/// The Bench with what it says before a capture, a capture that goes on, and one collected by what a bus says: from an
/// instrument at the plant that is started for it.
bool takeBench(const QDir& folder);
