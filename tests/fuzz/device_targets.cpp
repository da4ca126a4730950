#include "fuzz/device_targets.h"

#include <algorithm>
#include <cstdio>
#include <cstdlib>

#include "core/decode/bus_spec.h"
#include "core/decode/sentence.h"
#include "core/device/device_history.h"
#include "core/query/scan.h"
#include "core/view/device_table.h"
#include "support/device_traffic.h"

namespace bexto::fuzz {

namespace {

using test::DeviceTraffic;

void require(bool holds, const char* what)
{
  if (holds)
    return;
  std::fprintf(stderr, "does not hold: %s\n", what);
  std::abort();
}

/// Everything that can be asked of the frames: nothing of it may fail, and all of it has to agree.
void askAll(const DeviceTraffic& traffic)
{
  const Bus& bus = traffic.bus();
  const FrameIndex frames = traffic.frames();
  const Transactions all(bus, frames);
  if (!all.meaning())
    return;
  std::uint64_t covered = 0;
  for (std::uint64_t i = 0; i < all.size(); ++i) {
    const FrameRange range = all.framesOf(i);
    covered += range.count();
    const auto told = all.meaning()->told(bus, frames, range);
    require(told.empty() || all.meaning()->says(range), "what is told is known");
    std::uint64_t values = 0;
    for (const Told& one : told) {
      values += one.values.size();
      require(one.frames.first >= range.first && one.frames.end <= range.end, "told of frames of the transaction");
      require(one.faults.empty() || all.isFaulty(i), "a fault that is told is one");
      for (const ToldValue& v : one.values)
        require(v.frame >= range.first && v.frame < range.end, "a value is in its frames");
    }
    require(values == all.meaning()->valueCount(bus, frames, range), "values are counted");
    require(!sentenceOf(bus, all, i).text().empty(), "every transaction has a sentence");
    for (std::uint64_t d = 0; d < std::min<std::uint64_t>(detailCount(bus, all, i), 40); ++d)
      detailAt(bus, all, i, d);
  }
  require(covered == frames.size(), "every frame is in one transaction");
  // A half, and then the rest, is the whole.
  FrameIndexBuilder begin;
  for (std::uint64_t i = 0; i < frames.size() / 2; ++i)
    begin.add(frames.frame(i));
  const Transactions grown(bus, frames, Transactions(bus, begin.snapshot()));
  require(grown.size() == all.size(), "pieces are the whole");
  require(grown.meaning()->faulty(0) == all.meaning()->faulty(0), "faults of pieces are those of the whole");
  const auto history = DeviceHistory::make(bus, all, {}, std::stop_token());
  require(history.has_value(), "nobody stopped it");
  if (!history->empty())
    deviceRows({*history}, 0, Picoseconds{1'000'000'000'000}, Picoseconds{5'000'000});
  const QueryNames names = namesOf({bus});
  for (const ValueWord& value : names.values) {
    const auto query = Query::parse("value." + value.name + ">0", names);
    require(query.has_value(), "a value can be asked for");
    const auto found = scanLines(*query, {{bus, "", all}}, std::stop_token());
    require(found && found->front().size() <= all.size(), "lines that are there are found");
  }
}

constexpr const char* kBusSheets[] = {
    "sheet: 1\ndevice: a\nbus: i2c\naddress: [0, 1, 0x2A]\npacket_error_code: yes\npointer: {bytes: 2, unit: 2, wrap: "
    "40}\nregisters:\n"
    "  x: {at: 0, bytes: 8, type: signed}\n  y: {at: 3, bytes: 3, order: little, fields: {p: {bits: 3..0, reserved: "
    "3}, q: {bits: 23..20, type: bcd}}}\n"
    "  z: {at: 30, bytes: 64, type: text}\ncommands: {go: {opcode: [9, 9], answered: {v: {byte: 0, bytes: 4, type: "
    "float}}}}\n"
    "sentences: [{of: [x, y], text: \"{x} {p}\"}]\n",
    "sheet: 1\ndevice: b\nbus: spi\nmemory: {size: 64, page: 8}\ncommands:\n"
    "  get: {opcode: 0x80, mask: 0x80, address: {byte: 0, bits: 6..0}, reads: 2}\n"
    "  set: {opcode: 0, mask: 0x80, address: {byte: 0, bits: 6..0}, writes: 1, sent: {all: {byte: -2, bytes: 2, scale: "
    "0.1}}}\n"
    "registers: {r: {at: 4, bytes: 2, access: read, min: -3, max: 400}, s: {at: 4, access: write}}\n",
    "sheet: 1\ndevice: c\nbus: can\nmessages:\n  m: {id: [0, 1], fields: {k: {start: 0, length: 3}, v: {start: 5, "
    "length: 61, when: {k: 1}}, n: {byte: 2, counter: yes}}}\n"
    "  w: {id: 2, mask: 6, match: {byte: -1, value: 7}, checksum: {kind: crc, width: 16, polynomial: 0x8005, "
    "reflected: yes, from: 1}, fields: {f: {byte: 0, bytes: 8, type: float, order: big}}}\n",
    "sheet: 1\ndevice: d\nbus: uart\nframing: {start: 0, length: {byte: 1, plus: -1}}\nchecksum: {kind: sum, from: "
    "-3}\naddress: {byte: 2, names: {1: one}}\n"
    "messages: {m: {match: {byte: 3, value: 1}, fields: {t: {byte: 4, bytes: rest, type: bytes}}}}\n",
    "sheet: 1\ndevice: e\nbus: uart\nframing: {escape: cobs}\nmessages: {m: {fields: {v: {byte: 0}}}}\n",
    "sheet: 1\ndevice: f\nbus: uart\nframing: {end: [0], most: 20}\nmessages: {m: {line: \"{a} {b}\", fields: {a: "
    "{type: number}}}, n: {line: \"{x}!\"}}\n",
    "sheet: 1\ndevice: g\nbus: uart\nframing: {start: 1, end: 2, escape: {mark: 3, xor: 4}}\nmessages: {m: {fields: "
    "{v: {byte: 1, bits: 5..2, type: flag, values: {1: x}}}}}\n",
    "sheet: 1\ndevice: h\nbus: lin\nmessages: {m: {id: 0, fields: {v: {byte: 0, bytes: 2, type: bcd}}}}\n"};

void describe(std::span<const std::uint8_t> input)
{
  const auto next = [&input]() -> std::uint8_t {
    if (input.empty())
      return 0;
    const std::uint8_t b = input.front();
    input = input.subspan(1);
    return b;
  };
  const std::string sheet = kBusSheets[next() % std::size(kBusSheets)];
  const std::size_t at = sheet.find("bus: ") + 5;
  const std::string protocol = sheet.substr(at, sheet.find('\n', at) - at);
  DeviceTraffic traffic(protocol);
  traffic.describe(sheet);
  for (int i = 0; i < 300 && !input.empty(); ++i) {
    const std::uint8_t how = next();
    std::vector<std::uint8_t> bytes(next() % 12U);
    for (std::uint8_t& b : bytes)
      b = next();
    if (protocol == "i2c" && how % 2 == 0)
      traffic.write(how / 8 % 4, bytes, how % 64 != 0, how % 4 == 0);
    else if (protocol == "i2c")
      traffic.read(how / 8 % 4, bytes);
    else if (protocol == "spi")
      traffic.exchange(bytes, std::vector<std::uint8_t>(bytes.rbegin(), bytes.rend()));
    else if (protocol == "can")
      traffic.can(how % 8,
                  std::vector<std::uint8_t>(bytes.begin(), bytes.begin() + static_cast<std::ptrdiff_t>(
                                                                               std::min<std::size_t>(bytes.size(), 8))),
                  how > 200, how % 32 == 9 ? errorBit(CanError::Crc) : FrameErrors{0});
    else if (protocol == "lin")
      traffic.lin(how % 2, bytes);
    else
      traffic.say(bytes, how % 32 == 9 ? errorBit(UartError::Parity) : FrameErrors{0});
    if (how % 16 == 5)
      traffic.rest(std::chrono::milliseconds{how});
  }
  askAll(traffic);
}

void read(std::span<const std::uint8_t> input)
{
  const std::string text(input.begin(), input.end());
  const SheetRead read = readSheet(text);
  require((read.sheet == nullptr) == !read.problems.empty(), "a sheet or mistakes");
  for (const SheetProblem& p : read.problems) {
    require(!p.message.empty() && p.text().find('\n') == std::string::npos, "a mistake is one line");
    require(p.line >= 0 && p.line <= 2 + static_cast<int>(std::count(text.begin(), text.end(), '\n')),
            "a mistake is inside the text");
  }
  if (!read.sheet)
    return;
  // What was taken can be used.
  DeviceTraffic traffic(read.sheet->protocol);
  traffic.describe(text);
  for (std::uint8_t i = 0; i < 24; ++i) {
    const std::vector<std::uint8_t> bytes{i, 0x10, static_cast<std::uint8_t>(i * 11), 0xff, 0, 1, 2, 3};
    if (read.sheet->protocol == "i2c") {
      const std::uint32_t address = read.sheet->addresses.front() & 0x7fU;
      traffic.ask(address, {bytes.begin(), bytes.begin() + 1 + i % 4}, bytes);
    } else if (read.sheet->protocol == "spi") {
      traffic.exchange(bytes, bytes);
    } else if (read.sheet->protocol == "can") {
      traffic.can(read.sheet->messages.empty() || read.sheet->messages[0].ids.empty()
                      ? i
                      : read.sheet->messages[0].ids[0] & 0x7ffU,
                  bytes);
    } else if (read.sheet->protocol == "lin") {
      traffic.lin(i, bytes);
    } else {
      traffic.say(bytes);
    }
  }
  askAll(traffic);
}

}  // namespace

std::vector<std::string> deviceTargetNames()
{
  return {"sheet", "devices"};
}

bool runDeviceTarget(const std::string& target, std::span<const std::uint8_t> input)
{
  if (target == "sheet")
    read(input);
  else if (target == "devices")
    describe(input);
  else
    return false;
  return true;
}

}  // namespace bexto::fuzz
