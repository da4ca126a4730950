#include <fmt/core.h>

#include <cstdio>

#include "cli/commands.h"
#include "cli/decode_buses.h"
#include "cli/output.h"
#include "core/check/check.h"
#include "core/export/check_writer.h"

namespace bexto::cli {

namespace {

/// All streams of one bus, as it is measured and as people read it.
CheckInput checkInput(const DecodedBuses& decoded, std::size_t bus, const SamplePeriod& period, Picoseconds end,
                      TimeRange span)
{
  CheckInput input;
  input.bus = decoded.buses[bus].bus;
  input.period = period;
  input.end = end;
  input.span = span;
  std::vector<Transactions> lines;
  std::vector<Transactions> wholes;
  std::vector<const DecodedStream*> streams;
  for (const DecodedStream& stream : decoded.streams) {
    if (stream.bus != bus)
      continue;
    streams.push_back(&stream);
    input.streams.push_back({stream.stream.line, stream.input, stream.frames});
    lines.emplace_back(input.bus, stream.frames);
    if (auto whole = Transactions::wholesIn(input.bus, lines.back(), {}, true))
      wholes.push_back(std::move(*whole));
  }
  // Messages in parts are of as many streams as there are of wires, or of none.
  if (wholes.size() == lines.size())
    lines.insert(lines.end(), wholes.begin(), wholes.end());
  Transactions::putTogether(input.bus, lines);
  for (std::size_t i = 0; i < lines.size(); ++i) {
    const DecodedStream& stream = *streams[i % streams.size()];
    input.talk.push_back({input.bus, stream.stream.line, lines[i], stream.sent});
  }
  return input;
}

}  // namespace

Result<bool> runCheck(const Request& request, FrameFormat format)
{
  if (auto has = checkHasBuses(request, "check"); !has)
    return tl::unexpected(has.error());
  auto input = openInput(request);
  if (!input)
    return tl::unexpected(input.error());
  const auto decoded = decodeBuses(request, *input);
  if (!decoded)
    return tl::unexpected(decoded.error());
  const SamplePeriod period = samplePeriodOf(input->capture, request.samplePeriod);
  std::vector<BusCheck> checks;
  TerminalProgress progress(request.quiet);
  for (std::size_t i = 0; i < decoded->buses.size(); ++i) {
    const CheckInput bus = checkInput(*decoded, i, period, input->capture.end, request.span);
    const double share = 1.0 / static_cast<double>(decoded->buses.size());
    auto check = checkBus(bus, std::stop_token(),
                          [&](double done) { progress.report((static_cast<double>(i) + done) * share); });
    if (!check)
      return tl::unexpected(check.error());
    checks.push_back(std::move(*check));
  }
  if (auto whole = input->checkWhole(); !whole)
    return tl::unexpected(whole.error());
  bool passed = true;
  std::vector<CheckedBus> checked;
  for (std::size_t i = 0; i < checks.size(); ++i) {
    checked.push_back({&decoded->buses[i].bus, &checks[i]});
    for (const RuleResult& rule : checks[i].rules)
      passed = passed && rule.verdict != Verdict::Fail;
    for (const std::string& note : checks[i].notes)
      fmt::print(stderr, "note: {}: {}\n", decoded->buses[i].bus.name, note);
  }
  const CheckFormat as = request.junit                  ? CheckFormat::Junit
                         : format == FrameFormat::Jsonl ? CheckFormat::Jsonl
                         : format == FrameFormat::Csv   ? CheckFormat::Csv
                                                        : CheckFormat::Text;
  auto output = Output::open(request.out);
  if (!output)
    return tl::unexpected(output.error());
  if (auto written = output->write(checkText(as, period, checked)); !written)
    return tl::unexpected(written.error());
  if (auto finished = output->finish(); !finished)
    return tl::unexpected(finished.error());
  if (decoded->missing)
    return tl::unexpected(*decoded->missing);
  return passed;
}

}  // namespace bexto::cli
