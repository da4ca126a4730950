#pragma once

/// Writes down what ran since the last call as run by `test`; nullptr forgets it.
void reachedBy(const char* test);
