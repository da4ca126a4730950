#pragma once

/// Writes down what ran since the last call as run by `test`: its name, and behind a space its milliseconds where they
/// are known. nullptr forgets it.
void reachedBy(const char* test);
