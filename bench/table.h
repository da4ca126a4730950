#pragma once

#include <benchmark/benchmark.h>

#include <string>

namespace bexto::bench {

/// Bytes a second of a plain read of memory by one thread, measured once in this run: what figures are held against.
double memoryBandwidth();

/// Says what one iteration did, for the table: `items` of a kind, `bytes` of them in memory (0: no ratio).
void report(benchmark::State& state, double items, double bytes);

/// Runs all benches and prints one line each: time an item, throughput, the ratio to a plain memory pass, and the
/// target that stands in the bench's label.
int runTable(int argc, char** argv, const std::string& title);

}  // namespace bexto::bench
