#include "fuzz/file_targets.h"

#include <array>
#include <cstdio>
#include <cstdlib>
#include <map>

#include "core/decode/decoder.h"
#include "core/decode/sentence.h"
#include "core/decode/transactions.h"
#include "core/format/csv_reader.h"
#include "core/format/packed_reader.h"
#include "core/format/pcap_reader.h"
#include "core/format/pcapng_reader.h"
#include "core/format/vcd_reader.h"
#include "core/store/session_store.h"
#include "support/packet_file.h"
#include "support/sessions.h"

namespace bexto::fuzz {

namespace {

void examine(const Capture& capture)
{
  for (const Channel& channel : capture.channels) {
    require(!channel.name.empty(), "a channel has a name");
    if (channel.records) {
      std::uint64_t there = 0;
      Picoseconds last{0};
      for (const auto& chunk : channel.records->chunks()) {
        const auto block = chunk->block();
        there += block->size();
        for (std::size_t i = 0; i < block->size(); ++i) {
          require(block->record(i).time >= last && block->record(i).time <= capture.end, "records are in order");
          last = block->record(i).time;
        }
      }
      require(there <= channel.records->size(), "there are no more records than it says");
    }
    Picoseconds before{-1};
    for (std::uint64_t i = 0; i < channel.track.size(); ++i) {
      require(channel.track.at(i) > before && channel.track.at(i) <= capture.end, "transitions are in order");
      before = channel.track.at(i);
    }
  }
  for (const ChannelVector& vector : capture.vectors)
    require(vector.width > 1 && vector.firstChannel + vector.width <= capture.channels.size(), "a number has its bits");
}

void examine(const Result<Capture>& capture)
{
  if (capture)
    examine(*capture);
  else
    require(!capture.error().message.empty(), "an error says what");
}

void readDump(std::span<const std::uint8_t> input)
{
  NoProgress none;
  examine(parseVcd({reinterpret_cast<const char*>(input.data()), input.size()}, "fuzz.vcd", std::stop_token(), none));
}

/// The first byte: whether a rate is said.
void readRows(std::span<const std::uint8_t> input)
{
  if (input.empty())
    return;
  const double rate = input[0] % 4 == 0 ? 1e6 : 0;
  const std::string_view text(reinterpret_cast<const char*>(input.data()) + 1, input.size() - 1);
  [[maybe_unused]] const bool looks = looksLikeCsv(text);
  examine(parseCsv(text, "fuzz.csv", {rate, 0, {}}));
}

/// Channels and rate, then the file.
void readSamples(std::span<const std::uint8_t> input)
{
  static const test::Folder folder;
  if (input.size() < 2)
    return;
  const double rates[] = {1e6, 24e6, 1e-3, 1e12, 44100.0};
  const std::string path = folder / "fuzz.bin";
  test::put(path, {reinterpret_cast<const char*>(input.data()) + 2, input.size() - 2});
  NoProgress none;
  examine(readPacked(path, {rates[input[1] % 5], input[0], {}}, std::stop_token(), none));
}

/// Packets in either form, and what the frames of their records say. The first byte: behind which good begin they are,
/// because random bytes would not get further than that.
void readPackets(std::span<const std::uint8_t> input)
{
  static const test::Folder folder;
  static const std::array<std::string, 4> begins = [] {
    test::BlockFile little;
    test::BlockFile big(true);
    const std::string older = little.number(0xA1B2C3D4, 4) + little.number(2, 2) + little.number(4, 2) +
                              little.number(0, 8) + little.number(65535, 4) + little.number(227, 4);
    return std::array{std::string(), little.named("can0").content, big.named("can0").content, older};
  }();
  if (input.empty())
    return;
  const std::string path = folder / "fuzz.pcapng";
  const std::string content = begins.at(input[0] % begins.size()) +
                              std::string(reinterpret_cast<const char*>(input.data()) + 1, input.size() - 1);
  test::put(path, content);
  NoProgress none;
  const auto capture = looksLikePcap(content) ? readPcap(path, {}, std::stop_token(), none)
                                              : readPcapng(path, {}, std::stop_token(), none);
  examine(capture);
  for (const Bus& bus : capture ? busesOfRecords(*capture, {}) : std::vector<Bus>()) {
    const auto resolved = resolveBus(bus, *capture);
    require(resolved.has_value(), "the buses of records need nothing else");
    const auto decoded = decodeStream(resolved->bus, inputOf(*capture, resolved->streams.front()), std::stop_token());
    const Transactions transactions = Transactions::eachFrame(decoded->frames);
    for (std::uint64_t i = 0; i < transactions.size(); ++i) {
      require(transactions.timeOf(i).end <= capture->end, "frames are in the capture");
      require(!sentenceOf(bus, transactions, i).text().empty(), "a frame says something");
    }
  }
}

/// A good session with bytes of it replaced: three bytes of the input say where, the fourth what. Random bytes would
/// not get further than the header.
void readSession(std::span<const std::uint8_t> input)
{
  static const test::Folder folder;
  static const std::string good = [] {
    NoProgress none;
    require(writeSession(folder / "good", test::fullSession(700), std::stop_token(), none).has_value(),
            "it is written");
    return test::contentOf(folder / "good");
  }();
  const std::string path = folder / "fuzz.bexto";
  std::string bytes = good;
  for (; input.size() >= 4; input = input.subspan(4))
    bytes[(input[0] | std::size_t{input[1]} << 8U | std::size_t{input[2]} << 16U) % bytes.size()] =
        static_cast<char>(input[3]);
  test::put(path, bytes);
  const auto opened = SessionStore::open(path);
  if (!opened) {
    require(!opened.error().message.empty(), "an error says what");
    return;
  }
  for (const Segment& segment : opened->file.segments)
    examine(*segment.capture);
}

using Target = void (*)(std::span<const std::uint8_t>);

const std::map<std::string, Target>& targets()
{
  static const std::map<std::string, Target> kTargets{
      {"vcd", readDump}, {"csv", readRows}, {"packed", readSamples}, {"pcapng", readPackets}, {"session", readSession}};
  return kTargets;
}

}  // namespace

void require(bool holds, const char* what)
{
  if (holds)
    return;
  std::fprintf(stderr, "does not hold: %s\n", what);
  std::abort();
}

const std::vector<std::string>& fileTargetNames()
{
  static const std::vector<std::string> kNames = [] {
    std::vector<std::string> names;
    for (const auto& [name, run] : targets())
      names.push_back(name);
    return names;
  }();
  return kNames;
}

bool runFileTarget(const std::string& target, std::span<const std::uint8_t> input)
{
  const auto found = targets().find(target);
  if (found == targets().end())
    return false;
  found->second(input);
  return true;
}

}  // namespace bexto::fuzz
